package placing

import (
	"context"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/database"
)

// ToFix is a published placement of which something has to be fixed, once a change of house
// style is carried to it.
type ToFix struct {
	ID    int64             `json:"id"`
	Title string            `json:"title"`
	Musts []proof.Elsewhere `json:"musts"`
}

// Asked is what is asked about before a change of house style is carried to what readers see.
type Asked struct {
	First  []ToFix `json:"first"`  // at most mostAsked
	All    int     `json:"all"`    // of those that were looked at
	Looked int     `json:"looked"` // published placements, whether the change reaches them or not
	Of     int     `json:"of"`     // that there are
}

const (
	mostAsked  = 20
	mostLooked = 1000
)

// MustsAfter proofs what readers would see after a change of house style, on the usual
// screens: of the placements that the change reaches, those of which something has to be
// fixed then. It looks at the first mostLooked published placements.
func (s *Placer) MustsAfter(ctx context.Context, change setting.Patch) (Asked, error) {
	out := Asked{First: []ToFix{}}
	house, err := s.House(ctx)
	if err != nil {
		return out, err
	}
	db := s.db.WithContext(ctx)
	if err := db.Raw("SELECT count(*) FROM placements WHERE published IS NOT NULL").Scan(&out.Of).Error; err != nil {
		return out, database.Found(err, "count published placements")
	}
	screens := proof.Usual(house.Sites[0])
	for after := int64(0); out.Looked < mostLooked; {
		var rows []carried
		err := db.Raw(`
			SELECT p.id, s.content->'settings' AS own
			FROM placements p
			JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
			WHERE p.published IS NOT NULL AND p.id > ? ORDER BY p.id LIMIT ?`, after, min(proofedAtOnce, mostLooked-out.Looked)).Scan(&rows).Error
		if err != nil || len(rows) == 0 {
			return out, database.Found(err, "read placements to proof")
		}
		after, out.Looked = rows[len(rows)-1].ID, out.Looked+len(rows)
		ids := make([]int64, len(rows))
		for i, r := range rows {
			ids[i] = r.ID
		}
		shown, err := s.ShownByID(ctx, ids...)
		if err != nil {
			return out, err
		}
		for _, r := range rows {
			p, ok := shown[r.ID]
			if !ok { // it was withdrawn just now
				continue
			}
			next, err := setting.Followed(p.Version.Settings, r.Own, change)
			if err != nil || len(setting.Diff(p.Version.Settings, next)) == 0 {
				continue // what does not bear the change is told when it is carried
			}
			musts := proof.Musts(proof.Look(p.Edition.ProofFacts(), next, house.Terms, screens))
			if len(musts) == 0 {
				continue
			}
			if out.All++; len(out.First) < mostAsked {
				out.First = append(out.First, ToFix{r.ID, p.Document.Title, musts})
			}
		}
	}
	return out, nil
}
