package publishing

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/webpage"
	"incipit/internal/database"
)

// ListedVersion is a version as the history lists it.
type ListedVersion struct {
	Number int
	MadeBy string
	MadeAt time.Time
}

// VersionsBelow lists what was published of a page, the latest first, from below a number;
// 0 is from the first on.
func (s *Publisher) VersionsBelow(ctx context.Context, id, below int64) (database.Page[ListedVersion], error) {
	var out []ListedVersion
	db := s.db.WithContext(ctx)
	err := db.Raw(`SELECT number, made_by, made_at FROM web_page_versions WHERE web_page_id = @id AND (@below = 0 OR number < @below) ORDER BY number DESC LIMIT @most`,
		map[string]any{"id": id, "below": below, "most": database.ListRows + 1}).Scan(&out).Error
	if err != nil {
		return database.Page[ListedVersion]{}, fmt.Errorf("list versions of web page %d: %w", id, err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM web_page_versions WHERE web_page_id = ?", id).Scan(&all).Error; err != nil {
		return database.Page[ListedVersion]{}, fmt.Errorf("count versions of web page %d: %w", id, err)
	}
	return database.Part(out, all, func(v ListedVersion) int64 { return int64(v.Number) }), nil
}

// TurnsBelow lists what readers see of a page from when on, the latest first, from below
// the turn with an id; 0 is from the first on.
func (s *Publisher) TurnsBelow(ctx context.Context, id, below int64) (database.Page[webpage.Turn], error) {
	var out []webpage.Turn
	db := s.db.WithContext(ctx)
	err := db.Raw(`SELECT id, version, due, made_at AS made, made_by AS by FROM web_page_turns t
		WHERE web_page_id = @id AND (@below = 0 OR (due, id) < (SELECT due, id FROM web_page_turns WHERE id = @below)) ORDER BY due DESC, id DESC LIMIT @most`,
		map[string]any{"id": id, "below": below, "most": database.ListRows + 1}).Scan(&out).Error
	if err != nil {
		return database.Page[webpage.Turn]{}, fmt.Errorf("list turns of web page %d: %w", id, err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM web_page_turns WHERE web_page_id = ?", id).Scan(&all).Error; err != nil {
		return database.Page[webpage.Turn]{}, fmt.Errorf("count turns of web page %d: %w", id, err)
	}
	return database.Part(out, all, func(t webpage.Turn) int64 { return t.ID }), nil
}

// WebPageVersionAt reads one version.
func (s *Publisher) WebPageVersionAt(ctx context.Context, id int64, number int) (WebPageVersion, error) {
	var out WebPageVersion
	err := s.db.WithContext(ctx).First(&out, "web_page_id = ? AND number = ?", id, number).Error
	return out, database.Found(err, fmt.Sprintf("version %d of web page %d", number, id))
}

// Turns reads what readers see of a page from when on: the last turns that came, and all
// that are planned.
func (s *Publisher) Turns(ctx context.Context, id int64) ([]webpage.Turn, error) {
	turns, err := turnsOf(s.db.WithContext(ctx), id)
	return turns[id], err
}

// mostTurns is how many turns of a page are read: the last ones that came, and all that
// are planned.
const mostTurns = 500

func turnsOf(db *gorm.DB, ids ...int64) (map[int64][]webpage.Turn, error) {
	out := map[int64][]webpage.Turn{}
	if len(ids) == 0 {
		return out, nil
	}
	var rows []webPageTurn
	err := db.Where("web_page_id IN ?", ids).Order("due DESC, id DESC").Limit(mostTurns * len(ids)).Find(&rows).Error
	for _, r := range rows {
		if len(out[r.WebPageID]) < mostTurns {
			out[r.WebPageID] = append(out[r.WebPageID], webpage.Turn{ID: r.ID, Version: r.Version, Due: r.Due, Made: r.MadeAt, By: r.MadeBy})
		}
	}
	return out, database.Found(err, "turns of web pages")
}
