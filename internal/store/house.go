package store

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
)

// House is house style: the settings every placement starts from, what it asks
// of placements, and the websites they stand on. There is at least one site.
type House struct {
	Settings setting.Settings
	Terms    proof.Terms
	Sites    []proof.Site
}

// House reads house style: the product's defaults with the house's own choices
// over them.
func (s *Store) House(ctx context.Context) (House, error) {
	return readHouse(s.db.WithContext(ctx))
}

func readHouse(db *gorm.DB) (House, error) {
	var settings, sites []byte
	var h House
	if err := db.Raw("SELECT settings, budget, sites FROM house_styles WHERE id = 1").Row().Scan(&settings, &h.Terms.Budget, &sites); err != nil {
		return h, fmt.Errorf("read house style: %w", err)
	}
	var p setting.Patch
	if err := json.Unmarshal(settings, &p); err != nil {
		return h, fmt.Errorf("read house style: %w", err)
	}
	if err := json.Unmarshal(sites, &h.Sites); err != nil {
		return h, fmt.Errorf("read the sites of house style: %w", err)
	}
	var err error
	h.Settings, err = p.Over(setting.Default())
	return h, err
}

// HouseStyle reads the settings of house style alone.
func (s *Store) HouseStyle(ctx context.Context) (setting.Settings, error) {
	h, err := s.House(ctx)
	return h.Settings, err
}

// SetTerms keeps what the house asks of placements, and its websites.
func (s *Store) SetTerms(ctx context.Context, terms proof.Terms, sites []proof.Site) error {
	text, err := json.Marshal(sites)
	if err != nil {
		return fmt.Errorf("write the sites of house style: %w", err)
	}
	err = s.db.WithContext(ctx).Exec("UPDATE house_styles SET budget = ?, sites = ?, updated_at = now() WHERE id = 1", terms.Budget, string(text)).Error
	return found(err, "keep the terms of house style")
}

// SetHouseStyle keeps the settings of house style: drafts follow. With publish,
// every published placement that follows a changed setting gets a new version,
// which differs from the one before in these settings alone; what else its
// draft has stays unseen. It gives how many were published.
func (s *Store) SetHouseStyle(ctx context.Context, house setting.Settings, publishAs int64, atOnce bool) (int, error) {
	published := 0
	err := s.in(ctx, func(tx *gorm.DB) error {
		before, err := readHouse(tx)
		if err != nil {
			return err
		}
		text, err := json.Marshal(setting.Diff(setting.Default(), house))
		if err != nil {
			return fmt.Errorf("write house style: %w", err)
		}
		if err := tx.Exec("UPDATE house_styles SET settings = ?, updated_at = now() WHERE id = 1", string(text)).Error; err != nil {
			return fmt.Errorf("keep house style: %w", err)
		}
		if !atOnce {
			return nil
		}
		published, err = carry(tx, setting.Diff(before.Settings, house), publishAs)
		return err
	})
	return published, err
}

// carry publishes a change of house style where it is followed.
func carry(tx *gorm.DB, change setting.Patch, by int64) (int, error) {
	var ids []int64
	if err := tx.Model(&Placement{}).Where("published IS NOT NULL").Order("id").Pluck("id", &ids).Error; err != nil {
		return 0, fmt.Errorf("find published placements: %w", err)
	}
	n := 0
	for _, id := range ids {
		p, err := locked(tx, id)
		if err != nil {
			return n, err
		}
		if p.Published == nil {
			continue
		}
		var step placementStep
		if err := tx.First(&step, "placement_id = ? AND step = ?", id, p.Step).Error; err != nil {
			return n, found(err, fmt.Sprintf("draft of placement %d", id))
		}
		var v Version
		if err := tx.First(&v, "placement_id = ? AND number = ?", id, *p.Published).Error; err != nil {
			return n, found(err, fmt.Sprintf("version %d of placement %d", *p.Published, id))
		}
		next, err := setting.Followed(v.Settings, step.Settings, change)
		if err != nil {
			return n, fmt.Errorf("carry house style into placement %d: %w", id, err)
		}
		if len(setting.Diff(v.Settings, next)) == 0 {
			continue
		}
		if err := publish(tx, p, v.EditionID, by, next); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// Drafted is a placement with what its draft chose for itself.
type Drafted struct {
	Placement Placement
	Title     string
	Own       setting.Patch
	Edition   Edition           // the document's newest
	Published *setting.Settings // what readers see, or nil
}

// Drafts reads every placement's draft.
func (s *Store) Drafts(ctx context.Context) ([]Drafted, error) {
	db := s.db.WithContext(ctx)
	var placements []Placement
	if err := db.Order("id").Find(&placements).Error; err != nil {
		return nil, fmt.Errorf("read the placements: %w", err)
	}
	var steps []placementStep
	if err := db.Raw(`SELECT s.* FROM placement_steps s JOIN placements p ON p.id = s.placement_id AND p.step = s.step`).Scan(&steps).Error; err != nil {
		return nil, fmt.Errorf("read the drafts: %w", err)
	}
	own := map[int64]setting.Patch{}
	for _, step := range steps {
		own[step.PlacementID] = step.Settings
	}
	var documents []Document
	if err := db.Find(&documents).Error; err != nil {
		return nil, fmt.Errorf("read the documents: %w", err)
	}
	titles := map[int64]string{}
	for _, d := range documents {
		titles[d.ID] = d.Title
	}
	var editions []Edition
	if err := db.Raw(`SELECT DISTINCT ON (document_id) * FROM editions ORDER BY document_id, number DESC`).Scan(&editions).Error; err != nil {
		return nil, fmt.Errorf("read the editions: %w", err)
	}
	newest := map[int64]Edition{}
	for _, e := range editions {
		newest[e.DocumentID] = e
	}
	var versions []Version
	if err := db.Raw(`SELECT v.* FROM placement_versions v JOIN placements p ON p.id = v.placement_id AND p.published = v.number`).Scan(&versions).Error; err != nil {
		return nil, fmt.Errorf("read what is published: %w", err)
	}
	seen := map[int64]*setting.Settings{}
	for i := range versions {
		seen[versions[i].PlacementID] = &versions[i].Settings
	}
	out := make([]Drafted, len(placements))
	for i, p := range placements {
		out[i] = Drafted{p, titles[p.DocumentID], own[p.ID], newest[p.DocumentID], seen[p.ID]}
	}
	return out, nil
}
