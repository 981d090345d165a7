package publishing

import (
	"context"
	"errors"

	"gorm.io/gorm"

	"incipit/internal/core/webpage"
	"incipit/internal/draft"
)

// Act does something to a page's draft, in one transaction, and tells what others made
// meanwhile beside it. It is done to what stands now, unless it would go over what they
// did since its maker saw the page: then it is a *draft.Clash. over says that what they
// did is seen and may go. A draft.Refused says why a page cannot be so.
func (s *Publisher) Act(ctx context.Context, id, seen int64, by string, a webpage.Act, over bool) (others []draft.Made, err error) {
	err = s.onPage(ctx, id, func(tx *gorm.DB, step draft.Step) (draft.Step, error) {
		now, err := pageStep(step)
		if err != nil {
			return step, err
		}
		if step.Revision != seen {
			made, touched, err := touchedSince(tx, step, seen, a)
			if err != nil {
				return step, err
			}
			others = []draft.Made{{By: made.MadeBy, At: made.MadeAt}}
			if touched && !over {
				return step, &draft.Clash{Made: others}
			}
		}
		next, err := now.Content.Done(a)
		if err != nil {
			return step, draft.Refused(err.Error())
		}
		if err := draft.Refuse(next.Check()); err != nil {
			return step, err
		}
		return draft.Next(tx, step, by, next)
	})
	return others, err
}

// touchedSince says whether a page was changed since it was seen where an act changes it,
// and gives the step that did so last; the one that holds where nothing of it was, or where
// what was seen is not kept: then all of it counts as changed.
func touchedSince(tx *gorm.DB, now draft.Step, seen int64, a webpage.Act) (WebPageStep, bool, error) {
	is, err := pageStep(now)
	if err != nil {
		return is, false, err
	}
	saw, err := draft.At(tx, draft.Page, now.Subject, seen)
	if errors.Is(err, draft.ErrGone) {
		return is, true, nil
	}
	if err != nil {
		return is, false, err
	}
	was, err := pageStep(saw)
	if err != nil || !webpage.Touched(was.Content, is.Content, a) {
		return is, false, err
	}
	later, last := is, is
	err = draft.Back(tx, now, seen, func(step, _ draft.Step) (bool, error) {
		earlier, err := pageStep(step)
		if err != nil {
			return false, err
		}
		last = later
		found := webpage.Touched(earlier.Content, later.Content, a)
		later = earlier
		return found, nil
	})
	return last, true, err
}
