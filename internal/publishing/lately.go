package publishing

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"incipit/internal/database"
)

const (
	mostLately = 6  // placements that are at hand
	keptLately = 20 // that are remembered of an account: some of them are removed, or chosen already
)

// UsedLately notes that somebody works on placements, or chose them. What was noted a moment
// ago is not written again.
func (s *Publisher) UsedLately(ctx context.Context, account int64, placements ...int64) error {
	if account == 0 || len(placements) == 0 {
		return nil
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		args := map[string]any{"account": account, "ids": placements, "kept": keptLately}
		r := tx.Exec(`
			INSERT INTO used_lately (account_id, placement_id) SELECT @account, id FROM placements WHERE id IN @ids
			ON CONFLICT (account_id, placement_id) DO UPDATE SET used_at = now() WHERE used_lately.used_at < now() - interval '1 minute'`, args)
		if r.Error == nil && r.RowsAffected > 0 {
			r = tx.Exec(`
				DELETE FROM used_lately WHERE account_id = @account AND placement_id NOT IN
					(SELECT placement_id FROM used_lately WHERE account_id = @account ORDER BY used_at DESC, placement_id DESC LIMIT @kept)`, args)
		}
		return database.Found(r.Error, "note what was used")
	})
}

// AtHand offers placements to an account: those that it used lately, but for some, are
// marked and come first.
func (s *Publisher) AtHand(ctx context.Context, account int64, with ...int64) (Offers, error) {
	var lately []int64
	err := s.db.WithContext(ctx).Raw(`
		SELECT u.placement_id FROM used_lately u JOIN placements p ON p.id = u.placement_id
		WHERE u.account_id = ? ORDER BY u.used_at DESC, u.placement_id DESC LIMIT ?`, account, keptLately).Scan(&lately).Error
	if err != nil {
		return Offers{}, fmt.Errorf("read what was used: %w", err)
	}
	lately = slices.DeleteFunc(lately, func(id int64) bool { return slices.Contains(with, id) })
	lately = lately[:min(len(lately), mostLately)]
	o, err := s.OfferedPlacements(ctx, "", slices.Concat(with, lately)...)
	for i := range o.Rows {
		o.Rows[i].Lately = slices.Index(lately, o.Rows[i].ID) + 1
	}
	return o, err
}

// Lately are those that are marked, the one used last first.
func (o Offers) Lately() (out []Offer) {
	for _, r := range o.Rows {
		if r.Lately > 0 {
			out = append(out, r)
		}
	}
	slices.SortFunc(out, func(a, b Offer) int { return a.Lately - b.Lately })
	return out
}

// Others are those that are not.
func (o Offers) Others() []Offer {
	return slices.DeleteFunc(slices.Clone(o.Rows), func(r Offer) bool { return r.Lately > 0 })
}
