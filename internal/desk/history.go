package desk

import (
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/pmezard/go-difflib/difflib"

	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
)

// What was published of a page, when and by whom; two versions side by side; and
// the way back.

type historyData struct {
	State    pageState
	Versions []publishing.ListedVersion
	Turns    []webpage.Turn
	// OfVersions and OfTurns lead to the rest of both.
	OfVersions, OfTurns paging
	Now                 time.Time
	// From and To are compared: versions, or 0 for the draft.
	From, To    int
	Choices     []int // versions that can be compared here: those listed, and those that are
	Differences []webpage.Difference
	Lines       []diffLine
}

// diffLine is a line of what is written on a page, and what became of it.
type diffLine struct {
	How  webpage.How // Added, Removed, or ""
	Text string
}

func (d *Desk) history(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := historyData{Now: time.Now()}
	if v.State, err = d.pageStateOf(c, id, nil); err != nil {
		return err
	}
	versions, err := d.Publishing.VersionsBelow(ctx, id, below(c))
	if err != nil {
		return err
	}
	turns, err := d.Publishing.TurnsBelow(ctx, id, belowIn(c, "turns"))
	if err != nil {
		return err
	}
	v.Versions, v.OfVersions = versions.Rows, pagingOf(c, versions)
	v.Turns, v.OfTurns = turns.Rows, pagingIn(c, "turns", turns)
	if len(v.Versions) == 0 {
		return d.send(c, http.StatusOK, "history", "History", v)
	}
	v.From, v.To = v.Versions[0].Number, 0
	if n, err := strconv.Atoi(c.QueryParam("from")); err == nil {
		v.From = n
	}
	if n, err := strconv.Atoi(c.QueryParam("to")); err == nil {
		v.To = n
	}
	v.Choices = []int{v.From, v.To}
	for _, l := range v.Versions {
		v.Choices = append(v.Choices, l.Number)
	}
	slices.Sort(v.Choices)
	slices.Reverse(v.Choices)
	v.Choices = slices.DeleteFunc(slices.Compact(v.Choices), func(n int) bool { return n == 0 })
	content := func(version int) (webpage.Page, error) {
		if version == 0 {
			return v.State.Page, nil
		}
		kept, err := d.Publishing.WebPageVersionAt(ctx, id, version)
		return kept.Content, err
	}
	before, err := content(v.From)
	if err != nil {
		return err
	}
	after, err := content(v.To)
	if err != nil {
		return err
	}
	names, err := d.Publishing.NamesOn(ctx, before, after)
	if err != nil {
		return err
	}
	v.Differences, v.Lines = webpage.Differences(before, after, names), compared(before, after, names)
	return d.send(c, http.StatusOK, "history", "History", v)
}

// compared gives what is written on two pages, line by line, with what became of
// each (longest matching blocks, Ratcliff and Obershelp).
func compared(before, after webpage.Page, names webpage.Names) []diffLine {
	a, b := written(before, names), written(after, names)
	out := []diffLine{}
	put := func(how webpage.How, lines []string) {
		for _, l := range lines {
			out = append(out, diffLine{how, l})
		}
	}
	for _, op := range difflib.NewMatcher(a, b).GetOpCodes() {
		if op.Tag == 'e' {
			put("", a[op.I1:op.I2])
			continue
		}
		put(webpage.Removed, a[op.I1:op.I2])
		put(webpage.Added, b[op.J1:op.J2])
	}
	return out
}

func written(p webpage.Page, names webpage.Names) []string {
	out := []string{p.Title}
	for _, b := range p.Blocks() {
		if b.Kind != webpage.Text {
			out = append(out, b.Words(names))
			continue
		}
		for l := range strings.SplitSeq(b.Text, "\n") {
			if strings.TrimSpace(l) != "" {
				out = append(out, l)
			}
		}
	}
	return out
}

// restore makes a version the draft that its maker saw, as its next step: what was
// drafted before is an undo away.
func (d *Desk) restore(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Version  int   `json:"version"`
		Revision int64 `json:"revision"` // of the draft that was seen
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "version").Wrap(err)
	}
	if err := d.Publishing.Restore(c.Request().Context(), id, sent.Revision, maker(c), sent.Version); err != nil {
		return toldOf(c, err, ofPage, "restore it again")
	}
	return c.JSON(http.StatusOK, map[string]int{"version": sent.Version})
}
