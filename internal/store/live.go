package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

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

// change brings content, which was made of a revision, into what is in force, and tells
// what others made beside it; a *draft.Clash where they changed the same. check may refuse
// what comes of it; also does what follows from it, with what was in force before.
func (s *Store) change(ctx context.Context, l live, seen int64, by string, content any, check func(json.RawMessage) error,
	also func(tx *gorm.DB, before json.RawMessage) error) (others []draft.Made, err error) {
	err = s.in(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		mine, err := merge.Of(content)
		if err != nil {
			return err
		}
		next, made, err := draft.Bring(tx, now, seen, draft.Whole, mine)
		if err != nil {
			return err
		}
		others = made
		return put(tx, l, next, check, func(b json.RawMessage) (draft.Step, error) { return draft.Next(tx, now, by, b) }, func() error {
			if also == nil {
				return nil
			}
			return also(tx, now.Content)
		})
	})
	return others, err
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

func put(tx *gorm.DB, l live, content merge.Members, check func(json.RawMessage) error,
	step func(json.RawMessage) (draft.Step, error), also func() error) error {
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

// move goes one step back (-1) or forward (+1) from what its maker saw, or gives a
// *draft.Stale; where there is no such step, nothing is changed.
func (s *Store) move(ctx context.Context, l live, seen int64, by string, way int) error {
	err := s.in(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		if err := draft.Seen(tx, now, seen, draft.Whole); err != nil {
			return err
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

// ways says whether undo and redo lead somewhere.
func (s *Store) ways(ctx context.Context, l live, revision int64) (undo, redo bool, err error) {
	held, err := draft.Hold(s.db.WithContext(ctx), l.kind, l.subject, revision)
	if errors.Is(err, draft.ErrGone) {
		return false, false, nil // it was never changed
	}
	return held.Undo, held.Redo, err
}
