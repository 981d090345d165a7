package placing

import (
	"context"
	"fmt"
	"strings"

	"incipit/internal/core/setting"
	"incipit/internal/library"
)

// Chosen counts the placements, and for each setting those whose draft chose it for
// itself: the others follow house style in it.
func (s *Placer) Chosen(ctx context.Context) (placements int, own map[setting.Key]int, err error) {
	var rows []struct {
		Key string
		N   int
	}
	err = s.db.WithContext(ctx).Raw(`
		SELECT '' AS key, count(*) AS n FROM placements
		UNION ALL
		SELECT k, count(*) FROM placements p
		JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
		CROSS JOIN LATERAL jsonb_object_keys(s.content->'settings') k GROUP BY k`).Scan(&rows).Error
	if err != nil {
		return 0, nil, fmt.Errorf("count what placements chose: %w", err)
	}
	own = map[setting.Key]int{}
	for _, r := range rows {
		if r.Key == "" {
			placements = r.N
			continue
		}
		own[setting.Key(r.Key)] = r.N
	}
	return placements, own, nil
}

// Reached is how many placements a change of house style reaches.
type Reached struct {
	Drafts  int // whose draft changes
	Readers int // of which readers would see another version if it were published at once
}

// following writes, for a change of house style, the conditions under which a placement's
// own choices let it through, setting by setting, and their arguments: the rule of
// setting.Followed, where nothing needs to be read to know. own is the SQL of what the
// draft chose. Own colours count in the scheme of that name alone (setting.Canonical).
func following(change setting.Patch, own string) (conditions []string, args map[string]any) {
	args = map[string]any{"colours": string(setting.Colours), "scheme": string(setting.Scheme), "ownScheme": setting.Own}
	for i, k := range change.Keys() {
		key, value := fmt.Sprint("key", i), fmt.Sprint("value", i)
		args[key], args[value] = string(k), string(change[k])
		condition := fmt.Sprintf("NOT jsonb_exists(%s, @%s)", own, key)
		if k == setting.Colours {
			condition += fmt.Sprintf(" AND coalesce(%s->>@scheme, @ownScheme) = @ownScheme", own)
		}
		conditions = append(conditions, "("+condition+")")
	}
	return conditions, args
}

// Reach counts what a change of house style reaches: drafts that do not choose all of it
// for themselves, and what readers see that would be another thing.
func (s *Placer) Reach(ctx context.Context, change setting.Patch) (Reached, error) {
	var r Reached
	if len(change) == 0 {
		return r, nil
	}
	follow, args := following(change, "own")
	differ := make([]string, len(follow))
	for i, k := range change.Keys() {
		differ[i] = fmt.Sprintf("NOT jsonb_exists(own, @key%d) AND seen->@key%d IS DISTINCT FROM CAST(@value%d AS jsonb)", i, i, i)
		if k == setting.Colours {
			scheme := "seen->>@scheme"
			if to, changes := change[setting.Scheme]; changes {
				args["toScheme"] = string(to)
				scheme = "CASE WHEN jsonb_exists(own, @scheme) THEN seen->>@scheme ELSE CAST(@toScheme AS jsonb)#>>'{}' END"
			}
			differ[i] += " AND (" + scheme + ") = @ownScheme"
		}
		differ[i] = "(" + differ[i] + ")"
	}
	err := s.db.WithContext(ctx).Raw(`
		SELECT count(*) FILTER (WHERE `+strings.Join(follow, " OR ")+`) AS drafts,
		       count(*) FILTER (WHERE seen IS NOT NULL AND (`+strings.Join(differ, " OR ")+`)) AS readers
		FROM (SELECT s.content->'settings' AS own, v.settings AS seen
			FROM placements p
			JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
			LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published OFFSET 0) d`, args).Scan(&r).Error
	if err != nil {
		return r, fmt.Errorf("count what a change of house style reaches: %w", err)
	}
	return r, nil
}

// Drafted is a placement with what its draft chose for itself.
type Drafted struct {
	Placement Placement
	Title     string
	Own       setting.Patch
	Edition   library.Edition // what its draft stands in, as far as a proof goes by it
}

// Drafts reads the first placements, by id, whose draft a change of house style reaches.
func (s *Placer) Drafts(ctx context.Context, change setting.Patch, most int) ([]Drafted, error) {
	if len(change) == 0 {
		return nil, nil
	}
	follow, args := following(change, "s.content->'settings'")
	args["most"] = most
	var rows []struct {
		Placement
		Title   string
		Own     setting.Patch `gorm:"serializer:json"`
		Edition int64
	}
	db := s.db.WithContext(ctx)
	err := db.Raw(`
		SELECT p.*, d.title, s.content->'settings' AS own, (SELECT id FROM editions WHERE document_id = d.id AND number = `+standsIn+`) AS edition
		FROM placements p
		JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
		JOIN documents d ON d.id = p.document_id
		WHERE `+strings.Join(follow, " OR ")+`
		ORDER BY p.id LIMIT @most`, args).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read the drafts that a change of house style reaches: %w", err)
	}
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.Edition
	}
	var editions []library.Edition
	if err := db.Where("id IN ?", ids).Find(&editions).Error; err != nil {
		return nil, fmt.Errorf("read the editions: %w", err)
	}
	of := map[int64]library.Edition{}
	for _, e := range editions {
		of[e.ID] = e
	}
	out := make([]Drafted, len(rows))
	for i, r := range rows {
		out[i] = Drafted{r.Placement, r.Title, r.Own, of[r.Edition]}
	}
	return out, nil
}
