package intake

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/blob"
	"incipit/internal/library"
	"incipit/internal/people"
	"incipit/internal/press"
)

// pictureAge is for how long a picture that stands nowhere is kept, and
// picturesPrefix where pictures lie (see package picture).
const (
	pictureAge     = 24 * time.Hour
	picturesPrefix = "pictures/"
)

// Swept counts what a sweep removed.
type Swept struct {
	Blobs int
	Bytes int64
}

// Sweep removes bytes that no edition owns and that are older than age: files
// of uploads that were cut off, and all that was made of removed documents.
// Younger bytes may belong to an upload that is still under way.
func (in *Intake) Sweep(ctx context.Context, age time.Duration) (Swept, error) {
	var swept Swept
	before := time.Now().Add(-age)
	remove := func(e blob.Entry, owned bool) error {
		if owned || e.Modified.After(before) {
			return nil
		}
		swept.Blobs++
		swept.Bytes += e.Size
		return in.Blobs.Delete(ctx, e.Key)
	}
	if err := in.Library.ForgetRemoved(ctx, time.Now().Add(-library.KeptRemoved)); err != nil {
		return swept, err
	}
	err := in.Blobs.Each(ctx, FilesPrefix, func(e blob.Entry) error {
		owned, err := in.Library.OwnsFile(ctx, e.Key)
		if err != nil {
			return err
		}
		return remove(e, owned)
	})
	if err != nil {
		return swept, err
	}
	if err := in.Library.ForgetUploads(ctx, time.Now().Add(-library.KeptUploads)); err != nil {
		return swept, err
	}
	if err := in.Library.ForgetLinks(ctx); err != nil {
		return swept, err
	}
	if err := in.Library.ForgetSources(ctx, time.Now().Add(-library.KeptUploads)); err != nil {
		return swept, err
	}
	err = in.Blobs.Each(ctx, PartsPrefix, func(e blob.Entry) error {
		owned, err := in.Library.OwnsPart(ctx, e.Key)
		if err != nil {
			return err
		}
		return remove(e, owned)
	})
	if err != nil {
		return swept, err
	}
	// An upload that is under way, or a page on somebody's screen, may want a
	// picture that stands nowhere yet.
	if _, err := in.Publishing.ForgetPictures(ctx, time.Now().Add(-max(age, pictureAge))); err != nil {
		return swept, err
	}
	err = in.Blobs.Each(ctx, picturesPrefix, func(e blob.Entry) error {
		hash, _, _ := strings.Cut(strings.TrimPrefix(e.Key, picturesPrefix), "/")
		owned, err := in.Publishing.OwnsPicture(ctx, hash)
		if err != nil {
			return err
		}
		return remove(e, owned)
	})
	if err != nil {
		return swept, err
	}
	for _, prefix := range append(press.RetiredPrefixes(), ComparePrefix) {
		if err := in.Blobs.Each(ctx, prefix, func(e blob.Entry) error { return remove(e, false) }); err != nil {
			return swept, err
		}
	}
	for _, prefix := range []string{press.PagesPrefix, press.TilesPrefix, press.LayersPrefix} {
		owned := map[string]bool{}
		err := in.Blobs.Each(ctx, prefix, func(e blob.Entry) error {
			hash, rest, _ := strings.Cut(strings.TrimPrefix(e.Key, prefix), "/")
			if _, known := owned[hash]; !known {
				is, err := in.Library.OwnsPages(ctx, hash)
				if err != nil {
					return err
				}
				owned[hash] = is
			}
			// A write that was cut off has more than a number as its name.
			last := rest[strings.LastIndex(rest, "/")+1:]
			whole := last != "" && strings.Trim(last, "0123456789") == ""
			return remove(e, owned[hash] && whole)
		})
		if err != nil {
			return swept, err
		}
	}
	return swept, nil
}

// SweepArgs is the job that sweeps, once an hour.
type SweepArgs struct{}

// Kind names the job for River.
func (SweepArgs) Kind() string { return "sweep" }

// Sweeper works the job.
type Sweeper struct {
	river.WorkerDefaults[SweepArgs]
	Intake *Intake
	Age    time.Duration
}

// Work sweeps once, and forgets sessions that have run out.
func (w *Sweeper) Work(ctx context.Context, _ *river.Job[SweepArgs]) error {
	_, err := w.Intake.Sweep(ctx, w.Age)
	return errors.Join(err, w.Intake.People.ForgetSessions(ctx, people.Window))
}
