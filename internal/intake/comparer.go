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
	Pages   int   `json:"pages,omitempty"` // of both, as far as it is known: the short go first
}

// Kind names the job for River.
func (CompareArgs) Kind() string { return "compare" }

// CompareQueue is the queue of comparisons: several at a time, the short ones first, so that
// no long one holds up everybody's new editions.
const CompareQueue = "compare"

// InsertOpts bounds the attempts.
func (a CompareArgs) InsertOpts() river.InsertOpts {
	priority := 1
	for _, long := range []int{100, 500, 1500} {
		if a.Pages > long {
			priority++
		}
	}
	return river.InsertOpts{MaxAttempts: 5, Queue: CompareQueue, Priority: priority}
}

// CompareLater has two editions compared, once.
func (in *Intake) CompareLater(ctx context.Context, before, edition library.Edition) error {
	return in.Library.CompareLater(ctx, before.ID, edition.ID, compareJob(before, edition))
}

// CompareOn has a comparison that came to the end of its budget go on with as much again.
func (in *Intake) CompareOn(ctx context.Context, before, edition library.Edition) error {
	return in.Library.CompareOn(ctx, before.ID, edition.ID, compareJob(before, edition))
}

func compareJob(before, edition library.Edition) CompareArgs {
	return CompareArgs{before.ID, edition.ID, before.Pages + edition.Pages}
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
	return in.CompareLater(ctx, now, e)
}

// Comparer works the job.
type Comparer struct {
	river.WorkerDefaults[CompareArgs]
	Intake *Intake
}

// Timeout sets no bound: it has a budget of work.
func (*Comparer) Timeout(*river.Job[CompareArgs]) time.Duration { return -1 }

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
	if !held.TryAcquire(int64(c.Pages)) {
		return river.JobSnooze(2 * time.Second)
	}
	defer held.Release(int64(c.Pages))
	known, err := in.Library.Compared(ctx, c.BeforeID, c.EditionID)
	if errors.Is(err, database.ErrNotFound) {
		return nil // it was removed meanwhile
	}
	if err != nil {
		return err
	}
	wanted, end := in.whileWanted(ctx, c.BeforeID, c.EditionID)
	defer end()
	r := &comparing{in: in, c: &c, budget: time.Duration(max(known.Budgets, 1)) * compareBudget}
	var pages [2][]compare.Page
	for i, e := range editions {
		var err error
		pages[i], err = r.read(pdf.Metered(wanted, &r.meter), e)
		var problem *pdf.Problem
		switch {
		case errors.Is(context.Cause(wanted), errUnwanted):
			in.forgetPages(ctx, editions[0])
			in.forgetPages(ctx, editions[1])
			return nil
		case errors.Is(err, errBudget):
			c.OutOfBudget = true
			c.Trouble = fmt.Sprintf("%d of their %d pages were read within %s of work, and not compared yet. What was read is kept. "+
				"Compare on, or look at them yourself.", c.Done, c.Pages, r.budget)
			return in.Library.KeepCompared(ctx, c)
		case errors.As(err, &problem):
			c.Trouble = fmt.Sprintf("Edition %d cannot be compared: %s", e.Number, problem.Message)
			return in.Library.KeepCompared(ctx, c)
		case err != nil:
			return fmt.Errorf("compare edition %d: %w", e.ID, err)
		}
	}
	result, err := orGone(wanted, func() (*library.Compared, error) { return comparedOf(pages), nil })
	if err == nil {
		var left int
		left, err = r.look(pdf.Metered(wanted, &r.meter), editions, pages, result)
		c.OutOfBudget = left > 0
	}
	if errors.Is(context.Cause(wanted), errUnwanted) {
		in.forgetPages(ctx, editions[0])
		in.forgetPages(ctx, editions[1])
		return nil
	}
	if err != nil { // a stop: what was read is kept, and the job comes again
		return fmt.Errorf("compare edition %d: %w", c.EditionID, err)
	}
	c.Result = result
	if err := in.Library.KeepCompared(ctx, c); err != nil || c.OutOfBudget {
		return err
	}
	in.forgetLooks(ctx, editions[0], editions[1])
	in.forgetPages(ctx, editions[0])
	in.forgetPages(ctx, editions[1])
	return nil
}

// comparedOf compares pages that are read. Where they look otherwise is known coarsely, until
// they are looked at; where words differ, those are marked.
func comparedOf(pages [2][]compare.Page) *library.Compared {
	out := &library.Compared{Comparison: compare.Editions(pages[0], pages[1]), Areas: map[int][]sheet.Rect{}, FreshAt: map[int][]sheet.Rect{}, GoneAt: map[int][]sheet.Rect{}}
	for _, p := range out.Pages {
		if p.Change == compare.Changed && len(out.Comparison.Gone[p.Old-1])+len(out.Comparison.Fresh[p.New-1]) == 0 {
			if areas := compare.Areas(pages[0][p.Old-1], pages[1][p.New-1]); len(areas) > 0 {
				out.Areas[p.New] = areas
			}
		}
	}
	return out
}

// comparing is one comparison under way.
type comparing struct {
	in     *Intake
	c      *library.Comparison
	meter  pdf.Meter
	budget time.Duration
	before int // pages of the edition that was read first
}

var errBudget = errors.New("the budget is spent")

// read reads the pages of an edition, in parts that are kept, and tells how far it is.
func (r *comparing) read(ctx context.Context, e library.Edition) ([]compare.Page, error) {
	src := source(ctx, r.in.Blobs, e)
	texts := r.in.texts(e)
	pages, err := sizesToCompare(ctx, r.in.Engine, src)
	if err != nil {
		return nil, err
	}
	for from := 1; from <= len(pages); from += keptAtOnce {
		part := pages[from-1 : min(from-1+keptAtOnce, len(pages))]
		kept, err := r.in.keptPages(ctx, e, from)
		if err != nil {
			return nil, err
		}
		if len(kept) == len(part) {
			copy(part, kept)
		} else {
			if r.meter.Used() >= r.budget {
				return nil, errBudget
			}
			if err := pagesToCompare(ctx, r.in.Engine, src, texts, from, part, comparedAtOnce, nil); err != nil {
				return nil, err
			}
			if err := r.in.keepPages(ctx, e, from, part); err != nil {
				return nil, err
			}
		}
		r.c.Done = r.before + from - 1 + len(part)
		_ = r.in.Library.ComparedSoFar(ctx, *r.c) // the next part tells it anew
	}
	r.before += len(pages)
	return pages, nil
}
