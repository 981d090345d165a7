package draft

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/core/merge"
	"incipit/internal/database"
)

// Live is a draft whose last step is in force at once: a collection, what all pages
// have in common, house style. What is in force is kept with its revision in a row of
// its own, which readers' queries go by.
type Live struct {
	Kind    Kind
	Subject int64
	// Lock locks the row and gives its revision and content.
	Lock func(tx *gorm.DB) (revision int64, content any, err error)
	Keep func(tx *gorm.DB, revision int64, content json.RawMessage) error
}

// Change brings content, which was made of a revision, into what is in force, and tells
// what others made beside it; a *Clash where they changed the same. check may refuse
// what comes of it; also does what follows from it, with what was in force before.
func (l Live) Change(ctx context.Context, db *database.DB, seen int64, by string, content any, check func(json.RawMessage) error,
	also func(tx *gorm.DB, before json.RawMessage) error) (others []Made, err error) {
	err = db.In(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		mine, err := merge.Of(content)
		if err != nil {
			return err
		}
		next, made, err := Bring(tx, now, seen, Whole, mine)
		if err != nil {
			return err
		}
		others = made
		return put(tx, l, next, check, func(b json.RawMessage) (Step, error) { return Next(tx, now, by, b) }, func() error {
			if also == nil {
				return nil
			}
			return also(tx, now.Content)
		})
	})
	return others, err
}

// standing locks what is in force and gives its step, which it has from now on.
func standing(tx *gorm.DB, l Live) (Step, error) {
	revision, content, err := l.Lock(tx)
	if err != nil {
		return Step{}, err
	}
	now, err := At(tx, l.Kind, l.Subject, revision)
	if errors.Is(err, ErrGone) {
		return Begin(tx, l.Kind, l.Subject, revision, "", content)
	}
	return now, err
}

func put(tx *gorm.DB, l Live, content merge.Members, check func(json.RawMessage) error,
	step func(json.RawMessage) (Step, error), also func() error) error {
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
	if err := l.Keep(tx, next.Revision, b); err != nil {
		return err
	}
	return also()
}

// Move goes one step back (-1) or forward (+1) from what its maker saw, or gives a
// *Stale; where there is no such step, nothing is changed.
func (l Live) Move(ctx context.Context, db *database.DB, seen int64, by string, way int) error {
	err := db.In(ctx, func(tx *gorm.DB) error {
		now, err := standing(tx, l)
		if err != nil {
			return err
		}
		if err := Seen(tx, now, seen, Whole); err != nil {
			return err
		}
		next, err := Move(tx, now, by, way)
		if err != nil {
			return err
		}
		return l.Keep(tx, next.Revision, next.Content)
	})
	if errors.Is(err, ErrNothing) {
		return nil
	}
	return err
}

// Ways says whether undo and redo lead somewhere.
func (l Live) Ways(ctx context.Context, db *database.DB, revision int64) (undo, redo bool, err error) {
	held, err := Hold(db.WithContext(ctx), l.Kind, l.Subject, revision)
	if errors.Is(err, ErrGone) {
		return false, false, nil // it was never changed
	}
	return held.Undo, held.Redo, err
}
