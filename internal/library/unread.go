package library

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
)

// Unread names the parts of an edition that could not be read: each was more than the
// engine may spend on one part, or broken. All else of the edition is sound. Pages count
// from 1, in order.
type Unread struct {
	Sizes  []int `json:"sizes,omitempty"`  // pages that are taken to be like the first
	Facts  bool  `json:"facts,omitempty"`  // contents, labels, what the file says of itself
	Fields []int `json:"fields,omitempty"` // pages whose form fields are not known
	Type   []int `json:"type,omitempty"`   // pages whose type was to be measured
	Text   []int `json:"text,omitempty"`   // pages whose text
}

// Any says whether anything could not be read.
func (u Unread) Any() bool {
	return u.Facts || len(u.Sizes)+len(u.Fields)+len(u.Type)+len(u.Text) > 0
}

// HasText says whether the text of a page could be read, if it has any.
func (u Unread) HasText(page int) bool {
	_, missing := slices.BinarySearch(u.Text, page)
	return !missing
}

// TextlessIf notes that an edition has no text, if each of its pages was read and none has.
func (s *Library) TextlessIf(ctx context.Context, edition int64) error {
	err := s.db.WithContext(ctx).Exec(`UPDATE editions SET has_text = false WHERE id = ? AND has_text AND indexed >= pages
		AND NOT EXISTS (SELECT FROM page_texts WHERE edition_id = editions.id AND plain <> '')`, edition).Error
	if err != nil {
		return fmt.Errorf("note that edition %d has no text: %w", edition, err)
	}
	return nil
}

// KeepUnread keeps which parts of an edition could not be read, of one kind (a member of
// Unread as it is written), in place of what was kept of that kind.
func (s *Library) KeepUnread(ctx context.Context, edition int64, kind string, pages []int) error {
	b, err := json.Marshal(append([]int{}, pages...))
	if err != nil {
		return fmt.Errorf("write down pages: %w", err)
	}
	err = s.db.WithContext(ctx).Exec("UPDATE editions SET unread = unread || jsonb_build_object(?::text, ?::jsonb) WHERE id = ?", kind,
		string(b), edition).Error
	if err != nil {
		return fmt.Errorf("note what could not be read of edition %d: %w", edition, err)
	}
	return nil
}
