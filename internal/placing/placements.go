package placing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/merge"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// Placement is a document set on web pages. Step is the revision of its draft
// that holds; Published is the version readers see, or nil.
type Placement struct {
	ID         int64
	Key        string
	DocumentID int64
	Step       int64
	Published  *int
	// Record is the integrator's own name for what it is attached to, or nil.
	Record    *string
	CreatedAt time.Time
	UpdatedAt time.Time
	// StaysAt is the number of the edition it stays at, or 0: it follows what is in force.
	StaysAt int
}

// Start is what a draft begins with: a starter, and what its settings differ
// from house style in.
type Start struct {
	Starter, Reason string
	Patch           setting.Patch
}

// Draft is a placement's draft: what differs from house style, and whether
// there is a step to go back or forward to.
type Draft struct {
	Patch      setting.Patch
	Revision   int64
	Undo, Redo bool
	// Starter names the set of settings it was last begun with, Reason says why.
	Starter, Reason string
	By              string // who made the step
	At              time.Time
}

// placed is a step of a placement's draft, as it is kept.
type placed struct {
	Settings setting.Patch `json:"settings"`
	Starter  string        `json:"starter"`
	Reason   string        `json:"reason"`
}

func draftOf(step draft.Step) (Draft, error) {
	p, err := draft.Read[placed](step)
	if p.Settings == nil {
		p.Settings = setting.Patch{}
	}
	return Draft{Patch: p.Settings, Revision: step.Revision, Starter: p.Starter, Reason: p.Reason, By: step.MadeBy, At: step.MadeAt}, err
}

// Version is what readers see: all settings, and the edition.
type Version struct {
	PlacementID int64
	Number      int
	Settings    setting.Settings `gorm:"serializer:json"`
	EditionID   int64
	PublishedBy *int64
	PublishedAt time.Time
	House       int64 // the revision of house style that it was published over
}

// TableName tells GORM the table.
func (Version) TableName() string { return "placement_versions" }

// ErrStale is given when a draft was changed elsewhere meanwhile.
var ErrStale = draft.ErrStale

// Place sets a document: a new placement whose draft is house style with a
// start over it.
func (s *Placer) Place(ctx context.Context, document int64, start Start) (Placement, error) {
	key, err := database.NewKey()
	if err != nil {
		return Placement{}, err
	}
	p := Placement{Key: key, DocumentID: document}
	if start.Patch == nil {
		start.Patch = setting.Patch{}
	}
	err = s.db.In(ctx, func(tx *gorm.DB) error { return place(tx, &p, start) })
	return p, err
}

func place(tx *gorm.DB, p *Placement, start Start) error {
	if err := tx.Create(p).Error; err != nil {
		return fmt.Errorf("add placement: %w", err)
	}
	_, err := draft.Begin(tx, draft.Placement, p.ID, 0, "", placed{start.Patch, start.Starter, start.Reason})
	return err
}

// Placement reads one placement.
func (s *Placer) Placement(ctx context.Context, id int64) (Placement, error) {
	var p Placement
	err := s.db.WithContext(ctx).First(&p, id).Error
	return p, database.Found(err, fmt.Sprintf("placement %d", id))
}

// PlacementByKey reads one placement by its public key.
func (s *Placer) PlacementByKey(ctx context.Context, key string) (Placement, error) {
	var p Placement
	err := s.db.WithContext(ctx).Where("key = ?", key).First(&p).Error
	return p, database.Found(err, "placement")
}

// PlacementsOf lists a document's placements, the oldest first.
func (s *Placer) PlacementsOf(ctx context.Context, document int64) ([]Placement, error) {
	var out []Placement
	err := s.db.WithContext(ctx).Where("document_id = ?", document).Order("id").Find(&out).Error
	return out, database.Found(err, fmt.Sprintf("placements of document %d", document))
}

// Draft reads a placement's draft.
func (s *Placer) Draft(ctx context.Context, p Placement) (Draft, error) {
	held, err := draft.Hold(s.db.WithContext(ctx), draft.Placement, p.ID, p.Step)
	if err != nil {
		return Draft{}, err
	}
	d, err := draftOf(held.Step)
	d.Undo, d.Redo = held.Undo, held.Redo
	return d, err
}

// locked reads a placement for change within tx.
func locked(tx *gorm.DB, id int64) (Placement, error) {
	var p Placement
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&p, id).Error
	return p, database.Found(err, fmt.Sprintf("placement %d", id))
}

// Below is a draft over house style.
type Below struct {
	Draft
	House House
}

// settingsOf reads what of a placement's step is changed member by member.
func settingsOf(content json.RawMessage) (merge.Members, error) {
	var p placed
	if err := json.Unmarshal(content, &p); err != nil {
		return nil, fmt.Errorf("read a draft: %w", err)
	}
	return membersOf(p.Settings), nil
}

func membersOf(p setting.Patch) merge.Members {
	out := merge.Members{}
	for key, value := range p {
		out[string(key)] = value
	}
	return out
}

// Made is what a change makes of a draft: all its settings, and what it begins with where
// that is another one, or nil.
type Made struct {
	Settings setting.Settings
	Start    *Start
}

// ChangeDraft has change make settings out of those that its maker saw, brings what comes
// of it into the draft that holds, in one transaction, and gives the draft with house
// style, and what others made meanwhile beside it; a *draft.Clash where they changed the
// same, setting.Problems where it cannot stand in a document of some pages. Nothing is
// changed then. Where nothing differs from what was seen, no step is made.
func (s *Placer) ChangeDraft(ctx context.Context, id, seen int64, by string, pages int,
	change func(seen, house setting.Settings) (Made, error)) (is Below, others []draft.Made, err error) {
	err = s.onDraft(ctx, id, func(tx *gorm.DB, house House, now draft.Step) (draft.Step, error) {
		holds, err := draftOf(now)
		if err != nil {
			return now, err
		}
		saw := holds
		if seen != now.Revision {
			step, err := draft.At(tx, draft.Placement, id, seen)
			if err == nil {
				saw, err = draftOf(step)
			}
			if err != nil && !errors.Is(err, draft.ErrGone) { // which Bring answers
				return now, err
			}
		}
		shown, err := saw.Patch.Over(house.Settings)
		if err != nil {
			return now, fmt.Errorf("draft of placement %d: %w", id, err)
		}
		wanted, err := change(shown, house.Settings)
		if err != nil {
			return now, err
		}
		same := func() (draft.Step, error) {
			held, err := draft.Hold(tx, draft.Placement, id, now.Revision)
			holds.Undo, holds.Redo = held.Undo, held.Redo
			is = Below{holds, house}
			return now, err
		}
		if len(setting.Diff(shown, wanted.Settings)) == 0 {
			return same()
		}
		mine := setting.Rechosen(saw.Patch, house.Settings, shown, wanted.Settings)
		merged, made, err := draft.Bring(tx, now, seen, settingsOf, membersOf(mine))
		if err != nil {
			return now, err
		}
		others = made
		next := placed{setting.Patch{}, holds.Starter, holds.Reason}
		for name, value := range merged {
			next.Settings[setting.Key(name)] = value
		}
		if wanted.Start != nil {
			next.Starter, next.Reason = wanted.Start.Starter, wanted.Start.Reason
		}
		if err := standing(next.Settings, house, pages); err != nil {
			return now, err
		}
		if wanted.Start == nil && len(merge.Changed(membersOf(holds.Patch), merged)) == 0 {
			return same() // others made just that
		}
		step, err := draft.Next(tx, now, by, next)
		is = Below{Draft{Patch: next.Settings, Revision: step.Revision, Undo: true, Starter: next.Starter, Reason: next.Reason,
			By: step.MadeBy, At: step.MadeAt}, house}
		return step, err
	})
	return is, others, err
}

// standing gives setting.Problems where settings cannot stand.
func standing(p setting.Patch, house House, pages int) error {
	s, err := p.Over(house.Settings)
	if err != nil {
		return err
	}
	if found := setting.Check(s, pages); len(found) > 0 {
		return setting.Problems(found)
	}
	return nil
}

// standingDraft locks a placement and gives it with the step of its draft that holds, and house
// style, which stays as it is until the transaction ends. Whoever needs both locks takes
// the placement's first, here.
func standingDraft(tx *gorm.DB, id int64) (Placement, draft.Step, House, error) {
	p, err := locked(tx, id)
	if err != nil {
		return p, draft.Step{}, House{}, err
	}
	what, err := database.Selected(tx, map[string]any{"s": &draft.Step{}})
	if err != nil {
		return p, draft.Step{}, House{}, err
	}
	var r wholeRow
	err = tx.Raw(`SELECT `+what+`, `+houseColumns+` FROM draft_steps s, house_styles h
		WHERE s.kind = 'placement' AND s.subject = ? AND s.revision = ? AND h.id = 1 FOR SHARE OF h`, id, p.Step).Take(&r).Error
	if err != nil {
		return p, draft.Step{}, House{}, database.Found(err, fmt.Sprintf("draft of placement %d", id))
	}
	house, err := r.house()
	return p, r.Step, house, err
}

// inHand is a placement that is locked, with the step of its draft that holds, and all of
// its settings.
type inHand struct {
	Placement
	step     draft.Step
	house    House
	draft    Draft
	settings setting.Settings
}

func take(tx *gorm.DB, id int64) (h inHand, err error) {
	if h.Placement, h.step, h.house, err = standingDraft(tx, id); err != nil {
		return h, err
	}
	if h.draft, err = draftOf(h.step); err != nil {
		return h, err
	}
	if h.settings, err = h.draft.Patch.Over(h.house.Settings); err != nil {
		err = fmt.Errorf("draft of placement %d: %w", id, err)
	}
	return h, err
}

// onDraft adds a step to a placement's draft, over house style as it is.
func (s *Placer) onDraft(ctx context.Context, id int64, add func(tx *gorm.DB, house House, now draft.Step) (draft.Step, error)) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		_, now, house, err := standingDraft(tx, id)
		if err != nil {
			return err
		}
		_, err = add(tx, house, now)
		return err
	})
}

// Redraft keeps settings as the next step of the draft, if a revision is still the one
// that holds. What the draft was begun with stays.
func (s *Placer) Redraft(ctx context.Context, id, revision int64, patch setting.Patch) error {
	return s.onDraft(ctx, id, func(tx *gorm.DB, _ House, now draft.Step) (draft.Step, error) {
		if err := draft.Seen(tx, now, revision, settingsOf); err != nil {
			return now, err
		}
		d, err := draftOf(now)
		if err != nil {
			return now, err
		}
		return draft.Next(tx, now, "", placed{patch, d.Starter, d.Reason})
	})
}

// Move goes one step back (-1) or forward (+1) in a draft that stands where its maker
// saw it, or gives a *draft.Stale. Where there is no such step it stays.
func (s *Placer) Move(ctx context.Context, id, revision int64, by string, way int) error {
	err := s.onDraft(ctx, id, func(tx *gorm.DB, _ House, now draft.Step) (draft.Step, error) {
		if err := draft.Seen(tx, now, revision, settingsOf); err != nil {
			return now, err
		}
		return draft.Move(tx, now, by, way)
	})
	if errors.Is(err, draft.ErrNothing) {
		return nil
	}
	return err
}

// Seen is what the maker of a command had on screen: the revisions of a placement's
// draft and of house style.
type Seen struct {
	Revision int64 `json:"revision"`
	House    int64 `json:"house"`
}

// PublishDraft makes a draft the version readers see, as its maker saw it, or gives a
// *draft.Stale, of the draft or of house style; setting.Problems where it cannot stand in
// the edition that is in force, and draft.Refused where that cannot be read.
func (s *Placer) PublishDraft(ctx context.Context, id int64, seen Seen, by int64) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		p, step, house, err := standingDraft(tx, id)
		if err != nil {
			return err
		}
		if err := draft.Seen(tx, step, seen.Revision, settingsOf); err != nil {
			return err
		}
		if house.Revision != seen.House {
			return houseSince(tx, house.Revision, seen.House)
		}
		d, err := draftOf(step)
		if err != nil {
			return err
		}
		e, err := inForce(tx, p)
		if err != nil {
			return err
		}
		if err := standing(d.Patch, house, e.Pages); err != nil {
			return err
		}
		settings, err := d.Patch.Over(house.Settings)
		if err != nil {
			return fmt.Errorf("draft of placement %d: %w", id, err)
		}
		return publish(tx, p, e.ID, by, settings, house.Revision)
	})
}

// usable is as much of an edition as publishing goes by.
type usable struct {
	ID, DocumentID int64
	Number, Pages  int
	State          string
	ProblemMessage string
}

// inForce reads the edition that the draft of a placement stands in, or gives draft.Refused
// where it cannot be read.
func inForce(tx *gorm.DB, p Placement) (usable, error) {
	var e usable
	err := tx.Raw(`SELECT e.id, e.document_id, e.number, e.pages, e.state, e.problem_message FROM documents d
		JOIN editions e ON e.document_id = d.id AND e.number = coalesce(nullif(?, 0), d.edition) WHERE d.id = ?`, p.StaysAt, p.DocumentID).Take(&e).Error
	if err == nil && e.State == library.Failed {
		return e, draft.Refused("The file cannot be read, so there is nothing to publish: " + e.ProblemMessage)
	}
	return e, database.Found(err, fmt.Sprintf("the edition of document %d that is in force", p.DocumentID))
}

// Publish makes settings and edition the version readers see.
func (s *Placer) Publish(ctx context.Context, id, edition, by int64, settings setting.Settings) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		return publish(tx, p, edition, by, settings, 0)
	})
}

// publish makes the next version of a locked placement.
func publish(tx *gorm.DB, p Placement, edition, by int64, settings setting.Settings, house int64) error {
	var last int
	if err := tx.Model(&Version{}).Where("placement_id = ?", p.ID).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
		return fmt.Errorf("count versions: %w", err)
	}
	v := Version{PlacementID: p.ID, Number: last + 1, Settings: settings, EditionID: edition, PublishedAt: time.Now().UTC(), House: house}
	if by != 0 {
		v.PublishedBy = &by
	}
	if err := tx.Create(&v).Error; err != nil {
		return fmt.Errorf("keep the version: %w", err)
	}
	return tx.Model(&p).Updates(map[string]any{"published": v.Number}).Error
}

// Withdraw takes a placement from its readers where the version that they see is the one
// that its maker saw, or gives ErrStale; publishing brings it back.
func (s *Placer) Withdraw(ctx context.Context, id int64, version int) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		if p.Published != nil && *p.Published != version {
			return ErrStale
		}
		return tx.Model(&p).Updates(map[string]any{"published": nil}).Error
	})
}

// WasPublished says whether readers ever saw a placement.
func (s *Placer) WasPublished(ctx context.Context, id int64) (bool, error) {
	var versions int64
	err := s.db.WithContext(ctx).Model(&Version{}).Where("placement_id = ?", id).Count(&versions).Error
	return versions > 0, err
}

// PublishedVersion reads what readers see of a placement, or ErrNotFound.
func (s *Placer) PublishedVersion(ctx context.Context, p Placement) (Version, error) {
	if p.Published == nil {
		return Version{}, fmt.Errorf("placement %d is not published: %w", p.ID, database.ErrNotFound)
	}
	var v Version
	err := s.db.WithContext(ctx).First(&v, "placement_id = ? AND number = ?", p.ID, *p.Published).Error
	return v, database.Found(err, fmt.Sprintf("version %d of placement %d", *p.Published, p.ID))
}

// DraftSettings reads all settings of a placement's draft, house style
// included.
func (s *Placer) DraftSettings(ctx context.Context, p Placement) (setting.Settings, error) {
	house, err := s.HouseStyle(ctx)
	if err != nil {
		return setting.Settings{}, err
	}
	d, err := s.Draft(ctx, p)
	if err != nil {
		return setting.Settings{}, err
	}
	settings, err := d.Patch.Over(house)
	if err != nil {
		return setting.Settings{}, fmt.Errorf("draft of placement %d: %w", p.ID, err)
	}
	return settings, nil
}
