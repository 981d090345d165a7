package intake

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"incipit/internal/core/compare"
	"incipit/internal/core/share"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// CompareArgs is the job that says what became of the pages of one edition in another one.
type CompareArgs struct {
	Before  int64 `json:"before"`
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (CompareArgs) Kind() string { return "compare" }

// CompareQueue is the queue of comparisons: one at a time, since each holds small pictures
// of all pages of two files (12 KB a page).
const CompareQueue = "compare"

// InsertOpts bounds the attempts.
func (CompareArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: CompareQueue}
}

// CompareLater has two editions compared, once.
func (in *Intake) CompareLater(ctx context.Context, before, edition int64) error {
	return in.Library.CompareLater(ctx, before, edition, CompareArgs{before, edition})
}

// compareWithCurrent has an edition that was added to be looked at compared with the one
// in force.
func (in *Intake) compareWithCurrent(ctx context.Context, e library.Edition) error {
	now, err := in.Library.CurrentEdition(ctx, e.DocumentID)
	if errors.Is(err, database.ErrNotFound) || err == nil && now.ID == e.ID {
		return nil
	}
	if err != nil {
		return err
	}
	return in.CompareLater(ctx, now.ID, e.ID)
}

// Comparer works the job.
type Comparer struct {
	river.WorkerDefaults[CompareArgs]
	Intake *Intake
}

// Timeout bounds one attempt: pages take a few hundredths of a second each.
func (*Comparer) Timeout(*river.Job[CompareArgs]) time.Duration { return 20 * time.Minute }

// Work compares two editions. What is wrong with a file is noted and ends the job.
func (w *Comparer) Work(ctx context.Context, job *river.Job[CompareArgs]) error {
	err := w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error { return w.work(ctx, job) })
	if !inVain(err, job.JobRow) {
		return err
	}
	return errors.Join(err, w.Intake.Library.KeepCompared(context.WithoutCancel(ctx), library.Comparison{BeforeID: job.Args.Before,
		EditionID: job.Args.Edition, Trouble: "The two could not be compared, though it was tried several times; neither file is to blame."}))
}

// inVain says whether a job has failed for the last time: whoever waits is told.
func inVain(err error, job *rivertype.JobRow) bool {
	var later *river.JobSnoozeError
	return err != nil && !errors.As(err, &later) && job.Attempt >= job.MaxAttempts
}

// comparedAtOnce is how many requests to the engine a comparison has under way.
const comparedAtOnce = 2

// mostCompared is how many pages two editions have together that are compared: their small
// pictures and words are held at once, some 25 KB a page.
const mostCompared = 4000

// toldEvery is after how many pages progress is kept.
const toldEvery = 10

func (w *Comparer) work(ctx context.Context, job *river.Job[CompareArgs]) error {
	in := w.Intake
	ctx = share.As(ctx, share.Soon) // an editor waits for it, unlike for what is indexed
	var editions [2]library.Edition
	for i, id := range []int64{job.Args.Before, job.Args.Edition} {
		e, there, err := in.edition(ctx, id)
		if err != nil || !there {
			return err
		}
		editions[i] = e
	}
	c := library.Comparison{BeforeID: editions[0].ID, EditionID: editions[1].ID, Pages: editions[0].Pages + editions[1].Pages}
	if c.Pages > mostCompared {
		c.Trouble = fmt.Sprintf("The two have %d pages together, and %d are compared at most: opening pages keep their numbers.", c.Pages, mostCompared)
		return in.Library.KeepCompared(ctx, c)
	}
	for _, e := range editions {
		switch {
		case e.Locked:
			c.Trouble = fmt.Sprintf("Edition %d asks for a password, which is kept nowhere: it cannot be compared. "+
				"Readers who get it are asked for the password, too.", e.Number)
		case e.State == library.Failed:
			c.Trouble = fmt.Sprintf("Edition %d cannot be read: %s", e.Number, e.ProblemMessage)
		case e.State == library.Examining:
			return river.JobSnooze(2 * time.Second)
		}
		if c.Trouble != "" {
			return in.Library.KeepCompared(ctx, c)
		}
	}
	var pages [2][]compare.Page
	for i, e := range editions {
		before := i * editions[0].Pages
		var err error
		pages[i], err = ToCompare(ctx, in.Engine, source(ctx, in.Blobs, e), in.texts(e), comparedAtOnce, func(done, _ int) {
			if c.Done = before + done; done%toldEvery == 0 {
				_ = in.Library.ComparedSoFar(ctx, c) // the next ten pages tell it anew
			}
		})
		var problem *pdf.Problem
		if errors.As(err, &problem) {
			c.Trouble = fmt.Sprintf("Edition %d cannot be compared: %s", e.Number, problem.Message)
			return in.Library.KeepCompared(ctx, c)
		}
		if err != nil {
			return fmt.Errorf("compare edition %d: %w", e.ID, err)
		}
	}
	c.Result = &library.Compared{Comparison: compare.Editions(pages[0], pages[1]), Areas: map[int][]sheet.Rect{}}
	for _, p := range c.Result.Pages {
		if p.Change == compare.Changed {
			if areas := compare.Areas(pages[0][p.Old-1], pages[1][p.New-1]); len(areas) > 0 {
				c.Result.Areas[p.New] = areas
			}
		}
	}
	return in.Library.KeepCompared(ctx, c)
}
