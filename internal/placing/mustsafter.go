package placing

import (
	"context"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/library"
)

// ToFix is a placement of which something would have to be fixed, if it were published.
type ToFix struct {
	ID    int64             `json:"id"`
	Title string            `json:"title"`
	Musts []proof.Elsewhere `json:"musts"`
}

// Asked is what is asked about, in one question, before many are published.
type Asked struct {
	First  []ToFix `json:"first"`  // at most mostAsked
	All    int     `json:"all"`    // of those that were looked at
	Looked int     `json:"looked"` // placements, whether they would change or not
	Of     int     `json:"of"`     // that there are
}

// found takes a placement in that stands with what has to be fixed.
func (a *Asked) found(id int64, title string, musts []proof.Elsewhere) {
	if len(musts) == 0 {
		return
	}
	if a.All++; len(a.First) < mostAsked {
		a.First = append(a.First, ToFix{id, title, musts})
	}
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
			out.found(r.ID, p.Document.Title, proof.Musts(proof.Look(p.Edition.ProofFacts(), next, house.Terms, screens)))
		}
	}
	return out, nil
}

// MustsOfDrafts proofs, on the usual screens, what readers would see once all placements of
// some documents are published: of those that would change, what has to be fixed. It looks at
// the first mostLooked placements.
func (s *Placer) MustsOfDrafts(ctx context.Context, documents []int64) (Asked, error) {
	out := Asked{First: []ToFix{}}
	if err := s.db.WithContext(ctx).Raw("SELECT count(*) FROM placements WHERE document_id IN ?", documents).Scan(&out.Of).Error; err != nil {
		return out, database.Found(err, "count placements")
	}
	for after := int64(0); out.Looked < mostLooked; {
		all, err := s.wholes(ctx, "p.document_id IN ? AND p.id > ? ORDER BY p.id LIMIT ?", documents, after, min(proofedAtOnce, mostLooked-out.Looked))
		if err != nil || len(all) == 0 {
			return out, err
		}
		after, out.Looked = all[len(all)-1].Placement.ID, out.Looked+len(all)
		screens := proof.Usual(all[0].House.Sites[0])
		for _, w := range all {
			next, err := w.Settings()
			same := w.Version.Number > 0 && w.Version.EditionID == w.Edition.ID && len(setting.Diff(w.Version.Settings, next)) == 0
			if err != nil || same || w.Edition.State != library.Ready || len(setting.Check(next, w.Edition.Pages)) > 0 {
				continue // it is not published, and that is told
			}
			out.found(w.Placement.ID, w.Document.Title, proof.Musts(proof.Look(w.Edition.ProofFacts(), next, w.House.Terms, screens)))
		}
	}
	return out, nil
}
