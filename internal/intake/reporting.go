package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"slices"
	"strings"
	"sync/atomic"
	"time"
	"unicode"

	"golang.org/x/sync/errgroup"

	"incipit/internal/core/find"
	"incipit/internal/core/legible"
	"incipit/internal/core/overlay"
	"incipit/internal/core/report"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
	"incipit/internal/pdf"
)

const (
	// looksWidth is how wide a page without text is rendered, to see whether it is blank, px.
	looksWidth = 96
	// heard is how many letters of a page its language is told by.
	heard = 1500
)

// ToReport reads a file as it is reported on, with so many requests to the engine at
// once. name is the file's own. Pages that are not read within a time are left out and
// counted.
func ToReport(ctx context.Context, engine pdf.Engine, src pdf.Source, name string, atOnce int, within time.Duration) (report.Document, error) {
	begun := time.Now()
	out := report.Document{FileName: name}
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return out, fmt.Errorf("open the file: %w", err)
	}
	facts, err := engine.Facts(ctx, src)
	if err != nil {
		return out, fmt.Errorf("read what the file says of itself: %w", err)
	}
	out.Title = facts.Title
	if out.Structure, err = engine.Structure(ctx, src); err != nil {
		return out, fmt.Errorf("read the structure: %w", err)
	}
	// A file whose objects cannot be read still says this much.
	out.Structure.Tagged = out.Structure.Tagged || out.Structure.Cut && facts.Tagged
	if out.Structure.Language == "" {
		out.Structure.Language = facts.Language
	}
	out.Pages = make([]report.Page, cover.Pages)
	var late atomic.Int64
	all, ctx := errgroup.WithContext(ctx)
	all.SetLimit(max(atOnce, 1))
	for i := range out.Pages {
		all.Go(func() error {
			if time.Since(begun) > within {
				late.Add(1)
				return nil
			}
			if err := toReport(ctx, engine, src, i+1, out.Structure.Language, &out.Pages[i]); err != nil {
				return fmt.Errorf("read page %d: %w", i+1, err)
			}
			return nil
		})
	}
	err = all.Wait()
	out.Unread = int(late.Load())
	return out, err
}

// toReport reads a page; language is what the document says that it is in.
func toReport(ctx context.Context, engine pdf.Engine, src pdf.Source, page int, language string, into *report.Page) error {
	layer, err := engine.Layer(ctx, src, page)
	if pdf.KindOf(err) == pdf.Damaged {
		return nil // one broken page keeps nobody from hearing of the others
	}
	if err != nil {
		return err
	}
	runs := slices.DeleteFunc(slices.Clone(layer.Runs), func(r overlay.Run) bool { return strings.TrimSpace(r.Text) == "" })
	for _, r := range runs {
		for _, c := range r.Text {
			switch {
			case c == unicode.ReplacementChar:
				into.Letters++
				into.Lost++
			case !unicode.IsSpace(c) && c != overlay.SoftHyphen:
				into.Letters++
			}
		}
	}
	if into.Letters > 0 {
		into.Drawn = true
		// What says that it is in a language of its own says nothing of the document's.
		runs = slices.DeleteFunc(runs, func(r overlay.Run) bool {
			if r.Block < 1 || r.Block > len(layer.Blocks) {
				return false
			}
			own := layer.Blocks[r.Block-1].Language
			return own != "" && language != "" && !textflow.SameLanguage(own, language)
		})
		text := []rune(find.Of(textflow.InOrder(textflow.Page{Number: page, Runs: runs})).Plain())
		into.Text = string(text[:min(len(text), heard)])
		return nil
	}
	picture, err := smallImage(ctx, engine, src, page, looksWidth)
	into.Drawn = err == nil && picture != nil && !blank(picture)
	return err
}

// blank says whether a page is of one colour.
func blank(picture image.Image) bool {
	b := picture.Bounds()
	r0, g0, b0, _ := picture.At(b.Min.X, b.Min.Y).RGBA()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if r, g, b, _ := picture.At(x, y).RGBA(); apart(r, r0) || apart(g, g0) || apart(b, b0) {
				return false
			}
		}
	}
	return true
}

// apart says whether a colour can be told from another, of 65,535.
func apart(a, b uint32) bool { return max(a, b)-min(a, b) > 0x0A00 }

// closeWidth is how wide pages are pictured that are looked at closely, px: a width that
// readers get, sharp on any screen.
const closeWidth = 1600

// usualSheet is how large a sheet is that is looked at whole: A4, in square points.
const usualSheet = 595 * 842

// MostClose is how many pages of a document are looked at closely.
const MostClose = 24

// LookClosely looks at some pages of a document, spread over it, for what everybody has
// trouble with. What is wrong with a page is left to the others to tell.
func LookClosely(ctx context.Context, engine pdf.Engine, src pdf.Source, sheets []sheet.Sheet) (*report.Closely, error) {
	out := &report.Closely{Bytes: src.Size}
	var seen int64
	for _, page := range legible.Sample(len(sheets), MostClose) {
		made, err := engine.Image(ctx, src, page, closeWidth)
		var problem *pdf.Problem
		if errors.As(err, &problem) {
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("picture page %d: %w", page, err)
		}
		seen++
		// Somebody looks at parts of a larger sheet, as large as others are.
		s := sheets[page-1]
		out.Pictured += int64(float64(len(made.Bytes)) * max(1, s.Width*s.Height/usualSheet))
		inks, err := engine.Inks(ctx, src, page)
		if errors.As(err, &problem) {
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("read the colours of page %d: %w", page, err)
		}
		picture, _, err := image.Decode(bytes.NewReader(made.Bytes))
		if err != nil {
			return nil, fmt.Errorf("read the picture of page %d: %w", page, err)
		}
		for _, i := range inks {
			if ratio, ok := i.On(picture, float64(made.Width)/sheets[page-1].Width); ok && report.TooPale(i, ratio) {
				out.Pale = append(out.Pale, report.Pale{Page: page, Ratio: ratio, Needs: i.Needs(), Letters: i.Letters})
			}
		}
	}
	if seen > 0 {
		out.Pictured = out.Pictured * int64(len(sheets)) / seen
	}
	return out, nil
}
