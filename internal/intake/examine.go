package intake

import (
	"context"
	"fmt"
	"sync"

	"golang.org/x/sync/errgroup"

	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// Found is what examining an edition brings to light.
type Found struct {
	Sheets []sheet.Sheet
	Facts  pdf.Facts
	Text   bool
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

// Examine reads geometry, facts, the fields of every page where there is a
// form, and the presence of text. It has up to abreast parts of the geometry
// read at once. progress may be nil.
func Examine(ctx context.Context, engine pdf.Engine, src pdf.Source, abreast int, progress Progress) (Found, error) {
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return Found{}, err
	}
	var found Found
	if found.Sheets, err = measure(ctx, engine, src, cover.Pages, abreast, progress); err != nil {
		return Found{}, err
	}
	if found.Facts, err = engine.Facts(ctx, src); err != nil {
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
		fields, text, err := engine.Fields(ctx, src, from, min(from+span-1, cover.Pages))
		if err != nil {
			return Found{}, fmt.Errorf("read the form fields: %w", err)
		}
		found.Text = found.Text || text
		for _, f := range fields {
			if !seen[f.Name] && len(found.Facts.Fields) < pdf.MostFields {
				seen[f.Name] = true
				found.Facts.Fields = append(found.Facts.Fields, f)
			}
		}
	}
	return found, nil
}

// measure reads the geometry of every page: at once, as most files allow, else
// span by span.
func measure(ctx context.Context, engine pdf.Engine, src pdf.Source, pages, abreast int, progress Progress) ([]sheet.Sheet, error) {
	out := make([]sheet.Sheet, pages)
	first, err := engine.Sheets(ctx, src, 1, pages)
	if err != nil {
		return nil, fmt.Errorf("measure the pages: %w", err)
	}
	done := copy(out, first)
	if progress != nil {
		if err := progress(done, pages); err != nil {
			return nil, err
		}
	}
	var mu sync.Mutex
	parts, ctx := errgroup.WithContext(ctx)
	parts.SetLimit(abreast)
	for from := done + 1; from <= pages; from += span {
		to := min(from+span-1, pages)
		parts.Go(func() error {
			sheets, err := engine.Sheets(ctx, src, from, to)
			if err != nil {
				return fmt.Errorf("measure pages %d to %d: %w", from, to, err)
			}
			mu.Lock()
			defer mu.Unlock()
			copy(out[from-1:to], sheets)
			done += len(sheets)
			if progress == nil {
				return nil
			}
			return progress(done, pages)
		})
	}
	return out, parts.Wait()
}
