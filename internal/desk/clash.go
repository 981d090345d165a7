package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
)

// Sentences for when somebody else was at the same: who changed what, when, and what
// became of what was asked.

// meanwhile says who changed what; what is called whole where it is not known.
func meanwhile(made []draft.Made, of part) string {
	var said []string
	for _, m := range made {
		by := m.By
		if by == "" {
			by = "Somebody"
		}
		said = append(said, fmt.Sprintf("%s changed %s at %s.", by, partsOf(m.Members, of.named, of.whole), m.At.UTC().Format("15:04 UTC")))
	}
	return strings.Join(said, " ")
}

// part says what there is to change: its parts by name, "" where one has none of its
// own, all of it, and what is so still where a change was refused.
type part struct {
	named func(member string) string
	whole string
	kept  string
}

var (
	ofDraft = part{func(member string) string { return setting.Named([]setting.Key{setting.Key(member)}) }, "this draft",
		"The earlier value is kept."}
	ofHouse = part{houseNamed, "house style", "The earlier value is kept."}
	// ofHouseBelow says it where a placement is looked at.
	ofHouseBelow = part{func(member string) string {
		if n := houseNamed(member); n != "" {
			return n + " in house style"
		}
		return ""
	}, "house style", "The earlier value is kept."}
	ofPage  = part{func(string) string { return "" }, "this page", "The page stays as it is."}
	ofFrame = part{webpage.FrameNamed, "what all pages have in common", "What was there before is kept."}
	ofThis  = part{collection.Named, "this collection", "What was there before is kept."}
)

// clashed is told where both changed the same: nothing was done.
func clashed(made []draft.Made, of part) errSentence {
	return errSentence{http.StatusConflict, meanwhile(made, of) + " You were changing that, too, so yours was not kept. It is shown now as it stands; repeat your change if you still want it."}
}

// outpaced is told where a command goes by what its maker has not seen.
func outpaced(made []draft.Made, of part, again string) errSentence {
	return errSentence{http.StatusConflict, meanwhile(made,
		of) + " You had not seen that, so nothing was done. It is shown now as it stands; look at it, then " + again + "."}
}

// beside is told where others changed something else, and both stand; "" where nobody did.
func beside(made []draft.Made, of part) string {
	if len(made) == 0 {
		return ""
	}
	return meanwhile(made, of) + " Your change was made beside it."
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

// errAnew is told where somebody withdraws what was published anew since they looked.
var errAnew = errSentence{http.StatusConflict, "It was published anew meanwhile, and you had not seen that: nothing was withdrawn. It is shown now as it stands; withdraw it again if you still want to."}

// toldOf answers with what an error says to an editor of something, or gives it on. again
// says what to do once more where nothing was done.
func toldOf(c *echo.Context, err error, of part, again string) error {
	var clash *draft.Clash
	if errors.As(err, &clash) {
		return told(c, clashed(clash.Made, of), "")
	}
	var stale *draft.Stale
	if errors.As(err, &stale) {
		if stale.Kind == draft.House && of.whole != ofHouse.whole {
			of = ofHouseBelow
		}
		return told(c, outpaced(stale.Made, of, again), "")
	}
	return told(c, err, of.kept)
}

// moveInForce goes back (-1) or forward (+1) in what is in force at once, from what its
// maker saw.
func (d *Desk) moveInForce(c *echo.Context, way int, of part, move func(ctx context.Context, seen int64, by string, way int) error,
	answer func() error) error {
	saw, err := seen(c)
	if err != nil {
		return err
	}
	if err := move(c.Request().Context(), saw.Revision, maker(c), way); err != nil {
		return toldOf(c, err, of, again[way])
	}
	return answer()
}

// again says what to do once more, by the way.
var again = map[int]string{-1: "undo again", 1: "redo again"}
