package intake

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"reflect"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/report"
	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// MendArgs is the job that writes what an editor says of a document into its file.
type MendArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (MendArgs) Kind() string { return "mend" }

// InsertOpts bounds the attempts.
func (MendArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: ExamineQueue}
}

func mendJob(edition int64) river.JobArgs { return MendArgs{Edition: edition} }

// Mender works the job.
type Mender struct {
	river.WorkerDefaults[MendArgs]
	Intake *Intake
}

// Timeout bounds one attempt.
func (*Mender) Timeout(*river.Job[MendArgs]) time.Duration { return 5 * time.Minute }

// Work writes into the file of one edition. The file that came stays as it is.
func (w *Mender) Work(ctx context.Context, job *river.Job[MendArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error {
		return w.Intake.mend(share.As(ctx, share.Soon), job.Args.Edition)
	})
}

// Structure reads what an edition's file offers people who do not see its pages.
func (in *Intake) Structure(ctx context.Context, e library.Edition) (report.Structure, error) {
	return in.Engine.Structure(ctx, source(ctx, in.Blobs, e))
}

// Mend keeps what is said of a document, and has it written into its file where that is
// wanted.
func (in *Intake) Mend(ctx context.Context, document int64, m library.Mending) error {
	return in.Library.Mend(ctx, document, m, mendJob, picturedJob)
}

// SaidOfPictures keeps texts for pictures of an edition, as they were kept before.
func (in *Intake) SaidOfPictures(ctx context.Context, edition int64, texts map[int]string) error {
	return in.Library.KeepAlternatives(ctx, edition, texts, picturedJob(edition))
}

func (in *Intake) mend(ctx context.Context, edition int64) error {
	e, there, err := in.edition(ctx, edition)
	if err != nil || !there || e.State != library.Ready {
		return err
	}
	d, err := in.Library.Document(ctx, e.DocumentID)
	if errors.Is(err, database.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	said, says := library.Says(d, e)
	if !d.WriteIn || e.MendedSays == says && e.MendedKey != "" {
		return nil
	}
	key, hash, err := in.written(ctx, e, said)
	var problem *pdf.Problem
	if errors.As(err, &problem) {
		return in.Library.KeepMended(ctx, e, "", "", says, problem.Message)
	}
	if err != nil {
		return fmt.Errorf("write into edition %d: %w", edition, err)
	}
	return in.Library.KeepMended(ctx, e, key, hash, says, "")
}

// written keeps a file that says something: the one that came with an addition, which the
// engine reads as the same pages.
func (in *Intake) written(ctx context.Context, e library.Edition, said pdf.Said) (key, hash string, err error) {
	if e.Locked {
		return "", "", pdf.Problemf(pdf.Unwritable, "Nothing can be written into a file that asks for a password.")
	}
	src := source(ctx, in.Blobs, e)
	addition, err := in.Engine.Amend(ctx, src, said)
	if err != nil {
		return "", "", err
	}
	file, err := in.Blobs.Open(ctx, e.BlobKey)
	if err != nil {
		return "", "", fmt.Errorf("read the file: %w", err)
	}
	defer file.Close()
	if key, err = newKey(); err != nil {
		return "", "", err
	}
	h := sha256.New()
	size, err := in.Blobs.Write(ctx, key, io.TeeReader(io.MultiReader(file, bytes.NewReader(addition)), h))
	if err != nil {
		return "", "", fmt.Errorf("keep the file: %w", err)
	}
	hash = hex.EncodeToString(h.Sum(nil))
	same := func() error {
		made := library.Edition{SHA256: hash, Bytes: size, BlobKey: key, Facts: e.Facts}
		before, err := in.Engine.Sheets(ctx, src, 1, e.Pages)
		if err != nil {
			return err
		}
		after, err := in.Engine.Sheets(ctx, source(ctx, in.Blobs, made), 1, e.Pages)
		if pdf.KindOf(err) != "" || err == nil && !reflect.DeepEqual(before, after) {
			return pdf.Problemf(pdf.Unwritable, "Nothing can be written into this file: with an addition its pages would be others.")
		}
		return err
	}
	if err := same(); err != nil {
		return "", "", errors.Join(err, in.Blobs.Delete(context.WithoutCancel(ctx), key))
	}
	return key, hash, nil
}
