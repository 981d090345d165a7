package store

import (
	"context"
	"fmt"
	"time"

	"incipit/internal/core/naming"
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

// Documents lists documents whose title holds the words, the newest first.
func (s *Store) Documents(ctx context.Context, words string) ([]Listed, error) {
	var out []Listed
	err := s.db.WithContext(ctx).Raw(`
		SELECT d.id, d.title, d.created_at, e.number AS edition, e.id AS edition_id, e.file_name, e.bytes,
		       e.pages, e.pages_known, e.state, e.problem_message, e.has_text AND NOT e.locked AS has_text, e.indexed, e.measured, coalesce(e.facts->>'title', '') AS file_title,
		       coalesce((e.sheets->0->>'width')::float8, 595) AS width,
		       coalesce((e.sheets->0->>'height')::float8, 842) AS height,
		       count(p.id) AS placements, count(p.published) AS published, min(p.id) AS placement_id
		FROM documents d
		JOIN LATERAL (SELECT * FROM editions WHERE document_id = d.id ORDER BY number DESC LIMIT 1) e ON true
		LEFT JOIN placements p ON p.document_id = d.id
		WHERE ? = '' OR position(lower(?) IN lower(d.title)) > 0
		GROUP BY d.id, d.title, d.created_at, e.number, e.id, e.file_name, e.bytes, e.pages, e.pages_known,
		         e.state, e.problem_message, e.has_text, e.locked, e.indexed, e.measured, e.sheets, e.facts->>'title'
		ORDER BY d.id DESC LIMIT 500`, words, words).Scan(&out).Error
	if err != nil {
		return nil, fmt.Errorf("list documents: %w", err)
	}
	return out, nil
}

// ListedPlacement is a placement as the list shows it.
type ListedPlacement struct {
	ID          int64
	Key         string
	Title       string
	Pages       int
	Published   *int
	PublishedAt *time.Time
	UpdatedAt   time.Time
}

// Placements lists every placement, the one changed last first.
func (s *Store) Placements(ctx context.Context) ([]ListedPlacement, error) {
	var out []ListedPlacement
	err := s.db.WithContext(ctx).Raw(`
		SELECT p.id, p.key, d.title, e.pages, p.published, v.published_at, p.updated_at
		FROM placements p
		JOIN documents d ON d.id = p.document_id
		JOIN LATERAL (SELECT pages FROM editions WHERE document_id = d.id ORDER BY number DESC LIMIT 1) e ON true
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		ORDER BY p.updated_at DESC, p.id DESC LIMIT 500`).Scan(&out).Error
	if err != nil {
		return nil, fmt.Errorf("list placements: %w", err)
	}
	return out, nil
}
