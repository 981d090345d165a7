package intake

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/report"
	"incipit/internal/core/share"
	"incipit/internal/core/textflow"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// PicturedArgs is the job that has the text view say what editors said of an edition's
// pictures.
type PicturedArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (PicturedArgs) Kind() string { return "pictured" }

// InsertOpts bounds the attempts; it waits with what else reads texts.
func (PicturedArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: IndexQueue}
}

func picturedJob(edition int64) river.JobArgs { return PicturedArgs{edition} }

// PicturedWorker works the job.
type PicturedWorker struct {
	river.WorkerDefaults[PicturedArgs]
	Intake *Intake
}

// Timeout bounds one attempt.
func (*PicturedWorker) Timeout(*river.Job[PicturedArgs]) time.Duration { return 10 * time.Minute }

// Work reads the pages with pictures again, out of the file with what is said of them.
func (w *PicturedWorker) Work(ctx context.Context, job *river.Job[PicturedArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error {
		return w.Intake.pictured(share.As(ctx, share.Soon), job.Args.Edition)
	})
}

func (in *Intake) pictured(ctx context.Context, edition int64) error {
	e, there, err := in.edition(ctx, edition)
	if err != nil || !there || e.Locked || !e.HasText || e.State == library.Failed {
		return err
	}
	if e.State != library.Ready || e.Indexed < e.Pages {
		return river.JobSnooze(2 * time.Second) // who reads it now may not have seen what is said
	}
	s, err := in.Engine.Structure(ctx, source(ctx, in.Blobs, e))
	var problem *pdf.Problem
	if errors.As(err, &problem) {
		return nil // nothing of it could be said anything of
	}
	if err != nil {
		return fmt.Errorf("read the structure of edition %d: %w", edition, err)
	}
	var pages []int
	for _, el := range s.Elements {
		if el.Kind == report.FigureElement && el.Object > 0 && el.Page > 0 && el.Page <= e.Pages {
			pages = append(pages, el.Page)
		}
	}
	slices.Sort(pages)
	src, err := in.pictures(ctx, e)
	if err != nil {
		return err
	}
	for _, page := range slices.Compact(pages) {
		layer, err := in.Engine.Layer(ctx, src, page)
		if errors.As(err, &problem) {
			continue
		}
		if err != nil {
			return fmt.Errorf("read page %d of edition %d again: %w", page, edition, err)
		}
		layer.Runs = textflow.InOrder(FlowPage(e, page, layer))
		packed, err := library.PackLayer(layer)
		if err != nil {
			return err
		}
		if err := in.Library.KeepLayer(ctx, e.ID, page, packed); err != nil {
			return err
		}
	}
	return nil
}

// pictures is the file of an edition with what is said of its pictures behind it: the engine
// reads that as if the file said it.
func (in *Intake) pictures(ctx context.Context, e library.Edition) (pdf.Source, error) {
	src := source(ctx, in.Blobs, e)
	if len(e.Alternatives) == 0 || e.Locked {
		return src, nil
	}
	addition, err := in.Engine.Amend(ctx, src, pdf.Said{Alternatives: e.Alternatives})
	if pdf.KindOf(err) != "" {
		return src, nil // nothing can be written behind it
	}
	if err != nil {
		return src, fmt.Errorf("say what pictures of edition %d show: %w", e.ID, err)
	}
	sum := sha256.Sum256(slices.Concat([]byte(e.SHA256), addition))
	src.ID = hex.EncodeToString(sum[:])
	src.Bytes = &behind{first: src.Bytes, size: src.Size, second: bytes.NewReader(addition)}
	src.Size += int64(len(addition))
	return src, nil
}

// behind is two files, one behind the other.
type behind struct {
	first, second io.ReaderAt
	size          int64 // of the first one
}

// ReadAt reads across the seam.
func (j *behind) ReadAt(p []byte, off int64) (n int, err error) {
	if off < j.size {
		n, err = j.first.ReadAt(p[:min(int64(len(p)), j.size-off)], off)
		if errors.Is(err, io.EOF) && off+int64(n) == j.size {
			err = nil
		}
		if err != nil || n == len(p) {
			return n, err
		}
	}
	m, err := j.second.ReadAt(p[n:], off+int64(n)-j.size)
	return n + m, err
}
