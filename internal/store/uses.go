package store

import (
	"context"
	"slices"
	"strings"
	"time"

	"incipit/internal/core/webpage"
)

// Use is a place that changes when a document goes: one of our web pages, a
// collection, or a page of another website where it was seen.
type Use struct {
	WebPage    int64  // its id, or 0
	Collection int64  // its id, or 0
	Name       string // the title or name of one of ours
	Page       string // the address of another website's page
}

// UsesOf lists where a document is used. Of web pages both count: what readers
// see now, and the draft.
func (s *Store) UsesOf(ctx context.Context, document int64) ([]Use, error) {
	placements, err := s.PlacementsOf(ctx, document)
	if err != nil {
		return nil, err
	}
	uses := []Use{}
	if len(placements) == 0 {
		return uses, nil
	}
	holds := func(p webpage.Page) bool {
		return slices.ContainsFunc(p.Blocks(), func(b webpage.Block) bool {
			return slices.ContainsFunc(placements, func(pl Placement) bool {
				return b.Kind == webpage.Placement && b.Of == pl.ID || strings.Contains(b.Address, "/r/"+pl.Key)
			})
		})
	}
	pages, err := s.WebPages(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range pages {
		draft, err := s.WebPageDraft(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		used := holds(draft.Content)
		turns, err := s.Turns(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		if number := webpage.Holding(turns, time.Now()); number != 0 && !used {
			v, err := s.WebPageVersionAt(ctx, p.ID, number)
			if err != nil {
				return nil, err
			}
			used = holds(v.Content)
		}
		if used {
			uses = append(uses, Use{WebPage: p.ID, Name: draft.Content.Title})
		}
	}
	collections, err := s.Collections(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range collections {
		for _, item := range c.Content.Items {
			if slices.ContainsFunc(placements, func(p Placement) bool { return p.ID == item.Placement }) {
				uses = append(uses, Use{Collection: c.ID, Name: c.Content.Name})
				break
			}
		}
	}
	for _, p := range placements {
		seen, _, err := s.Seen(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		for _, page := range seen {
			if !slices.ContainsFunc(uses, func(u Use) bool { return u.Page == page.Page }) {
				uses = append(uses, Use{Page: page.Page})
			}
		}
	}
	return uses, nil
}
