package desk

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/compare"
	"incipit/internal/core/proof"
	"incipit/internal/core/report"
	"incipit/internal/core/revisit"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/deliver"
	"incipit/internal/draft"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/placing"
	"incipit/internal/press"
)

// documentView is the data of a document's own screen.
type documentView struct {
	library.Document
	Now        library.ListedEdition
	Editions   []library.ListedEdition
	Turns      []library.Turn
	Out        []library.RemovedEdition // that can be put back
	Placements []placing.OfDocument
	Removed    []placing.OfDocument // that can be put back
	Uses       []used
	Source     library.Source // where its file comes from; its ID is 0 where that is nobody's address
	MaxMB      int64
	Said       string
	Reading    bool // an edition is still being examined, or reported on
	Report     library.Report
	Found      []report.Group
	Notes      []report.Group // of everybody’s concern
	More       int            // of what was found that is not listed
	Broken     []library.WebLink
}

// Paces, Pace and AtOnce are how its address can be followed, and how it is.
func (documentView) Paces() any { return revisit.Paces }

// Pace is how often its address is looked at.
func (v documentView) Pace() revisit.Pace { return v.Source.Hours }

// Close is how many pages of a document are looked at closely, at most.
func (documentView) Close() int { return intake.MostClose }

// AtOnce says whether readers get a changed file by itself.
func (v documentView) AtOnce() bool { return v.Source.AtOnce }

func (d *Desk) document(c *echo.Context) error { return d.documentScreen(c, http.StatusOK, "") }

func (d *Desk) documentScreen(c *echo.Context, status int, said string) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := documentView{MaxMB: d.Intake.MaxBytes >> 20, Said: said}
	if v.Document, err = d.Library.Document(ctx, id); err != nil {
		return err
	}
	if v.Editions, err = d.Library.Editions(ctx, id); err != nil {
		return err
	}
	for _, e := range v.Editions {
		if e.InForce {
			v.Now = e
		}
		v.Reading = v.Reading || e.State == library.Examining
	}
	if v.Now.State == library.Ready {
		if v.Report, err = d.Intake.ReportLater(ctx, v.Now.ID); err != nil {
			return err
		}
		v.Reading = v.Reading || v.Report.Trouble == "" && (v.Report.Result == nil || !v.Report.Result.Close)
	}
	if v.Report.Result != nil {
		v.Found, v.More = report.Grouped(v.Report.Result.Findings)
		v.Notes, _ = report.Grouped(v.Report.Result.Notes)
	}
	if v.Broken, err = d.Library.BrokenLinks(ctx, v.Now.ID); err != nil {
		return err
	}
	v.Source, err = d.Library.SourceOf(ctx, id)
	if err != nil && !errors.Is(err, database.ErrNotFound) {
		return err
	}
	if v.Source.ID == 0 {
		v.Source.Hours = revisit.Pace(24)
	}
	v.Reading = v.Reading || v.Source.Looking
	if v.Turns, err = d.Library.Turns(ctx, id); err != nil {
		return err
	}
	if v.Out, err = d.Library.RemovedEditions(ctx, id); err != nil {
		return err
	}
	if v.Removed, err = d.Placing.RemovedOf(ctx, id); err != nil {
		return err
	}
	if v.Placements, err = d.Placing.ShownOf(ctx, id); err != nil {
		return err
	}
	if v.Uses, err = d.usesOf(ctx, id); err != nil {
		return err
	}
	return d.send(c, status, "document", v.Title, v)
}

// replace takes a file as another edition of a document.
func (d *Desk) replace(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if _, err := d.Library.Document(c.Request().Context(), id); err != nil {
		return err
	}
	return d.upload(c, func(ctx context.Context, name string, r io.Reader, password string) error {
		e, err := d.Intake.Replace(ctx, id, name, r, d.Who(c).Account, password)
		if errors.Is(err, library.ErrTooManyEditions) {
			return d.unable(c, "Not added", unreplaced(err))
		}
		if err != nil {
			return err
		}
		made := editionAt(id, e.Number)
		if wantsJSON(c.Request()) {
			return c.JSON(http.StatusCreated, made)
		}
		return c.Redirect(http.StatusSeeOther, made.Address)
	})
}

// newEdition is an edition that was added, and where it says what it changes.
type newEdition struct {
	Edition int    `json:"edition"`
	Address string `json:"address"`
}

func editionAt(document int64, number int) newEdition {
	return newEdition{number, fmt.Sprintf("/documents/%d/editions/%d", document, number)}
}

// unreplaced says why a file became no edition, or "".
func unreplaced(err error) string {
	var refused draft.Refused
	var p *pdf.Problem
	switch {
	case errors.Is(err, library.ErrTooManyEditions):
		return "This document has as many editions as it may have: remove some that readers never saw. Nothing was kept."
	case errors.As(err, &p):
		return refusalOf(p)
	case errors.As(err, &refused):
		return string(refused)
	}
	return ""
}

// editionView is the data of the screen that says what an edition changes.
type editionView struct {
	Document library.Document
	Edition  library.Edition
	Before   library.Edition // that it is set against: the one in force, or the one before it
	InForce  bool
	Seen     bool // readers saw it once: it is kept
	Done     int
	Of       int
	Trouble  string
	More     bool // the comparison came to the end of its budget, and may go on
	Summary  string
	Words    string
	Same     int
	Pages    []changedPage
	Left     int      // pages that are not listed
	Doubtful bool     // some pages are listed since they were not compared closely
	Beside   []string // what is another one beside the pages
	Known    string   // how far it was looked for, and what is left out
	Effects  []editionEffect
	Sizes    string
}

// Waits says whether more will be known in a while.
func (v editionView) Waits() bool {
	if v.Trouble != "" {
		return false
	}
	return v.Summary == "" || slices.ContainsFunc(v.Effects, func(e editionEffect) bool { return e.Unknown })
}

// changedPage is a page that differs.
type changedPage struct {
	compare.Pair
	Said string
	// OldAreas and Areas are what is marked on the old page and on the new one, in per cent.
	OldAreas, Areas []sheet.Rect
	// OldHigh and NewHigh are how high its images are at 800 px: the place is kept free until
	// they come.
	OldHigh, NewHigh int
}

// editionEffect is what an edition does to a placement.
type editionEffect struct {
	ID      int64
	Said    string
	Screens []turnOfScreen
	Unknown bool // the edition's type has not been measured
}

// mostChanged is how many pages that differ are shown at once.
const mostChanged = 60

// editionOf reads the edition of a request, and its document.
func (d *Desk) editionOf(c *echo.Context) (library.Document, library.Edition, error) {
	id, err := number(c)
	if err != nil {
		return library.Document{}, library.Edition{}, err
	}
	doc, err := d.Library.Document(c.Request().Context(), id)
	if err != nil {
		return doc, library.Edition{}, err
	}
	n, err := strconv.Atoi(c.Param("number"))
	if err != nil {
		return doc, library.Edition{}, fmt.Errorf("read the number of an edition: %w", database.ErrNotFound)
	}
	e, err := d.Library.EditionOf(c.Request().Context(), id, n)
	return doc, e, err
}

func (d *Desk) edition(c *echo.Context) error {
	v, err := d.changes(c)
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "edition", fmt.Sprintf("Edition %d of %s", v.Edition.Number, v.Document.Title), v)
}

// editionChanges answers with the changes alone, for the script that waits for them.
func (d *Desk) editionChanges(c *echo.Context) error {
	v, err := d.changes(c)
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "changes", v.Document.Title, v)
}

// changes gathers what an edition changes.
func (d *Desk) changes(c *echo.Context) (editionView, error) {
	ctx := c.Request().Context()
	doc, e, err := d.editionOf(c)
	if err != nil {
		return editionView{}, err
	}
	v := editionView{Document: doc, Edition: e, InForce: e.Number == doc.Edition}
	against := doc.Edition
	if v.InForce {
		against = e.Number - 1
	}
	if asked, err := strconv.Atoi(c.QueryParam("against")); err == nil && asked != e.Number {
		against = asked
	}
	all, err := d.Library.Editions(ctx, doc.ID)
	if err != nil {
		return v, err
	}
	for _, o := range all {
		v.Seen = v.Seen || o.ID == e.ID && o.Published
		if v.InForce && o.Number < e.Number && c.QueryParam("against") == "" {
			against = o.Number // the newest that is left below it
			break
		}
	}
	if v.Before, err = d.Library.EditionOf(ctx, doc.ID, against); err != nil {
		if errors.Is(err, database.ErrNotFound) && v.InForce {
			v.Trouble = "There is no earlier edition to set it against."
			return v, nil
		}
		return v, err
	}
	if e.State == library.Failed {
		v.Trouble = e.ProblemMessage + " What readers see is as it was. Remove this edition and add a mended file."
		return v, nil
	}
	if err := d.Intake.CompareLater(ctx, v.Before, e); err != nil {
		return v, err
	}
	k, err := d.Library.Compared(ctx, v.Before.ID, e.ID)
	if err != nil {
		return v, err
	}
	v.Done, v.Of, v.Trouble, v.More = k.Done, max(k.Pages, v.Before.Pages+e.Pages), k.Trouble, k.OutOfBudget
	v.Sizes = compare.SizesSaid(v.Before.AllSheets(), e.AllSheets())
	if k.Result == nil {
		return v, nil
	}
	v.Summary, v.Words = k.Result.Said()
	differ, doubtful, same := k.Result.Sorted()
	v.Same, v.Doubtful = same, len(doubtful) > 0
	for _, p := range append(differ, doubtful...) {
		if len(v.Pages) == mostChanged {
			v.Left++
			continue
		}
		v.Pages = append(v.Pages, pageOf(p, *k.Result, v.Before.AllSheets(), e.AllSheets()))
	}
	v.Beside, v.Known = besideSaid(*k.Result)
	if !v.InForce && v.Before.Number == doc.Edition {
		where, _, err := d.Library.Where(ctx, v.Before, e)
		if err != nil {
			return v, err
		}
		v.Effects, err = d.editionEffects(ctx, doc, v.Before, e, where)
		return v, err
	}
	return v, err
}

func inPerCent(a sheet.Rect) sheet.Rect {
	return sheet.Rect{X: 100 * a.X, Y: 100 * a.Y, W: 100 * a.W, H: 100 * a.H}
}

func pageOf(p compare.Pair, found library.Compared, before, after []sheet.Sheet) changedPage {
	high := func(of []sheet.Sheet, page int) int {
		if page < 1 || page > len(of) || of[page-1].Width <= 0 {
			return 0
		}
		return int(math.Round(800 * of[page-1].Height / of[page-1].Width))
	}
	out := changedPage{Pair: p, Said: p.Said(), OldHigh: high(before, p.Old), NewHigh: high(after, p.New)}
	for _, a := range found.Areas[p.New] {
		out.OldAreas, out.Areas = append(out.OldAreas, inPerCent(a)), append(out.Areas, inPerCent(a))
	}
	for _, a := range found.GoneAt[p.Old] {
		out.OldAreas = append(out.OldAreas, inPerCent(a))
	}
	for _, a := range found.FreshAt[p.New] {
		out.Areas = append(out.Areas, inPerCent(a))
	}
	return out
}

// editionEffects says what an edition does to the placements of its document, proofed
// before and after.
func (d *Desk) editionEffects(ctx context.Context, doc library.Document, before, after library.Edition, where placing.Where) ([]editionEffect, error) {
	follows, err := d.Placing.Follows(ctx, doc.ID, where)
	if err != nil {
		return nil, err
	}
	house, err := d.Placing.House(ctx)
	if err != nil {
		return nil, err
	}
	screens := proof.Usual(house.Sites[0])
	var out []editionEffect
	for _, t := range follows[:min(len(follows), mostEffects)] {
		e := editionEffect{ID: t.Placement, Said: "Its draft follows; readers do not see it yet."}
		if t.Published {
			e.Said = "Readers get the new edition at the same address."
		}
		switch {
		case t.From > 1 && t.Gone:
			e.Said += fmt.Sprintf(" It opens at page %d, which is gone: it will open at page %d. Choose another one on its bench.", t.From, t.To)
		case t.From != t.To:
			e.Said += fmt.Sprintf(" It opens at page %d, which is page %d now.", t.From, t.To)
		}
		if e.Unknown = !after.Measured; e.Unknown {
			out = append(out, e)
			continue
		}
		later := t.Settings
		later.OpenAt = t.To
		was, err := d.looked(doc, before, t.Settings, house, screens)
		if err != nil {
			return nil, err
		}
		will, err := d.looked(doc, after, later, house, screens)
		if err != nil {
			return nil, err
		}
		for i := range was {
			e.Screens = append(e.Screens, turns(was[i], will[i])...)
		}
		e.Screens = slices.DeleteFunc(e.Screens, func(s turnOfScreen) bool { return s.Better })
		out = append(out, e)
	}
	return out, nil
}

func (d *Desk) looked(doc library.Document, e library.Edition, s setting.Settings, house placing.House, screens []proof.Screen) ([]proof.View, error) {
	f, err := d.factsFor(placing.Whole{Document: doc, Edition: e}, s)
	if err != nil {
		return nil, err
	}
	return proof.Look(f, s, house.Terms, screens), nil
}

// editionPage answers with the image of a page of an edition, whatever is in force.
func (d *Desk) editionPage(c *echo.Context) error {
	_, e, err := d.editionOf(c)
	if err != nil {
		return err
	}
	page, err := strconv.Atoi(c.Param("page"))
	width, err2 := strconv.Atoi(c.Param("width"))
	if err != nil || err2 != nil || e.Locked || page < 1 || page > e.Pages {
		return database.ErrNotFound
	}
	return d.image(c, e, page, width)
}

// image answers with the image of a page.
func (d *Desk) image(c *echo.Context, e library.Edition, page, width int) error {
	made, err := d.Press.Image(c.Request().Context(), press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes, Units: e.Facts.Units}, page, width)
	switch {
	case errors.Is(err, press.ErrBusy):
		c.Response().Header().Set("Retry-After", "2")
		return c.NoContent(http.StatusServiceUnavailable)
	case errors.Is(err, press.ErrOffLadder):
		return database.ErrNotFound
	case pdf.KindOf(err) != "":
		return c.NoContent(http.StatusUnprocessableEntity)
	case err != nil:
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: made.MediaType, ETag: made.ETag, Private: true,
		Content: bytes.NewReader(made.Bytes)})
	return nil
}

// turnTo puts an edition in force, as its maker saw what that does.
func (d *Desk) turnTo(c *echo.Context) error {
	doc, e, err := d.editionOf(c)
	if err != nil {
		return err
	}
	seen, err := strconv.Atoi(c.FormValue("seen"))
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "no edition that was seen")
	}
	ctx := c.Request().Context()
	now, err := d.Library.EditionOf(ctx, doc.ID, seen)
	if err != nil {
		return err
	}
	where, known, err := d.Library.Where(ctx, now, e)
	if err != nil {
		return err
	}
	if !known {
		return d.documentScreen(c, http.StatusConflict, fmt.Sprintf("Edition %d is still being compared with edition %d. Nothing was changed: see what it changes first.", e.Number, seen))
	}
	err = d.Placing.TurnTo(ctx, doc.ID, seen, e.Number, d.Who(c).Account, maker(c), where)
	var refused draft.Refused
	switch {
	case errors.Is(err, placing.ErrStale):
		return d.documentScreen(c, http.StatusConflict, "Somebody else put another edition in force meanwhile. Nothing was changed: look again at what this one changes.")
	case errors.As(err, &refused):
		return d.documentScreen(c, http.StatusConflict, string(refused))
	case err != nil:
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d", doc.ID))
}
