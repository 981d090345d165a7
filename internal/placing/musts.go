package placing

import (
	"context"
	"fmt"

	"gorm.io/gorm/clause"

	"incipit/internal/core/proof"
	"incipit/internal/database"
)

// must is what has to be fixed of a placement that readers see.
type must struct {
	PlacementID int64 `gorm:"primaryKey"`
	State       string
	Musts       int
	Said        string
}

// TableName tells GORM the table.
func (must) TableName() string { return "placement_musts" }

// proofedAtOnce is how many placements are proofed in one go.
const proofedAtOnce = 200

// ProofDue proofs placements that readers see on the usual screens, whose version, edition or
// house style is another than when that was done last, and says how many: at most
// proofedAtOnce. Where the type has not been measured, what it is like is not known.
func (s *Placer) ProofDue(ctx context.Context) (int, error) {
	house, err := s.House(ctx)
	if err != nil {
		return 0, err
	}
	var due []must
	err = s.db.WithContext(ctx).Raw(`
		SELECT * FROM (
			SELECT p.id AS placement_id, concat_ws('-', p.published, e.id, e.measured, CAST(@house AS text)) AS state
			FROM placements p
			JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
			JOIN editions e ON e.id = v.edition_id
			WHERE e.state = 'ready') p
		WHERE NOT EXISTS (SELECT FROM placement_musts m WHERE m.placement_id = p.placement_id AND m.state = p.state)
		ORDER BY placement_id LIMIT @most`, map[string]any{"house": fmt.Sprint(house.Revision), "most": proofedAtOnce}).Scan(&due).Error
	if err != nil || len(due) == 0 {
		return 0, database.Found(err, "find placements to proof")
	}
	ids := make([]int64, len(due))
	for i, d := range due {
		ids[i] = d.PlacementID
	}
	shown, err := s.ShownByID(ctx, ids...)
	if err != nil {
		return 0, err
	}
	screens := proof.Usual(house.Sites[0])
	for i := range due {
		if p, ok := shown[due[i].PlacementID]; ok { // else it was withdrawn just now
			views := proof.Look(p.Edition.ProofFacts(), p.Version.Settings, house.Terms, screens)
			due[i].Musts, due[i].Said = proof.Judge(views).Must, proof.FirstMust(views)
		}
	}
	err = s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true, Columns: []clause.Column{{Name: "placement_id"}}}).Create(&due).Error
	if err != nil {
		return 0, fmt.Errorf("keep what has to be fixed: %w", err)
	}
	return len(due), nil
}
