// Package press makes page images and keeps them.
//
// An image is made when it is first asked for, at one of the widths of the
// ladder, once however many ask, and kept in blob storage under the hash of
// the edition's content: it never goes stale. What nobody waits for any more is
// not made. How many images may wait to be made is bounded by the engine's line;
// whose document or origin has had most is told ErrBusy, at once. What is kept
// is bounded, too: what was seen longest ago goes first. An image that cannot be
// kept is sent all the same.
package press

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"slices"
	"strconv"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"incipit/internal/blob"
	"incipit/internal/core/share"
	"incipit/internal/pdf"
)

// Ladder lists the widths, in pixels, that page images are made at. Each step
// is at most half as wide again: whatever the width on the screen, an image at
// least as wide costs little more than it must.
func Ladder() []int { return []int{160, 240, 360, 540, 800, 1200, 1600, 2400, 3200} }

// ErrBusy is given when too many images wait to be made.
var ErrBusy = errors.New("too many page images are being made; try again in a moment")

// ErrOffLadder is given for a width that is not on the ladder.
var ErrOffLadder = errors.New("page images are not made at this width")

// File is an edition as the press needs it.
type File struct {
	SHA256  string
	BlobKey string
	Bytes   int64
	Units   map[int]float64 // UserUnits of pages
	// Password opens a file that asks for one. What is made of it is kept nowhere.
	Password string
}

// Source gives the engine's view of a file.
func (f File) Source(ctx context.Context, blobs *blob.Store) pdf.Source {
	// Who asked may go away in the midst of a page: its bytes come all the same,
	// or the worker that waits for them would be of no more use.
	ctx = context.WithoutCancel(ctx)
	return pdf.Source{ID: f.SHA256, Size: f.Bytes, Bytes: blobs.Ranges(ctx, f.BlobKey), Units: f.Units, Password: f.Password}
}

// Image is an encoded page image.
type Image struct {
	MediaType string
	ETag      string
	Bytes     []byte
}

// Press makes and keeps page images and the layers over them.
type Press struct {
	engine  pdf.Engine
	blobs   *blob.Store
	shelf   *shelf
	flights flights
	made    atomic.Int64
	trouble atomic.Pointer[trouble]
	chosen  *lru.Cache[string, []byte]
	recent  *lru.Cache[string, Image] // images that were asked for last
}

// What is kept in memory of the images that are on disk: at most 64 MB.
const (
	mostRecent    = 256
	largestRecent = 256 << 10
)

// New makes a press that keeps at most so many bytes of what it makes.
func New(engine pdf.Engine, blobs *blob.Store, most int64) *Press {
	chosen, err := lru.New[string, []byte](mostChosen)
	if err != nil {
		panic(err) // the size is above zero
	}
	recent, err := lru.New[string, Image](mostRecent)
	if err != nil {
		panic(err) // as above
	}
	return &Press{engine: engine, blobs: blobs, shelf: newShelf(blobs, most), chosen: chosen, recent: recent}
}

// Made counts how many images were rendered rather than found.
func (p *Press) Made() int64 { return p.made.Load() }

// Image gives the image of a page at a width of the ladder.
func (p *Press) Image(ctx context.Context, file File, page, width int) (Image, error) {
	if !slices.Contains(Ladder(), width) {
		return Image{}, ErrOffLadder
	}
	key := PagesPrefix + file.SHA256 + "/" + strconv.Itoa(page) + "/" + strconv.Itoa(width)
	if image, known := p.recent.Get(key); known && file.Password == "" {
		p.shelf.seen(key)
		return image, nil
	}
	b, err := p.kept(ctx, file, key, func(ctx context.Context) ([]byte, error) {
		made, err := p.engine.Image(ctx, file.Source(ctx, p.blobs), page, width)
		if err != nil {
			return nil, fmt.Errorf("make the image of page %d: %w", page, err)
		}
		p.made.Add(1)
		return made.Bytes, nil
	})
	if err != nil {
		return Image{}, err
	}
	image := Image{MediaType: http.DetectContentType(b), ETag: fmt.Sprintf("%.16s-%d-%d", file.SHA256, page, width), Bytes: b}
	if len(b) <= largestRecent && file.Password == "" {
		p.recent.Add(key, image)
	}
	return image, nil
}

// mostChosen is how many images of layer choices are kept, in memory: readers may
// choose in more ways than a disk could hold.
const mostChosen = 160

// Chosen gives the image of a page with a choice of layers (see pdf.Source).
func (p *Press) Chosen(ctx context.Context, file File, page, width int, layers string) (Image, error) {
	if !slices.Contains(Ladder(), width) {
		return Image{}, ErrOffLadder
	}
	key := fmt.Sprintf("%s/%d/%d/%s", file.SHA256, page, width, layers)
	b, known := p.chosen.Get(key)
	if !known {
		var err error
		b, err = p.flights.fly(ctx, "chosen/"+key, func(ctx context.Context) ([]byte, error) {
			src := file.Source(ctx, p.blobs)
			src.Layers = layers
			made, err := p.engine.Image(ctx, src, page, width)
			if err == nil {
				p.made.Add(1)
				p.chosen.Add(key, made.Bytes)
			}
			return made.Bytes, busy(err)
		})
		if err != nil {
			return Image{}, fmt.Errorf("make the image of page %d: %w", page, err)
		}
	}
	return Image{MediaType: http.DetectContentType(b), ETag: fmt.Sprintf("%.16s-%d-%d-%s", file.SHA256, page, width, layers), Bytes: b}, nil
}

// Opens says, by its error, whether a file opens with the password it has.
func (p *Press) Opens(ctx context.Context, file File) error {
	_, err := p.engine.Cover(ctx, file.Source(ctx, p.blobs))
	return busy(err)
}

// TileSide is the side of a tile in pixels; those at the right and at the
// bottom are smaller.
const TileSide = 512

// TileLadder lists the widths of whole pages, in pixels, that tiles are parts
// of: they follow on the ladder of page images.
func TileLadder() []int { return []int{4800, 7200, 10800, 16200} }

// mostTiles bounds the height of such a page, in tiles.
const mostTiles = 110

// Tile gives a part of a page that is width pixels wide as a whole; ratio is
// its height by its width. Columns and rows count from 0.
func (p *Press) Tile(ctx context.Context, file File, page int, ratio float64, width, column, row int) (Image, error) {
	t := pdf.Tile{Width: width, Height: int(math.Round(float64(width) * ratio)), X: column * TileSide, Y: row * TileSide}
	t.W, t.H = min(TileSide, t.Width-t.X), min(TileSide, t.Height-t.Y)
	if !slices.Contains(TileLadder(), width) || column < 0 || row < 0 || t.W < 1 || t.H < 1 || row >= mostTiles {
		return Image{}, ErrOffLadder
	}
	b, err := p.kept(ctx, file, fmt.Sprintf("%s%s/%d/%d/%d/%d", TilesPrefix, file.SHA256, page, width, column, row),
		func(ctx context.Context) ([]byte, error) {
			made, err := p.engine.Tile(ctx, file.Source(ctx, p.blobs), page, t)
			if err != nil {
				return nil, fmt.Errorf("make a tile of page %d: %w", page, err)
			}
			p.made.Add(1)
			return made.Bytes, nil
		})
	if err != nil {
		return Image{}, err
	}
	return Image{MediaType: http.DetectContentType(b), ETag: fmt.Sprintf("%.16s-%d-%d-%d-%d", file.SHA256, page, width, column, row),
		Bytes: b}, nil
}

// Extract gives one page as a PDF of its own, the same bytes each time. It is not kept:
// few ask.
func (p *Press) Extract(ctx context.Context, file File, page int) ([]byte, error) {
	b, err := p.engine.Extract(ctx, file.Source(ctx, p.blobs), page)
	return named(b, file, page), busy(err)
}

// Attachment gives the content of a file inside the file.
func (p *Press) Attachment(ctx context.Context, file File, number int) ([]byte, error) {
	b, err := p.engine.Attachment(ctx, file.Source(ctx, p.blobs), number)
	return b, busy(err)
}

// Destination finds a place by its name.
func (p *Press) Destination(ctx context.Context, file File, name string) (pdf.Destination, error) {
	d, err := p.engine.Destination(ctx, file.Source(ctx, p.blobs), name)
	return d, busy(err)
}

// busy says it in the press's own words where the engine's line was full, or the
// engine is not to be had for a moment.
func busy(err error) error {
	if errors.Is(err, share.ErrFull) || errors.Is(err, pdf.ErrAway) {
		return fmt.Errorf("%w: %w", ErrBusy, err)
	}
	return err
}

// Layer gives the text and links of a page.
func (p *Press) Layer(ctx context.Context, file File, page int) (pdf.Layer, error) {
	key := fmt.Sprintf("%s%s/%d", LayersPrefix, file.SHA256, page)
	b, err := p.kept(ctx, file, key, func(ctx context.Context) ([]byte, error) {
		layer, err := p.engine.Layer(ctx, file.Source(ctx, p.blobs), page)
		if err != nil {
			return nil, fmt.Errorf("read the text of page %d: %w", page, err)
		}
		return json.Marshal(layer)
	})
	if err != nil {
		return pdf.Layer{}, err
	}
	var layer pdf.Layer
	if err := json.Unmarshal(b, &layer); err != nil {
		return pdf.Layer{}, fmt.Errorf("read the kept text of page %d: %w", page, err)
	}
	return layer, nil
}

// The keys below which the press keeps what it makes; an edition's hash
// follows.
const (
	PagesPrefix  = "pages/"
	TilesPrefix  = "tiles/"
	LayersPrefix = "layers-4/" // 4: with letters by the names of their glyphs, and with figures
)

// RetiredPrefixes are where former versions kept what is made anew since.
func RetiredPrefixes() []string { return []string{"layers/", "layers-2/"} }

// kept gives the bytes under a key, making and keeping them if need be. Of a file
// that was opened with a password nothing is kept, nor shared.
func (p *Press) kept(ctx context.Context, file File, key string, make func(context.Context) ([]byte, error)) ([]byte, error) {
	if file.Password != "" {
		b, err := make(ctx)
		return b, busy(err)
	}
	b, err := p.blobs.Read(ctx, key)
	if err == nil && len(b) > 0 {
		p.shelf.seen(key)
		return b, nil
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if blob.Away(err) { // the file itself could not be had either
		return nil, err
	}
	if err != nil && !errors.Is(err, blob.ErrNotFound) {
		slog.WarnContext(ctx, "a page image that may be kept cannot be read, and is made anew", "error", err)
	}
	return p.flights.fly(ctx, key, func(ctx context.Context) ([]byte, error) {
		// Another flight may have landed between our look and this one's start.
		if b, err := p.blobs.Read(ctx, key); err == nil && len(b) > 0 {
			return b, nil
		}
		b, err := make(ctx)
		if err != nil {
			return nil, busy(err)
		}
		p.noted(p.shelf.keep(context.WithoutCancel(ctx), key, b))
		return b, nil
	})
}

// trouble is what hinders the keeping of images.
type trouble struct {
	err error
	at  time.Time
}

// Rest waits until what is being made has been kept, but not for ever.
func (p *Press) Rest(within time.Duration) {
	done := make(chan struct{})
	go func() {
		p.flights.under.Wait()
		close(done)
	}()
	select {
	case <-done:
	case <-time.After(within):
	}
}

// noted remembers what became of keeping an image.
func (p *Press) noted(err error) {
	if err != nil && p.blobs.Closed() {
		return // nobody looks for it any more
	}
	if err == nil {
		if p.trouble.Load() != nil {
			p.trouble.Store(nil)
		}
		return
	}
	if p.trouble.Swap(&trouble{err, time.Now()}) == nil {
		slog.Warn("page images cannot be kept, and are made each time", "error", err)
	}
}

// troubled is how long the trouble with one image is told; the next one renews it.
const troubled = 10 * time.Minute

// Trouble gives why page images cannot be kept, while that is so.
func (p *Press) Trouble() error {
	if t := p.trouble.Load(); t != nil && time.Since(t.at) < troubled {
		return t.err
	}
	return nil
}

// Survey counts what is kept, so that it stays within its bound: at the start,
// and now and then for what other servers keep.
func (p *Press) Survey(ctx context.Context) error { return p.shelf.survey(ctx) }

// Kept says how many bytes of images and layers are kept, as far as is known.
func (p *Press) Kept() int64 { return p.shelf.size() }
