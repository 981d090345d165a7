package placing

import (
	"context"
	"fmt"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// Whole is a placement with all that its bench shows of it: its document and the newest
// edition, its draft over house style, and what readers see.
type Whole struct {
	Placement Placement        `gorm:"embedded;embeddedPrefix:p_"`
	Document  library.Document `gorm:"embedded;embeddedPrefix:d_"`
	Edition   library.Edition  `gorm:"embedded;embeddedPrefix:e_"`
	Version   Version          `gorm:"embedded;embeddedPrefix:v_"` // of which Number is 0 where there is none
	Draft     Draft            `gorm:"-"`
	House     House            `gorm:"-"`
}

// Settings are all settings of the draft.
func (w Whole) Settings() (setting.Settings, error) {
	s, err := w.Draft.Patch.Over(w.House.Settings)
	if err != nil {
		return s, fmt.Errorf("draft of placement %d: %w", w.Placement.ID, err)
	}
	return s, nil
}

// wholeRow is a Whole as one statement reads it.
type wholeRow struct {
	Whole
	Step          draft.Step `gorm:"embedded;embeddedPrefix:s_"`
	Undo, Redo    bool
	HouseRevision int64
	HouseSettings setting.Patch `gorm:"serializer:json"`
	HouseBudget   int64
	HouseSites    []proof.Site `gorm:"serializer:json"`
}

// Whole reads one placement with everything, in one statement.
func (s *Placer) Whole(ctx context.Context, id int64) (Whole, error) {
	all, err := s.wholes(ctx, "p.id = ?", id)
	if err == nil && len(all) == 0 {
		err = database.ErrNotFound
	}
	if err != nil {
		return Whole{}, fmt.Errorf("placement %d: %w", id, err)
	}
	return all[0], nil
}

func (s *Placer) wholes(ctx context.Context, where string, of ...any) ([]Whole, error) {
	db := s.db.WithContext(ctx)
	what, err := database.Selected(db, map[string]any{"p": &Placement{}, "d": &library.Document{}, "e": &library.Edition{}, "v": &Version{},
		"s": &draft.Step{}})
	if err != nil {
		return nil, err
	}
	var rows []wholeRow
	err = db.Raw(`SELECT `+what+`,
			EXISTS (SELECT FROM draft_steps b WHERE b.kind = 'placement' AND b.subject = s.subject AND b.revision = s.back) AS undo,
			EXISTS (SELECT FROM draft_steps f WHERE f.kind = 'placement' AND f.subject = s.subject AND f.revision = s.forth) AS redo,
			`+houseColumns+`
		FROM placements p
		JOIN documents d ON d.id = p.document_id
		JOIN editions e ON e.document_id = d.id AND e.number = `+standsIn+`
		JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
		JOIN house_styles h ON h.id = 1
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		WHERE `+where, of...).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read placements: %w", err)
	}
	out := make([]Whole, len(rows))
	for i, r := range rows {
		w := r.Whole
		if w.Draft, err = draftOf(r.Step); err != nil {
			return nil, err
		}
		w.Draft.Undo, w.Draft.Redo = r.Undo, r.Redo
		if w.House, err = r.house(); err != nil {
			return nil, err
		}
		out[i] = w
	}
	return out, nil
}

// houseColumns are those of house style as a wholeRow has them.
const houseColumns = `h.revision AS house_revision, h.settings AS house_settings, h.budget AS house_budget, h.sites AS house_sites`

func (r wholeRow) house() (House, error) {
	h := House{Revision: r.HouseRevision, Terms: proof.Terms{Budget: r.HouseBudget}, Sites: r.HouseSites}
	var err error
	h.Settings, err = r.HouseSettings.Over(setting.Default())
	return h, err
}

// Shown is what readers see of a placement.
type Shown struct {
	Placement Placement        `gorm:"embedded;embeddedPrefix:p_"`
	Document  library.Document `gorm:"embedded;embeddedPrefix:d_"`
	Edition   library.Edition  `gorm:"embedded;embeddedPrefix:e_"`
	Version   Version          `gorm:"embedded;embeddedPrefix:v_"`
}

// ShownByKey reads what readers see of the placement of a public key, in one statement,
// or gives ErrNotFound where they see nothing.
func (s *Placer) ShownByKey(ctx context.Context, key string) (Shown, error) {
	rows, err := s.shown(ctx, "p.key = ?", key)
	if err != nil {
		return Shown{}, err
	}
	if len(rows) == 0 {
		return Shown{}, fmt.Errorf("a published placement: %w", database.ErrNotFound)
	}
	return rows[0], nil
}

// ShownByID is ShownByKey for some placements, by their numbers: those that readers see.
func (s *Placer) ShownByID(ctx context.Context, ids ...int64) (map[int64]Shown, error) {
	out := map[int64]Shown{}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := s.shown(ctx, "p.id IN ?", ids)
	for _, r := range rows {
		out[r.Placement.ID] = r
	}
	return out, err
}

func (s *Placer) shown(ctx context.Context, where string, of any) ([]Shown, error) {
	db := s.db.WithContext(ctx)
	what, err := database.Selected(db, map[string]any{"p": &Placement{}, "d": &library.Document{}, "e": &library.Edition{}, "v": &Version{}})
	if err != nil {
		return nil, err
	}
	var out []Shown
	err = db.Raw(`SELECT `+what+`
		FROM placements p
		JOIN documents d ON d.id = p.document_id
		JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		JOIN editions e ON e.id = v.edition_id
		WHERE `+where, of).Scan(&out).Error
	return out, database.Found(err, "published placements")
}
