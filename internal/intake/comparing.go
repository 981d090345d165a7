package intake

import (
	"bytes"
	"context"
	"fmt"
	"image"
	_ "image/jpeg" // page images are PNG or JPEG
	_ "image/png"
	"sync"

	"golang.org/x/sync/errgroup"

	"incipit/internal/core/compare"
	"incipit/internal/core/find"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// compareWidth is how wide pages are rendered to be compared, px.
const compareWidth = compare.Width

// Texts gives the text of a page of a file; "" where it cannot be read.
type Texts func(ctx context.Context, page int, s sheet.Sheet) (string, error)

// TextsOf reads texts out of the file itself.
func TextsOf(engine pdf.Engine, src pdf.Source) Texts {
	return func(ctx context.Context, page int, s sheet.Sheet) (string, error) {
		layer, err := engine.Layer(ctx, src, page)
		if pdf.KindOf(err) == pdf.Damaged || costs(err) {
			return "", nil // one broken page keeps nobody from comparing the others
		}
		if err != nil {
			return "", err
		}
		return find.Of(textflow.InOrder(textflow.Page{Number: page, Width: s.Width, Height: s.Height, Runs: layer.Runs})).Plain(), nil
	}
}

// texts gives the texts of an edition as they are kept for finding, which saves most of what
// a comparison takes; those that are not kept yet are read in the same way.
func (in *Intake) texts(e library.Edition) Texts {
	src := source(context.Background(), in.Blobs, e)
	return func(ctx context.Context, page int, _ sheet.Sheet) (string, error) {
		plain, there, err := in.Library.PlainText(ctx, e.ID, page)
		if err != nil || there {
			return plain, err
		}
		layer, err := in.Engine.Layer(ctx, src, page)
		if pdf.KindOf(err) == pdf.Damaged || costs(err) {
			return "", nil
		}
		if err != nil {
			return "", err
		}
		return find.Of(textflow.InOrder(FlowPage(e, page, layer))).Plain(), nil
	}
}

// ToCompare reads the pages of a file as they are compared, as far as they can be, with
// so many requests to the engine at once. told, or nil, hears how many are done.
func ToCompare(ctx context.Context, engine pdf.Engine, src pdf.Source, texts Texts, atOnce int, told func(done, all int)) ([]compare.Page, error) {
	pages, err := sizesToCompare(ctx, engine, src)
	if err != nil {
		return nil, err
	}
	return pages, pagesToCompare(ctx, engine, src, texts, 1, pages, atOnce, told)
}

// sizesToCompare reads the sizes of all pages.
func sizesToCompare(ctx context.Context, engine pdf.Engine, src pdf.Source) ([]compare.Page, error) {
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return nil, fmt.Errorf("open the file: %w", err)
	}
	sheets, _, err := measure(ctx, engine, src, cover, 1, nil)
	if err != nil {
		return nil, fmt.Errorf("read the sizes of pages: %w", err)
	}
	pages := make([]compare.Page, cover.Pages)
	for i, s := range sheets {
		pages[i].Sheet = s
	}
	return pages, nil
}

// pagesToCompare reads the pages from one on, whose sizes are known.
func pagesToCompare(ctx context.Context, engine pdf.Engine, src pdf.Source, texts Texts, from int, pages []compare.Page, atOnce int, told func(done, all int)) error {
	var mu sync.Mutex
	done := 0
	all, within := errgroup.WithContext(ctx)
	all.SetLimit(max(atOnce, 1))
	for i := range pages {
		all.Go(func() error {
			read, err := orGone(within, func() (compare.Page, error) {
				page := pages[i]
				err := toCompare(within, engine, src, texts, from+i, &page)
				return page, err
			})
			if err != nil {
				return fmt.Errorf("read page %d: %w", from+i, err)
			}
			pages[i] = read
			if told != nil {
				mu.Lock()
				defer mu.Unlock()
				done++
				told(done, len(pages))
			}
			return nil
		})
	}
	return all.Wait()
}

// toCompare reads one page: what it looks like and its text, one after the other, since a
// worker of the engine has the page open still.
func toCompare(ctx context.Context, engine pdf.Engine, src pdf.Source, texts Texts, page int, into *compare.Page) error {
	picture, err := smallImage(ctx, engine, src, page, compareWidth)
	if err != nil {
		return err
	}
	if picture != nil {
		plain := inRGBA(picture)
		into.Picture, into.Drawn = compare.Small(plain), drawnSum(plain)
	}
	into.Unseen = picture == nil
	plain, err := texts(ctx, page, into.Sheet)
	if err == nil {
		into.Words = compare.WordsOf(plain)
	}
	return err
}

// smallImage renders a page; nil is one that cannot be drawn.
func smallImage(ctx context.Context, engine pdf.Engine, src pdf.Source, page, width int) (image.Image, error) {
	made, err := engine.Image(ctx, src, page, width)
	if pdf.KindOf(err) == pdf.Damaged || costs(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	picture, _, err := image.Decode(bytes.NewReader(made.Bytes))
	if err != nil {
		return nil, fmt.Errorf("read its image: %w", err)
	}
	return picture, nil
}
