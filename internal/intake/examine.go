package intake

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"incipit/internal/core/sheet"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// Found is what examining an edition brings to light. Unread says which parts were too
// much for the engine: they alone are missing.
type Found struct {
	Sheets []sheet.Sheet
	Facts  pdf.Facts
	Text   bool
	Unread library.Unread
}

// Progress is told after each part of an examination: how many of the pages
// are known. An error from it stops the examination.
type Progress func(done, pages int) error

// span is how many pages are examined by one request: small enough that each
// stays well within a worker's deadline.
const span = 50

// textSample is how many pages are looked at, at most, to say whether a file
// without a form has text.
const textSample = 200

// noFacts are those of a file that does not get to say any: what one that is encrypted
// may forbid, it forbids.
func noFacts(cover pdf.Cover) pdf.Facts {
	open := !cover.Encrypted
	return pdf.Facts{Outline: []pdf.Heading{}, Fields: []pdf.Field{}, Encrypted: cover.Encrypted, Permissions: pdf.Permissions{Print: open, Copy: open}}
}

// Examine reads geometry, facts, the fields of every page where there is a
// form, and the presence of text. It has up to abreast parts of the geometry
// read at once. progress may be nil.
func Examine(ctx context.Context, engine pdf.Engine, src pdf.Source, abreast int, progress Progress) (Found, error) {
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return Found{}, err
	}
	var found Found
	if found.Sheets, found.Unread.Sizes, err = measure(ctx, engine, src, cover, abreast, progress); err != nil {
		return Found{}, err
	}
	found.Facts, err = engine.Facts(ctx, src)
	if costs(err) {
		found.Facts, found.Unread.Facts, err = noFacts(cover), true, nil
	}
	if err != nil {
		return Found{}, fmt.Errorf("read the document's facts: %w", err)
	}
	for page, unit := range found.Facts.Units {
		if page <= len(found.Sheets) {
			found.Sheets[page-1] = found.Sheets[page-1].Times(unit)
		}
	}
	seen := map[string]bool{}
	for from := 1; from <= cover.Pages; from += span {
		if !found.Facts.Form && (found.Text || from > textSample) {
			break
		}
		err := spans(pagesFrom(from, min(from+span-1, cover.Pages)), span, func(pages []int) error {
			fields, text, err := engine.Fields(ctx, src, pages[0], pages[len(pages)-1])
			if err != nil {
				return err
			}
			found.Text = found.Text || text
			for _, f := range fields {
				if !seen[f.Name] && len(found.Facts.Fields) < pdf.MostFields {
					seen[f.Name] = true
					found.Facts.Fields = append(found.Facts.Fields, f)
				}
			}
			return nil
		}, func(page int) {
			// Whether it has text comes out when that is read.
			found.Text = true
			if found.Facts.Form {
				found.Unread.Fields = append(found.Unread.Fields, page)
			}
		})
		if err != nil {
			return Found{}, fmt.Errorf("read the form fields: %w", err)
		}
	}
	return found, nil
}

// measure reads the geometry of every page: at once, as most files allow, else
// span by span. A page that is too much for the engine is taken to be like the first one.
func measure(ctx context.Context, engine pdf.Engine, src pdf.Source, cover pdf.Cover, abreast int, progress Progress) (out []sheet.Sheet, guessed []int, err error) {
	pages := cover.Pages
	out = make([]sheet.Sheet, pages)
	first, err := engine.Sheets(ctx, src, 1, pages)
	if err != nil && !costs(err) {
		return nil, nil, fmt.Errorf("measure the pages: %w", err)
	}
	done := copy(out, first)
	if progress != nil {
		if err := progress(done, pages); err != nil {
			return nil, nil, err
		}
	}
	var mu sync.Mutex
	parts, ctx := errgroup.WithContext(ctx)
	parts.SetLimit(abreast)
	for from := done + 1; from <= pages; from += span {
		to := min(from+span-1, pages)
		parts.Go(func() error {
			err := spans(pagesFrom(from, to), span, func(part []int) error {
				sheets, err := engine.Sheets(ctx, src, part[0], part[len(part)-1])
				if err != nil {
					return err
				}
				if len(sheets) < len(part) {
					return fmt.Errorf("%d sheets for %d pages", len(sheets), len(part))
				}
				mu.Lock()
				defer mu.Unlock()
				copy(out[part[0]-1:], sheets[:len(part)])
				return nil
			}, func(page int) {
				mu.Lock()
				defer mu.Unlock()
				out[page-1] = cover.First
				out[page-1].Label = fmt.Sprint(page)
				guessed = append(guessed, page)
			})
			if err != nil {
				return fmt.Errorf("measure pages %d to %d: %w", from, to, err)
			}
			mu.Lock()
			defer mu.Unlock()
			done += to - from + 1
			if progress == nil {
				return nil
			}
			return progress(done, pages)
		})
	}
	err = parts.Wait()
	slices.Sort(guessed)
	return out, guessed, err
}
