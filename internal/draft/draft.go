// Package draft is the one log of whatever is edited: placements, web pages,
// collections, what all pages have in common, house style.
//
// A draft is a row of steps, each with the whole content, who made it and when. Its
// number, the revision, is never used again, so that it names for ever what somebody
// had on screen. Undo and redo are steps of their own, which have the content of an
// earlier one: the log is only ever added to. Every command names the revision that its
// maker saw; what comes of it where that is not the one that holds is for the command
// to say (see core/merge).
//
// Whoever adds a step holds the lock of the row that the draft is of; that row keeps
// which revision holds.
package draft

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Kind is what a draft is of.
type Kind string

// The kinds of draft.
const (
	Placement  Kind = "placement"
	Page       Kind = "page"
	Collection Kind = "collection"
	Site       Kind = "site"  // what all web pages have in common; its subject is 1
	House      Kind = "house" // house style; its subject is 1
)

// Kept is how many steps of a draft are kept: as far as undo goes.
const Kept = 200

// The errors of a command.
var (
	// ErrStale is given when a draft was changed elsewhere meanwhile.
	ErrStale = errors.New("the draft was changed elsewhere meanwhile")
	// ErrNothing is given where there is no step to go back or forward to.
	ErrNothing = errors.New("there is no such step")
	// ErrGone is given for a revision that is not kept.
	ErrGone = errors.New("that step is not kept any more")
)

// Step is one step of a draft.
type Step struct {
	Kind     Kind            `gorm:"primaryKey"`
	Subject  int64           `gorm:"primaryKey"`
	Revision int64           `gorm:"primaryKey;autoIncrement:false"`
	Content  json.RawMessage `gorm:"serializer:json"`
	// Back and Forth are the revisions that undo and redo lead to, or nil.
	Back, Forth *int64
	MadeBy      string
	MadeAt      time.Time
}

// TableName tells GORM the table.
func (Step) TableName() string { return "draft_steps" }

// Read reads the content of a step.
func Read[T any](s Step) (T, error) {
	var out T
	if err := json.Unmarshal(s.Content, &out); err != nil {
		return out, fmt.Errorf("read step %d of %s %d: %w", s.Revision, s.Kind, s.Subject, err)
	}
	return out, nil
}

// holders are the tables that keep by themselves which revision of a draft holds. Of
// other kinds, more than that is kept, by whoever adds a step.
var holders = map[Kind]string{Placement: "placements", Page: "web_pages"}

// Begin makes the first step of a draft, with a revision of its own.
func Begin(tx *gorm.DB, kind Kind, subject, revision int64, by string, content any) (Step, error) {
	s := Step{Kind: kind, Subject: subject, Revision: revision, MadeBy: by, MadeAt: time.Now().UTC()}
	var err error
	if s.Content, err = json.Marshal(content); err != nil {
		return s, fmt.Errorf("write a step of %s %d: %w", kind, subject, err)
	}
	if err := tx.Create(&s).Error; err != nil {
		return s, fmt.Errorf("keep a step of %s %d: %w", kind, subject, err)
	}
	return s, nil
}

// At reads the step of a revision, or gives ErrGone.
func At(tx *gorm.DB, kind Kind, subject, revision int64) (Step, error) {
	var s []Step
	if err := tx.Where("kind = ? AND subject = ? AND revision = ?", kind, subject, revision).Find(&s).Error; err != nil {
		return Step{}, fmt.Errorf("read step %d of %s %d: %w", revision, kind, subject, err)
	}
	if len(s) == 0 {
		return Step{}, fmt.Errorf("step %d of %s %d: %w", revision, kind, subject, ErrGone)
	}
	return s[0], nil
}

// Next adds a change to the step that holds. What lay ahead is not gone to any more.
func Next(tx *gorm.DB, now Step, by string, content any) (Step, error) {
	back := now.Revision
	return after(tx, now, Step{Back: &back, MadeBy: by}, content)
}

// Move adds a step back (-1) or forward (+1), or gives ErrNothing.
func Move(tx *gorm.DB, now Step, by string, way int) (Step, error) {
	to := now.Back
	if way > 0 {
		to = now.Forth
	}
	if to == nil {
		return now, ErrNothing
	}
	there, err := At(tx, now.Kind, now.Subject, *to)
	if errors.Is(err, ErrGone) {
		return now, ErrNothing
	}
	if err != nil {
		return now, err
	}
	here := now.Revision
	next := Step{Back: there.Back, Forth: &here, MadeBy: by}
	if way > 0 {
		next.Back, next.Forth = &here, there.Forth
	}
	return after(tx, now, next, there.Content)
}

// after adds a step behind the last one, and has it hold, in one statement.
func after(tx *gorm.DB, now, next Step, content any) (Step, error) {
	next.Kind, next.Subject, next.MadeAt = now.Kind, now.Subject, time.Now().UTC()
	var err error
	if next.Content, err = json.Marshal(content); err != nil {
		return next, fmt.Errorf("write a step of %s %d: %w", now.Kind, now.Subject, err)
	}
	// Steps of before this log may lie ahead of the one that holds.
	sql := `INSERT INTO draft_steps (kind, subject, revision, content, back, forth, made_by, made_at)
		SELECT @kind, @subject, greatest(coalesce(max(revision), 0), @now) + 1, CAST(@content AS jsonb), CAST(@back AS bigint), CAST(@forth AS bigint), @by, @at
		FROM draft_steps WHERE kind = @kind AND subject = @subject RETURNING revision`
	if table, is := holders[now.Kind]; is {
		sql = `WITH added AS (` + sql + `) UPDATE ` + table + ` SET step = added.revision, updated_at = @at FROM added WHERE id = @subject RETURNING added.revision`
	}
	err = tx.Raw(sql, map[string]any{"kind": next.Kind, "subject": next.Subject, "now": now.Revision, "content": string(next.Content),
		"back": next.Back, "forth": next.Forth, "by": next.MadeBy, "at": next.MadeAt}).Scan(&next.Revision).Error
	if err != nil {
		return next, fmt.Errorf("keep a step of %s %d: %w", now.Kind, now.Subject, err)
	}
	if next.Revision == 0 {
		return next, fmt.Errorf("keep a step of %s %d: there is none", now.Kind, now.Subject)
	}
	if next.Revision%20 == 0 { // now and then is enough
		err = tx.Where("kind = ? AND subject = ? AND revision <= ?", next.Kind, next.Subject, next.Revision-Kept).Delete(&Step{}).Error
	}
	if err != nil {
		return next, fmt.Errorf("let go of early steps of %s %d: %w", next.Kind, next.Subject, err)
	}
	return next, nil
}

// Held is a step that holds, and whether undo and redo lead somewhere from it.
type Held struct {
	Step       `gorm:"embedded"`
	Undo, Redo bool
}

// Hold reads the step of a revision with its ways, in one statement, or gives ErrGone.
func Hold(tx *gorm.DB, kind Kind, subject, revision int64) (Held, error) {
	var h []Held
	err := tx.Raw(`SELECT s.*,
		EXISTS (SELECT FROM draft_steps b WHERE b.kind = s.kind AND b.subject = s.subject AND b.revision = s.back) AS undo,
		EXISTS (SELECT FROM draft_steps f WHERE f.kind = s.kind AND f.subject = s.subject AND f.revision = s.forth) AS redo
		FROM draft_steps s WHERE s.kind = ? AND s.subject = ? AND s.revision = ?`, kind, subject, revision).Scan(&h).Error
	if err != nil {
		return Held{}, fmt.Errorf("read step %d of %s %d: %w", revision, kind, subject, err)
	}
	if len(h) == 0 {
		return Held{}, fmt.Errorf("step %d of %s %d: %w", revision, kind, subject, ErrGone)
	}
	return h[0], nil
}
