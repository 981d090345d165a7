package intake

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/revisit"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/fetch"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// FetchArgs is the job that looks at the address that a file comes from.
type FetchArgs struct {
	Source int64 `json:"source"`
}

// Kind names the job for River.
func (FetchArgs) Kind() string { return "fetch" }

// FetchQueue is the queue of looks at other websites: a few at a time, since each may wait
// for long and holds a file on the disk.
const FetchQueue = "fetch"

// FollowedBy is who adds an edition that came by itself.
const FollowedBy = "the address it follows"

// InsertOpts bounds the attempts.
func (FetchArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 4, Queue: FetchQueue}
}

func fetchJob(source int64) river.JobArgs { return FetchArgs{source} }

// From has a file come from an address, for a new document, or for one that follows it from
// now on. Account 0 is nobody in particular.
func (in *Intake) From(ctx context.Context, account int64, document *int64, address string, pace revisit.Pace, atOnce bool) error {
	u, err := fetch.Address(address)
	if err != nil {
		return err
	}
	if len(u.String()) > 2000 {
		return &fetch.Refusal{Words: "The address is longer than 2,000 letters."}
	}
	var by *int64
	if account != 0 {
		by = &account
	}
	return in.Library.AddSource(ctx, &library.Source{AccountID: by, DocumentID: document, Address: u.String(), Hours: pace, AtOnce: atOnce}, fetchJob)
}

// Look has an address looked at now.
func (in *Intake) Look(ctx context.Context, source int64) error {
	return in.Library.Look(ctx, source, fetchJob)
}

// LookAtDue has addresses looked at whose time has come.
func (in *Intake) LookAtDue(ctx context.Context) (int, error) {
	return in.Library.TakeDue(ctx, time.Now(), fetchJob)
}

// Follower works the job.
type Follower struct {
	river.WorkerDefaults[FetchArgs]
	Intake *Intake
}

// Timeout bounds one attempt: the file may take a quarter of an hour to come, and an office
// document two minutes to become one.
func (*Follower) Timeout(*river.Job[FetchArgs]) time.Duration { return 20 * time.Minute }

// Work looks once. What the website or the file is to blame for is noted and ends the job.
func (w *Follower) Work(ctx context.Context, job *river.Job[FetchArgs]) error {
	in := w.Intake
	err := in.alone(ctx, job.Kind, job.Args.Source, func(ctx context.Context) error { return in.look(ctx, job.Args.Source) })
	if !inVain(err, job.JobRow) {
		return err
	}
	ctx = context.WithoutCancel(ctx)
	src, gone := in.Library.Source(ctx, job.Args.Source)
	if gone != nil {
		return err
	}
	src.Said = "The file could not be kept here, though it was tried several times; its website is not to blame."
	return errors.Join(err, in.Library.Looked(ctx, src, time.Now()))
}

// progressEvery is how often it is noted how much has come.
const progressEvery = 400 * time.Millisecond

// look fetches a file unless it is as it was, and makes a document or an edition of it.
func (in *Intake) look(ctx context.Context, id int64) error {
	src, err := in.Library.Source(ctx, id)
	if errors.Is(err, database.ErrNotFound) {
		return nil // it was let go of
	}
	if err != nil {
		return err
	}
	src.Said = ""
	err = in.take(ctx, &src)
	var refusal *fetch.Refusal
	var problem *pdf.Problem
	var refused draft.Refused
	switch {
	case errors.As(err, &refusal):
		src.Said = refusal.Words
	case errors.As(err, &problem):
		src.Said = saidOfFile(problem)
	case errors.As(err, &refused):
		src.Said = string(refused)
	case errors.Is(err, library.ErrTooManyEditions):
		src.Said = "This document has as many editions as it may have: remove some that readers never saw."
	case errors.Is(err, library.ErrArrived), errors.Is(err, database.ErrNotFound):
		return nil // somebody was faster, or let go of it meanwhile
	case err != nil:
		return err
	}
	return in.Library.Looked(ctx, src, time.Now())
}

// saidOfFile says what is wrong with a file that came from elsewhere.
func saidOfFile(p *pdf.Problem) string {
	if p.Kind == pdf.NeedsPassword {
		return "The file asks for a password. Save it yourself, and add it from your own machine with the password."
	}
	return p.Message + " What is at the address is not used."
}

func (in *Intake) take(ctx context.Context, src *library.Source) error {
	f, err := os.CreateTemp("", "incipit-fetched-")
	if err != nil {
		return fmt.Errorf("lay a fetched file down: %w", err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	had := fetch.Mark{}
	if src.DocumentID != nil {
		had = fetch.Mark{ETag: src.ETag, Modified: src.Modified}
	}
	var told time.Time
	coming, stop := context.WithCancel(ctx)
	defer stop()
	dropped := false
	got, err := in.Fetch.File(coming, src.Address, had, f, in.MaxBytes, func(has, all int64) {
		if now := time.Now(); now.Sub(told) >= progressEvery {
			told = now
			// What cannot be noted is told anew by the next bytes; what was let go of ends.
			if err := in.Library.SourceSoFar(ctx, src.ID, has, all); errors.Is(err, database.ErrNotFound) {
				dropped = true
				stop()
			}
		}
	})
	if dropped {
		return database.ErrNotFound
	}
	if err != nil || got.Same {
		return err
	}
	hash, err := hashOf(f)
	if err != nil {
		return err
	}
	if src.DocumentID != nil && hash == src.SHA256 {
		src.ETag, src.Modified = got.Mark.ETag, got.Mark.Modified
		return nil
	}
	head, err := headOf(f)
	if err != nil {
		return fmt.Errorf("read a fetched file: %w", err)
	}
	if page := fetch.WebPage(head); page != "" && mayBe(head) != nil {
		return &fetch.Refusal{Words: page}
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return fmt.Errorf("read a fetched file: %w", err)
	}
	name := got.Name
	if name == "" {
		name = "document.pdf"
	}
	if err := in.asPDF(ctx, name, f, func(name string, r io.Reader) error { return in.become(ctx, *src, name, hash, r) }); err != nil {
		return err
	}
	now := time.Now()
	src.SHA256, src.ETag, src.Modified, src.ChangedAt = hash, got.Mark.ETag, got.Mark.Modified, &now
	if src.DocumentID == nil { // which one it is now stands with the document
		return in.arrivedFrom(ctx, src)
	}
	return nil
}

// arrivedFrom reads which document a file became.
func (in *Intake) arrivedFrom(ctx context.Context, src *library.Source) error {
	now, err := in.Library.Source(ctx, src.ID)
	if err == nil {
		src.DocumentID = now.DocumentID
	}
	return err
}

// become makes a document or an edition of a file that came. One that is the newest edition
// already, since somebody was killed before that was noted, becomes no other.
func (in *Intake) become(ctx context.Context, src library.Source, name, hash string, r io.Reader) error {
	var by int64
	if src.AccountID != nil {
		by = *src.AccountID
	}
	if src.DocumentID == nil {
		_, _, err := in.receive(ctx, name, r, by, "", library.Origin{Source: src.ID})
		return err
	}
	if is, err := in.Library.NewestIs(ctx, *src.DocumentID, hash); err != nil || is {
		return err
	}
	var live *time.Time
	if src.AtOnce {
		now := time.Now().UTC()
		live = &now
	}
	_, err := in.replace(ctx, *src.DocumentID, name, r, by, "", live, "")
	return err
}

func hashOf(f io.ReadSeeker) (string, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return "", fmt.Errorf("read a fetched file: %w", err)
	}
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return "", fmt.Errorf("read a fetched file: %w", err)
	}
	_, err := f.Seek(0, io.SeekStart)
	return hex.EncodeToString(h.Sum(nil)), err
}
