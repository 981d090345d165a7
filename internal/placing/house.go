package placing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
)

// House is house style: the settings every placement starts from, what it asks
// of placements, and the websites they stand on. There is at least one site.
type House struct {
	Revision int64
	Settings setting.Settings
	Terms    proof.Terms
	Sites    []proof.Site
}

// House reads house style: the product's defaults with the house's own choices
// over them.
func (s *Placer) House(ctx context.Context) (House, error) {
	return readHouse(s.db.WithContext(ctx), "")
}

// readHouse reads house style, under a lock for one that changes it or that must not
// have it changed.
func readHouse(db *gorm.DB, lock string) (House, error) {
	var settings, sites []byte
	var h House
	if err := db.Raw("SELECT revision, settings, budget, sites FROM house_styles WHERE id = 1 "+lock).Row().Scan(&h.Revision,
		&settings, &h.Terms.Budget, &sites); err != nil {
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
func (s *Placer) HouseStyle(ctx context.Context) (setting.Settings, error) {
	h, err := s.House(ctx)
	return h.Settings, err
}

// houseContent is house style as a step of its log has it: what differs from the
// product's defaults, setting by setting, so that each can be changed by somebody else;
// and the terms.
type houseContent map[string]json.RawMessage

const ofSetting = "settings." // begins the names of settings among the members

func contentOf(settings setting.Settings, terms proof.Terms, sites []proof.Site) (houseContent, error) {
	out := houseContent{}
	for key, value := range setting.Diff(setting.Default(), settings) {
		out[ofSetting+string(key)] = value
	}
	for name, v := range map[string]any{"budget": terms.Budget, "sites": sites} {
		b, err := json.Marshal(v)
		if err != nil {
			return nil, fmt.Errorf("write house style: %w", err)
		}
		out[name] = b
	}
	return out, nil
}

// read gives the parts of a step's content.
func (c houseContent) read() (h House, err error) {
	p := setting.Patch{}
	for name, value := range c {
		if key, is := strings.CutPrefix(name, ofSetting); is {
			p[setting.Key(key)] = value
		}
	}
	if h.Settings, err = p.Over(setting.Default()); err != nil {
		return h, fmt.Errorf("read house style: %w", err)
	}
	if err := json.Unmarshal(c["budget"], &h.Terms.Budget); err != nil {
		return h, fmt.Errorf("read the budget of house style: %w", err)
	}
	if err := json.Unmarshal(c["sites"], &h.Sites); err != nil {
		return h, fmt.Errorf("read the websites of house style: %w", err)
	}
	return h, nil
}

// SettingOf gives the setting that a member of house style's content is, or "".
func SettingOf(member string) setting.Key {
	key, is := strings.CutPrefix(member, ofSetting)
	if !is {
		return ""
	}
	return setting.Key(key)
}

// ofHouse is the draft of house style.
var ofHouse = draft.Live{Kind: draft.House, Subject: 1,
	Lock: func(tx *gorm.DB) (int64, any, error) {
		h, err := readHouse(tx, "FOR UPDATE")
		if err != nil {
			return 0, nil, err
		}
		content, err := contentOf(h.Settings, h.Terms, h.Sites)
		return h.Revision, content, err
	},
	Keep: func(tx *gorm.DB, revision int64, content json.RawMessage) error {
		h, err := houseOf(content)
		if err != nil {
			return err
		}
		sites, err := json.Marshal(h.Sites)
		if err != nil {
			return fmt.Errorf("write house style: %w", err)
		}
		settings, err := json.Marshal(setting.Diff(setting.Default(), h.Settings))
		if err != nil {
			return fmt.Errorf("write house style: %w", err)
		}
		err = tx.Exec("UPDATE house_styles SET revision = ?, settings = ?, budget = ?, sites = ?, updated_at = now() WHERE id = 1",
			revision, string(settings), h.Terms.Budget, string(sites)).Error
		return database.Found(err, "keep house style")
	}}

// Stands gives setting.Problems or a draft.Refused where house style cannot be so.
func (h House) Stands() error {
	if found := setting.Check(h.Settings, 0); len(found) > 0 {
		return setting.Problems(found)
	}
	return draft.Refuse(proof.CheckTerms(h.Terms, h.Sites))
}

// Thought gives house style with what was thought of it at a revision, on what is in force
// now, whoever changed that; setting.Problems where it cannot be so. Nothing is changed.
func (s *Placer) Thought(ctx context.Context, seen int64, next setting.Settings) (setting.Settings, error) {
	house, err := s.House(ctx)
	if err != nil {
		return next, err
	}
	if house.Revision != seen {
		saw, err := s.houseAt(ctx, house, seen)
		if err != nil {
			return next, err
		}
		if next, err = setting.Diff(saw.Settings, next).Over(house.Settings); err != nil {
			return next, err
		}
	}
	house.Settings = next
	return next, house.Stands()
}

// ChangeSettings keeps the settings of house style as they were made of a revision; its
// terms stay as they were seen. See ChangeHouse.
func (s *Placer) ChangeSettings(ctx context.Context, seen int64, by string, next setting.Settings, atOnce *AtOnce) ([]draft.Made, error) {
	house, err := s.houseSeen(ctx, seen)
	if err != nil {
		return nil, err
	}
	house.Settings = next
	return s.ChangeHouse(ctx, seen, by, house, atOnce)
}

// ChangeTerms keeps what house style asks, and its websites, as they were made of a
// revision; its settings stay as they were seen. See ChangeHouse.
func (s *Placer) ChangeTerms(ctx context.Context, seen int64, by string, terms proof.Terms, sites []proof.Site) ([]draft.Made, error) {
	house, err := s.houseSeen(ctx, seen)
	if err != nil {
		return nil, err
	}
	house.Terms, house.Sites = terms, sites
	return s.ChangeHouse(ctx, seen, by, house, nil)
}

// ChangeHouse keeps house style as it was made of a revision, beside what others changed
// since; a *draft.Clash where they changed the same. What it comes to has to stand. With
// atOnce it is carried to what readers see (see Carry).
func (s *Placer) ChangeHouse(ctx context.Context, seen int64, by string, h House, atOnce *AtOnce) (others []draft.Made, err error) {
	content, err := contentOf(h.Settings, h.Terms, h.Sites)
	if err != nil {
		return nil, err
	}
	var next House
	return ofHouse.Change(ctx, s.db, seen, by, content, func(b json.RawMessage) error {
		if next, err = houseOf(b); err != nil {
			return err
		}
		return next.Stands()
	}, func(tx *gorm.DB, before json.RawMessage) error {
		if atOnce == nil {
			return nil
		}
		was, err := houseOf(before)
		if err != nil {
			return err
		}
		is, err := readHouse(tx, "")
		if err != nil {
			return err
		}
		return s.carryLater(ctx, tx, *atOnce, is.Revision, setting.Diff(was.Settings, next.Settings))
	})
}

// houseSeen gives house style as the maker of a command saw it.
func (s *Placer) houseSeen(ctx context.Context, seen int64) (House, error) {
	now, err := s.House(ctx)
	if err != nil {
		return now, err
	}
	return s.houseAt(ctx, now, seen)
}

// houseAt gives house style as it was at a revision; as it is now where that is not kept
// any more: what is made of it then clashes.
func (s *Placer) houseAt(ctx context.Context, now House, revision int64) (House, error) {
	if now.Revision == revision {
		return now, nil
	}
	step, err := draft.At(s.db.WithContext(ctx), draft.House, 1, revision)
	if errors.Is(err, draft.ErrGone) {
		return now, nil
	}
	if err != nil {
		return now, err
	}
	c, err := draft.Read[houseContent](step)
	if err != nil {
		return now, err
	}
	h, err := c.read()
	h.Revision = revision
	return h, err
}

// houseSince is the *draft.Stale of whoever saw another house style than the one that holds.
func houseSince(tx *gorm.DB, now, seen int64) error {
	step, err := draft.At(tx, draft.House, 1, now)
	if err != nil {
		return err
	}
	return draft.Seen(tx, step, seen, draft.Whole)
}

// MoveHouse goes back (-1) or forward (+1) from what its maker saw, or gives a *draft.Stale.
// Drafts follow; readers see it when a placement is published.
func (s *Placer) MoveHouse(ctx context.Context, seen int64, by string, way int) error {
	return ofHouse.Move(ctx, s.db, seen, by, way)
}

// WaysOfHouse says whether undo and redo lead somewhere from what is in force.
func (s *Placer) WaysOfHouse(ctx context.Context, h House) (undo, redo bool, err error) {
	return ofHouse.Ways(ctx, s.db, h.Revision)
}
