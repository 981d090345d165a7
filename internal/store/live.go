package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/merge"
	"incipit/internal/draft"
)

// live is a draft whose last step is in force at once: a collection, what all pages
// have in common, house style. What is in force is kept with its revision in a row of
// its own, which readers' queries go by.
type live struct {
	kind    draft.Kind
	subject int64
	// lock locks the row and gives its revision and content.
	lock func(tx *gorm.DB) (revision int64, content any, err error)
	keep func(tx *gorm.DB, revision int64, content json.RawMessage) error
}

// Clash is the error of a change of what somebody else changed meanwhile, too. Nothing
// was changed by it.
type Clash struct {
	Members []string // of the content that both changed; none where that is not known
	By      string
	At      time.Time
}

func (c *Clash) Error() string {
	return fmt.Sprintf("%s changed the same meanwhile: %v", c.By, c.Members)
}

// Meanwhile is what somebody else changed between what the maker of a command saw and
// what they changed: other members than theirs. By is "" where nobody did.
type Meanwhile struct {
	Members []string
	By      string
	At      time.Time
}

// change brings content, which was made of a revision, into what is in force. check may
// refuse what comes of it; also does what follows from it, with what was in force before.
func (s *Store) change(ctx context.Context, l live, seen int64, by string, content any, check func(json.RawMessage) error, also func(tx *gorm.DB, before json.RawMessage) error) (Meanwhile, error) {
	var told Meanwhile
	err := s.in(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		mine, err := merge.Of(content)
		if err != nil {
			return err
		}
		next := mine
		if seen != now.Revision {
			was, err := draft.At(tx, l.kind, l.subject, seen)
			if errors.Is(err, draft.ErrGone) {
				return &Clash{By: now.MadeBy, At: now.MadeAt}
			}
			if err != nil {
				return err
			}
			before, err := merge.Of(was.Content)
			if err != nil {
				return err
			}
			theirs, err := merge.Of(now.Content)
			if err != nil {
				return err
			}
			merged, clash := merge.Three(before, theirs, mine)
			if len(clash) > 0 {
				return &Clash{clash, now.MadeBy, now.MadeAt}
			}
			next, told = merged, Meanwhile{merge.Changed(before, theirs), now.MadeBy, now.MadeAt}
		}
		return put(tx, l, next, check, func(b json.RawMessage) (draft.Step, error) { return draft.Next(tx, now, by, b) }, func() error {
			if also == nil {
				return nil
			}
			return also(tx, now.Content)
		})
	})
	return told, err
}

// standing locks what is in force and gives its step, which it has from now on.
func standing(tx *gorm.DB, l live) (draft.Step, error) {
	revision, content, err := l.lock(tx)
	if err != nil {
		return draft.Step{}, err
	}
	now, err := draft.At(tx, l.kind, l.subject, revision)
	if errors.Is(err, draft.ErrGone) {
		return draft.Begin(tx, l.kind, l.subject, revision, "", content)
	}
	return now, err
}

func put(tx *gorm.DB, l live, content merge.Members, check func(json.RawMessage) error, step func(json.RawMessage) (draft.Step, error), also func() error) error {
	b, err := json.Marshal(content)
	if err != nil {
		return fmt.Errorf("write what is in force: %w", err)
	}
	if check != nil {
		if err := check(b); err != nil {
			return err
		}
	}
	next, err := step(b)
	if err != nil {
		return err
	}
	if err := l.keep(tx, next.Revision, b); err != nil {
		return err
	}
	return also()
}

// move goes one step back (-1) or forward (+1) from what its maker saw, or gives
// ErrStale; where there is no such step, nothing is changed.
func (s *Store) move(ctx context.Context, l live, seen int64, by string, way int) error {
	err := s.in(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		if now.Revision != seen {
			return ErrStale
		}
		next, err := draft.Move(tx, now, by, way)
		if err != nil {
			return err
		}
		return l.keep(tx, next.Revision, next.Content)
	})
	if errors.Is(err, draft.ErrNothing) {
		return nil
	}
	return err
}

// ways says whether undo and redo lead somewhere, and who made what is in force.
func (s *Store) ways(ctx context.Context, l live, revision int64) (undo, redo bool, made draft.Step, err error) {
	held, err := draft.Hold(s.db.WithContext(ctx), l.kind, l.subject, revision)
	if errors.Is(err, draft.ErrGone) {
		return false, false, draft.Step{}, nil // it was never changed
	}
	return held.Undo, held.Redo, held.Step, err
}
