package library

import (
	"context"
	"fmt"
	"time"

	"incipit/internal/core/naming"
	"incipit/internal/database"
)

// Listed is a document as the list shows it.
type Listed struct {
	ID             int64
	Title          string
	CreatedAt      time.Time
	Edition        int
	EditionID      int64
	FileName       string
	Bytes          int64
	Pages          int
	PagesKnown     int
	State          string
	HasText        bool // that is kept here
	Indexed        int  // pages whose text has been read
	Measured       bool
	ProblemMessage string
	Width, Height  float64 // of the first sheet, in points
	Placements     int
	Published      int
	PlacementID    *int64 // the first placement
	FileTitle      string // as the file itself has it
	Newest         int    // the number of the newest edition: above Edition, it waits to be looked at
}

// Reading says what is still being made of the file, or "": its pages are examined,
// then their text is read and their type measured.
func (l Listed) Reading() string {
	switch {
	case l.State == Examining:
		return fmt.Sprintf("Examining page %d of %d", l.PagesKnown, l.Pages)
	case l.State != Ready:
		return ""
	case l.HasText && l.Indexed < l.Pages:
		return fmt.Sprintf("Reading the text: page %d of %d", l.Indexed, l.Pages)
	case !l.Measured:
		return "Measuring its type"
	}
	return ""
}

// OwnTitle is the title that the file carries, where it is a real one and not the
// document's already.
func (l Listed) OwnTitle() string {
	if own := naming.Title(l.FileTitle, l.FileName); own != l.Title {
		return own
	}
	return ""
}

// Documents lists the newest documents whose title holds the words, as far as one part
// of the list goes.
func (s *Library) Documents(ctx context.Context, words string) ([]Listed, error) {
	p, err := s.DocumentsBelow(ctx, words, 0)
	return p.Rows, err
}

// DocumentsBelow lists documents whose title holds the words, the newest first, from
// below the one with an id; 0 is from the newest on.
func (s *Library) DocumentsBelow(ctx context.Context, words string, below int64) (database.Page[Listed], error) {
	var out []Listed
	db := s.db.WithContext(ctx)
	err := db.Raw(`
		SELECT d.id, d.title, d.created_at, e.number AS edition, e.id AS edition_id, e.file_name, e.bytes,
		       e.pages, e.pages_known, e.state, e.problem_message, e.has_text AND NOT e.locked AS has_text, e.indexed, e.measured, coalesce(e.facts->>'title', '') AS file_title,
		       coalesce((e.sheets->0->>'width')::float8, 595) AS width,
		       coalesce((e.sheets->0->>'height')::float8, 842) AS height,
		       p.placements, p.published, p.placement_id, (SELECT max(number) FROM editions WHERE document_id = d.id) AS newest
		FROM (SELECT * FROM documents WHERE (? = 0 OR id < ?) AND (? = '' OR position(lower(?) IN lower(title)) > 0) ORDER BY id DESC LIMIT ?) d
		JOIN editions e ON e.document_id = d.id AND e.number = d.edition
		JOIN LATERAL (SELECT count(*) AS placements, count(published) AS published, min(id) AS placement_id FROM placements WHERE document_id = d.id) p ON true
		ORDER BY d.id DESC`, below, below, words, words, database.ListRows+1).Scan(&out).Error
	if err != nil {
		return database.Page[Listed]{}, fmt.Errorf("list documents: %w", err)
	}
	var all int
	if err := db.Raw(`SELECT count(*) FROM documents WHERE ? = '' OR position(lower(?) IN lower(title)) > 0`, words,
		words).Scan(&all).Error; err != nil {
		return database.Page[Listed]{}, fmt.Errorf("count documents: %w", err)
	}
	return database.Part(out, all, func(l Listed) int64 { return l.ID }), nil
}
