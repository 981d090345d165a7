package intake

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"golang.org/x/sync/semaphore"

	"incipit/internal/blob"
	"incipit/internal/core/compare"
	"incipit/internal/library"
)

// ComparePrefix begins the keys of pages as they are compared: kept while two editions are,
// so that what was cut off goes on. The sweep removes what is left behind.
const ComparePrefix = "compare/"

const (
	// keptAtOnce is how many pages are kept in one blob, of some 12 KB a page before it
	// is packed.
	keptAtOnce = 25
	// compareBudget is the work that two editions may take to be compared; an editor can
	// give as much again.
	compareBudget = 3 * time.Minute
	// lookedAfter is how often a comparison looks whether anybody still wants it.
	lookedAfter = time.Second
	// MostComparing is how many comparisons run at once, and mostHeld how many pages all of
	// them together hold: some 25 KB each.
	MostComparing = 4
	mostHeld      = mostCompared
)

// held bounds the pages that comparisons hold at once in this process.
var held = semaphore.NewWeighted(mostHeld)

func compareKey(e library.Edition, from int) string {
	return fmt.Sprintf("%s%s/%d", ComparePrefix, e.SHA256, from)
}

// keptPages gives the pages from one on as they were kept, or none.
func (in *Intake) keptPages(ctx context.Context, e library.Edition, from int) ([]compare.Page, error) {
	b, err := in.Blobs.Read(ctx, compareKey(e, from))
	if errors.Is(err, blob.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var pages []compare.Page
	z, err := gzip.NewReader(bytes.NewReader(b))
	if err == nil {
		err = gob.NewDecoder(z).Decode(&pages)
	}
	if err != nil { // it was cut off while it was written
		slog.WarnContext(ctx, "pages that were kept to be compared cannot be read", "edition", e.ID, "error", err)
		return nil, nil
	}
	return pages, nil
}

// keepPages keeps pages from one on. A crash may lose them.
func (in *Intake) keepPages(ctx context.Context, e library.Edition, from int, pages []compare.Page) error {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := gob.NewEncoder(z).Encode(pages); err != nil {
		return fmt.Errorf("pack pages to be compared: %w", err)
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("pack pages to be compared: %w", err)
	}
	_, err := in.Blobs.Keep(ctx, compareKey(e, from), bytes.NewReader(b.Bytes()))
	return err
}

// forgetPages removes what was kept of an edition to be compared.
func (in *Intake) forgetPages(ctx context.Context, e library.Edition) {
	for from := 1; from <= e.Pages; from += keptAtOnce {
		if err := in.Blobs.Delete(ctx, compareKey(e, from)); err != nil {
			slog.WarnContext(ctx, "pages that were compared are left to the sweep", "edition", e.ID, "error", err)
			return
		}
	}
}

// forgetLooks removes what was found of two editions while they were looked at.
func (in *Intake) forgetLooks(ctx context.Context, before, after library.Edition) {
	if err := in.Blobs.Delete(ctx, looksKey(before, after)); err != nil {
		slog.WarnContext(ctx, "what was looked at is left to the sweep", "edition", after.ID, "error", err)
	}
}

// whileWanted gives a context that ends when nobody wants a comparison any more: one of the
// editions, or the document, was removed.
func (in *Intake) whileWanted(ctx context.Context, before, edition int64) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancelCause(ctx)
	go func() {
		tick := time.NewTicker(lookedAfter)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			// What cannot be asked just now goes on.
			if wanted, err := in.Library.ComparisonWanted(ctx, before, edition); err == nil && !wanted {
				cancel(errUnwanted)
				return
			}
		}
	}()
	return ctx, func() { cancel(context.Canceled) }
}

var errUnwanted = errors.New("nobody wants it any more")

// orGone does something that cannot be stopped, and does not wait for its end once the
// context has ended.
func orGone[T any](ctx context.Context, do func() (T, error)) (T, error) {
	type result struct {
		value T
		err   error
	}
	done := make(chan result, 1)
	go func() {
		v, err := do()
		done <- result{v, err}
	}()
	select {
	case r := <-done:
		return r.value, r.err
	case <-ctx.Done():
		var none T
		return none, context.Cause(ctx)
	}
}
