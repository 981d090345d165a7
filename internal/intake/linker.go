package intake

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"golang.org/x/sync/errgroup"

	"incipit/internal/core/overlay"
	"incipit/internal/core/share"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// LinksArgs is the job that gathers web links out of documents that readers see, and looks
// whether they lead somewhere. It is worked once a minute.
type LinksArgs struct{}

// Kind names the job for River.
func (LinksArgs) Kind() string { return "links" }

// InsertOpts has it tried once: the next minute tries again.
func (LinksArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 1, Queue: FetchQueue}
}

// Bounds of one such job: no website is asked more than once.
const (
	gatheredAtOnce = 20
	linksAtOnce    = 40
	linksBeside    = 4
	mostUnkept     = 500 // pages of a file without text that are looked into
)

// Linker works the job. Every is how long it is until a link that leads somewhere is looked
// at again; 0 is that none is looked at.
type Linker struct {
	river.WorkerDefaults[LinksArgs]
	Intake *Intake
	Every  time.Duration
}

// Timeout bounds one attempt: a website is waited for 10 seconds, twice.
func (*Linker) Timeout(*river.Job[LinksArgs]) time.Duration { return 10 * time.Minute }

// Work gathers and looks.
func (w *Linker) Work(ctx context.Context, job *river.Job[LinksArgs]) error {
	if w.Every <= 0 {
		return nil
	}
	return w.Intake.alone(ctx, job.Kind, 0, func(ctx context.Context) error {
		if err := w.Intake.GatherLinks(ctx); err != nil {
			return err
		}
		return w.Intake.LookAtLinks(ctx, time.Now(), w.Every)
	})
}

// GatherLinks gathers the web links of editions that readers see.
func (in *Intake) GatherLinks(ctx context.Context) error {
	editions, err := in.Library.LinksUnknown(ctx, gatheredAtOnce)
	if err != nil {
		return err
	}
	for _, e := range editions {
		links, err := in.linksOf(ctx, e)
		if err == nil {
			err = in.Library.KeepLinks(ctx, e.ID, links)
		}
		if err != nil {
			return fmt.Errorf("gather the links of edition %d: %w", e.ID, err)
		}
	}
	return nil
}

func (in *Intake) linksOf(ctx context.Context, e library.Edition) ([]library.WebLink, error) {
	var out []library.WebLink
	had, unkept := map[string]bool{}, mostUnkept
	ctx = share.As(ctx, share.Later)
	src := source(ctx, in.Blobs, e)
	for from := 1; from <= e.Pages; from += indexedAtOnce {
		texts, err := in.Library.PageTexts(ctx, e.ID, from, min(from+indexedAtOnce-1, e.Pages))
		if err != nil {
			return nil, err
		}
		kept := map[int]library.PageText{}
		for _, t := range texts {
			kept[t.Page] = t
		}
		for page := from; page < from+indexedAtOnce && page <= e.Pages; page++ {
			t, there := kept[page]
			var layer pdf.Layer
			switch {
			case there:
				layer, err = t.Unpacked()
			case unkept > 0: // a file without text is not kept for finding
				unkept--
				layer, err = in.Engine.Layer(ctx, src, page)
			}
			if pdf.KindOf(err) != "" {
				continue // it has no links that a reader gets
			}
			if err != nil {
				return nil, err
			}
			for _, l := range layer.Links {
				address, _, _ := strings.Cut(l.Address, "#") // the place in it is the browser's own
				web := strings.HasPrefix(address, "http://") || strings.HasPrefix(address, "https://")
				if l.Kind != overlay.ToWeb || !web || had[address] || len(address) > library.MostWebAddress || strings.ContainsRune(address, 0) {
					continue
				}
				had[address] = true
				if out = append(out, library.WebLink{Address: address, Page: page}); len(out) == library.MostWebLinks {
					return out, nil
				}
			}
		}
	}
	return out, nil
}

// LookAtLinks looks at links whose time has come, at one of each website; the others' turn
// comes a minute later.
func (in *Intake) LookAtLinks(ctx context.Context, now time.Time, every time.Duration) error {
	due, err := in.Library.TakeDueLinks(ctx, now, linksAtOnce)
	if err != nil {
		return err
	}
	hosts := map[string]bool{}
	looks, within := errgroup.WithContext(ctx)
	looks.SetLimit(linksBeside)
	var later error
	for _, address := range due {
		u, err := url.Parse(address)
		if err == nil && hosts[u.Hostname()] {
			later = errors.Join(later, in.Library.LinkLater(ctx, address, now))
			continue
		}
		if err == nil {
			hosts[u.Hostname()] = true
		}
		looks.Go(func() error {
			said, err := in.Fetch.Link(within, address)
			if err != nil {
				return err
			}
			return in.Library.LinkLooked(within, address, said, now, every)
		})
	}
	return errors.Join(later, looks.Wait())
}
