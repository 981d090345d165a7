package intake

import (
	"context"
	"fmt"

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
// has text, once its fields are known.
const textSample = 200

// Examine reads geometry, facts, fields and the presence of text. progress may
// be nil.
func Examine(ctx context.Context, engine pdf.Engine, src pdf.Source, progress Progress) (Found, error) {
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return Found{}, err
	}
	var found Found
	for from := 1; from <= cover.Pages; from += span {
		to := min(from+span-1, cover.Pages)
		sheets, err := engine.Sheets(ctx, src, from, to)
		if err != nil {
			return Found{}, fmt.Errorf("measure pages %d to %d: %w", from, to, err)
		}
		found.Sheets = append(found.Sheets, sheets...)
		if progress != nil {
			if err := progress(to, cover.Pages); err != nil {
				return Found{}, err
			}
		}
	}
	if found.Facts, err = engine.Facts(ctx, src); err != nil {
		return Found{}, fmt.Errorf("read the document's facts: %w", err)
	}
	seen := map[string]bool{}
	for from := 1; from <= min(cover.Pages, textSample); from += span {
		fields, text, err := engine.Fields(ctx, src, from, min(from+span-1, cover.Pages))
		if err != nil {
			return Found{}, fmt.Errorf("read the form fields: %w", err)
		}
		found.Text = found.Text || text
		for _, f := range fields {
			if !seen[f.Name] {
				seen[f.Name] = true
				found.Facts.Fields = append(found.Facts.Fields, f)
			}
		}
	}
	return found, nil
}
