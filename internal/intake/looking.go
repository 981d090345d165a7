package intake

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/gob"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"log/slog"
	"math"
	"time"

	"golang.org/x/sync/semaphore"

	"incipit/internal/blob"
	"incipit/internal/core/compare"
	"incipit/internal/core/compare/fine"
	"incipit/internal/core/find"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

const (
	// lookWork is what laying two images over each other takes of a processor, a megapixel:
	// counted against the budget, since the time that goes by says more of the machine.
	lookWork = 600 * time.Millisecond
	// looksAtOnce is how many pairs of pages this process lays over each other at once: some
	// 100 MB each. They take turns by page, so no comparison waits for another one's end.
	looksAtOnce = 1
	// keptLooks is after how many pairs what was found is kept.
	keptLooks = 10
	// mostMarked is how many pages get marks at their words, and mostMarks how many a page has.
	mostMarked = 300
	mostMarks  = 200
)

var looks = semaphore.NewWeighted(looksAtOnce)

// drawnSum is a sum of an image's pixels; never 0.
func drawnSum(m *image.RGBA) uint64 {
	h := sha256.New()
	_, _ = fmt.Fprintf(h, "%v", m.Rect.Size())
	_, _ = h.Write(m.Pix)
	return max(binary.BigEndian.Uint64(h.Sum(nil)), 1)
}

// inRGBA gives an image in its plain form, which all that is measured of it is quickest on.
func inRGBA(m image.Image) *image.RGBA {
	out, is := m.(*image.RGBA)
	if !is || out.Rect.Min != (image.Point{}) || out.Stride != 4*out.Rect.Dx() {
		out = image.NewRGBA(image.Rect(0, 0, m.Bounds().Dx(), m.Bounds().Dy()))
		draw.Draw(out, out.Bounds(), m, m.Bounds().Min, draw.Src)
	}
	return out
}

// Sight draws a page of one of two editions that are compared.
type Sight struct {
	Engine pdf.Engine
	Source [2]pdf.Source
	Sheets [2][]compare.Page
}

// Look lays the two pages of a pair over each other; ok is false where one of them cannot be
// drawn so finely.
func (s Sight) Look(ctx context.Context, p compare.Pair) (r fine.Result, ok bool, err error) {
	a := s.Sheets[0][p.Old-1].Sheet
	b := s.Sheets[1][p.New-1].Sheet
	dpi := float64(fine.DPI)
	if area := max(a.Width*a.Height, b.Width*b.Height) / 72 / 72; area*dpi*dpi > fine.MostPixels {
		dpi = math.Sqrt(fine.MostPixels / area)
	}
	if err := looks.Acquire(ctx, 1); err != nil {
		return r, false, err
	}
	return orTwo(ctx, func() (fine.Result, bool, error) {
		defer looks.Release(1) // what cannot be stopped has its place until it ends
		var images [2]image.Image
		for i, at := range []struct {
			page  int
			sheet sheet.Sheet
		}{{p.Old, a}, {p.New, b}} {
			width := max(int(math.Round(at.sheet.Width*dpi/72)), 1)
			if images[i], err = smallImage(ctx, s.Engine, s.Source[i], at.page, width); err != nil || images[i] == nil {
				return r, false, err
			}
			if got := images[i].Bounds().Dx(); got != width {
				return r, false, nil // the engine draws no page so large: it is left as it is told
			}
		}
		size := images[0].Bounds().Size()
		pdf.Worked(ctx, time.Duration(float64(lookWork)*float64(size.X*size.Y)/1e6))
		return fine.Pages(images[0], images[1], dpi), true, nil
	})
}

func orTwo[A, B any](ctx context.Context, do func() (A, B, error)) (A, B, error) {
	type two struct {
		a A
		b B
	}
	r, err := orGone(ctx, func() (two, error) {
		a, b, err := do()
		return two{a, b}, err
	})
	return r.a, r.b, err
}

// looked is what fine looks found, by the page of the new edition; kept while a comparison
// is under way.
type looked map[int]struct {
	Result fine.Result
	Drawn  bool
}

func looksKey(before, after library.Edition) string {
	return fmt.Sprintf("%s%s/%s", ComparePrefix, after.SHA256, before.SHA256)
}

func (in *Intake) keptLooks(ctx context.Context, before, after library.Edition) (looked, error) {
	out := looked{}
	b, err := in.Blobs.Read(ctx, looksKey(before, after))
	if errors.Is(err, blob.ErrNotFound) {
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&out); err != nil { // it was cut off
		slog.WarnContext(ctx, "what was looked at closely cannot be read, and is looked at anew", "edition", after.ID, "error", err)
		return looked{}, nil
	}
	return out, nil
}

func (in *Intake) keepLooks(ctx context.Context, before, after library.Edition, l looked) error {
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(l); err != nil {
		return fmt.Errorf("pack what was looked at: %w", err)
	}
	_, err := in.Blobs.Keep(ctx, looksKey(before, after), bytes.NewReader(b.Bytes()))
	return err
}

// look has the pages that need it looked at closely, as far as the budget goes, and marks
// what differs. left is how many were not looked at.
func (r *comparing) look(ctx context.Context, editions [2]library.Edition, pages [2][]compare.Page, out *library.Compared) (left int, err error) {
	sight := Sight{Engine: r.in.Engine, Sheets: pages, Source: [2]pdf.Source{source(ctx, r.in.Blobs, editions[0]), source(ctx, r.in.Blobs, editions[1])}}
	must, reworded := out.ToLook(pages[0], pages[1])
	all := append(must, reworded...)
	known, err := r.in.keptLooks(ctx, editions[0], editions[1])
	if err != nil {
		return 0, err
	}
	read := r.c.Pages
	r.c.Pages += len(all)
	for n, p := range all {
		found, is := known[p.New]
		if !is {
			if r.meter.Used() >= r.budget {
				left = max(len(must)-n, 0)
				break
			}
			if found.Result, found.Drawn, err = sight.Look(ctx, p); err != nil {
				return 0, fmt.Errorf("look closely at page %d: %w", p.New, err)
			}
			known[p.New] = found
			if (n+1)%keptLooks == 0 {
				if err := r.in.keepLooks(ctx, editions[0], editions[1], known); err != nil {
					return 0, err
				}
			}
		}
		if found.Drawn {
			delete(out.Areas, p.New)
			if areas := out.Looked(p, found.Result); len(areas) > 0 {
				out.Areas[p.New] = areas
			}
		}
		r.c.Done = read + n + 1
		_ = r.in.Library.ComparedSoFar(ctx, *r.c) // the next page tells it anew
	}
	if left > 0 {
		if err := r.in.keepLooks(ctx, editions[0], editions[1], known); err != nil {
			return 0, err
		}
	}
	if err := r.mark(ctx, editions, pages, out); err != nil {
		return left, err
	}
	var beside [2]compare.Beside
	for i := range beside {
		if beside[i], err = ToCompareBeside(ctx, r.in.Engine, sight.Source[i]); err != nil {
			return left, err
		}
	}
	found := compare.DifferBeside(beside[0], beside[1], out.Comparison)
	told := min(len(found), compare.MostBeside)
	out.Beside, out.MoreBeside = found[:told], len(found)-told
	out.BesideRead, out.BesideUnread = true, beside[0].Unread || beside[1].Unread
	return left, nil
}

// mark marks the words that have no other one in the other edition, and takes places away
// that lie about them.
func (r *comparing) mark(ctx context.Context, editions [2]library.Edition, pages [2][]compare.Page, out *library.Compared) error {
	marked := 0
	for _, p := range out.Pages {
		if p.Change != compare.Changed && !p.Differs || marked == mostMarked {
			continue
		}
		var gone, fresh []sheet.Rect
		var err error
		if p.Old > 0 && len(out.Comparison.Gone[p.Old-1]) > 0 {
			if gone, err = r.wordsAt(ctx, editions[0], p.Old, pages[0][p.Old-1], out.Comparison.Gone[p.Old-1]); err != nil {
				return err
			}
			marked++
		}
		if p.New > 0 && len(out.Comparison.Fresh[p.New-1]) > 0 {
			if fresh, err = r.wordsAt(ctx, editions[1], p.New, pages[1][p.New-1], out.Comparison.Fresh[p.New-1]); err != nil {
				return err
			}
			marked++
		}
		if len(gone)+len(fresh) == 0 {
			continue
		}
		if len(gone) > 0 {
			out.GoneAt[p.Old] = gone
		}
		if len(fresh) > 0 {
			out.FreshAt[p.New] = fresh
		}
		if out.Areas[p.New] = compare.AwayFrom(out.Areas[p.New], append(gone, fresh...)); len(out.Areas[p.New]) == 0 {
			delete(out.Areas, p.New)
		}
	}
	return nil
}

// wordsAt gives where some words of a page are, in fractions of it: none where its text is
// read otherwise now.
func (r *comparing) wordsAt(ctx context.Context, e library.Edition, number int, page compare.Page, words []int) ([]sheet.Rect, error) {
	layer, err := r.in.Engine.Layer(ctx, source(ctx, r.in.Blobs, e), number)
	if pdf.KindOf(err) == pdf.Damaged || costs(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read where words of page %d are: %w", number, err)
	}
	text := find.Of(textflow.InOrder(FlowPage(e, number, layer)))
	at := compare.WordsAt(text.Plain())
	if len(at) != len(page.Words) || page.Width <= 0 || page.Height <= 0 {
		return nil, nil
	}
	var out []sheet.Rect
	for k := 0; k < len(words) && len(out) < mostMarks; k++ {
		hit := find.Hit{From: at[words[k]][0], To: at[words[k]][1]}
		for k+1 < len(words) && words[k+1] == words[k]+1 {
			k++
			hit.To = at[words[k]][1]
		}
		for _, b := range text.Boxes(hit) {
			out = append(out, sheet.Rect{X: b.X / page.Width, Y: b.Y / page.Height, W: b.W / page.Width, H: b.H / page.Height})
		}
	}
	return out, nil
}
