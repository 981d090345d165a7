package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/store"
)

// Sentences for when somebody else was at the same: who changed what, when, and what
// became of what was asked.

func meanwhile(by string, at time.Time, what string) string {
	if by == "" {
		by = "Somebody"
	}
	return fmt.Sprintf("%s changed %s at %s.", by, what, at.UTC().Format("15:04 UTC"))
}

// clashed is told where both changed the same: nothing was done.
func clashed(by string, at time.Time, what string) errSentence {
	return errSentence{409, meanwhile(by, at, what) + " You were changing that, too, so yours was not kept. It is shown now as it stands; repeat your change if you still want it."}
}

// outpaced is told where a command goes by what its maker has not seen.
func outpaced(by string, at time.Time, what, again string) errSentence {
	return errSentence{409, meanwhile(by, at, what) + " You had not seen that, so nothing was done. It is shown now as it stands; look at it, then " + again + "."}
}

// beside is told where others changed something else, and both stand.
func beside(by string, at time.Time, what string) string {
	return meanwhile(by, at, what) + " Your change was made beside it."
}

// settingsOf names settings, or the draft where it is not known which.
func settingsOf(keys []setting.Key) string {
	if len(keys) == 0 {
		return "this draft"
	}
	return setting.Named(keys)
}

// partsOf names parts of something, or all of it where it is not known which.
func partsOf(parts []string, named func(string) string, all string) string {
	var out []string
	for _, p := range parts {
		if n := named(p); n != "" && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	switch n := len(out); n {
	case 0:
		return all
	case 1:
		return out[0]
	default:
		return strings.Join(out[:n-1], ", ") + " and " + out[n-1]
	}
}

// changed answers a change of what is in force: with a clash, or by then, which is given
// what others changed beside it, or "".
func changed(c *echo.Context, m store.Meanwhile, err error, named func(string) string, all string, then func(notice string) error) error {
	var clash *store.Clash
	if errors.As(err, &clash) {
		return told(c, clashed(clash.By, clash.At, partsOf(clash.Members, named, all)))
	}
	if err != nil {
		return told(c, err)
	}
	notice := ""
	if len(m.Members) > 0 {
		notice = beside(m.By, m.At, partsOf(m.Members, named, all))
	}
	return then(notice)
}

// inForce is what is in force at once, as undo and redo go about it.
type inForce struct {
	what   string // in a sentence
	move   func(ctx context.Context, seen int64, by string, way int) error
	made   func(ctx context.Context) (draft.Step, error) // the step that holds
	answer func(c *echo.Context, way int) error
}

// moveInForce goes back (-1) or forward (+1) from what its maker saw.
func (d *Desk) moveInForce(c *echo.Context, way int, f inForce) error {
	saw, err := seen(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	err = f.move(ctx, saw.Revision, maker(c), way)
	if errors.Is(err, store.ErrStale) {
		made, err := f.made(ctx)
		if err != nil {
			return err
		}
		return told(c, outpaced(made.MadeBy, made.MadeAt, f.what, again[way]))
	}
	if err != nil {
		return err
	}
	return f.answer(c, way)
}

// again says what to do once more, by the way.
var again = map[int]string{-1: "undo again", 1: "redo again"}
