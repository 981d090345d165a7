package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
)

// pageState is a web page's draft as its screen shows it, after each change.
type pageState struct {
	ID       int64        `json:"id"`
	Step     int64        `json:"step"`
	Revision int64        `json:"revision"` // that holds
	Undo     bool         `json:"undo"`
	Redo     bool         `json:"redo"`
	By       string       `json:"by"` // who made the step that holds
	At       time.Time    `json:"at"`
	Page     webpage.Page `json:"page"`
	Path     string       `json:"path"`
	Address  string       `json:"address"`

	HTML        template.HTML        `json:"html"`
	Frames      map[string]pageFrame `json:"frames"` // by block
	Window      float64              `json:"window"`
	Screens     []screenMark         `json:"screens"`
	Glosses     []webpage.Gloss      `json:"glosses"`
	Differences []webpage.Difference `json:"differences"`
	Holds       int                  `json:"holds"` // the version that readers see, or 0
	Since       *time.Time           `json:"since"`
	SinceBy     string               `json:"since_by"`
	Plans       []planned            `json:"plans"`
	Accent      string               `json:"accent"`
	Pulled      string               `json:"pulled"`
	Notice      string               `json:"notice"` // what others did meanwhile
}

type pageFrame struct {
	Style     frame.Style   `json:"style"`
	Box       frame.Box     `json:"box"`
	Screen    proof.Screen  `json:"screen"`
	Placement int64         `json:"placement"`
	Title     string        `json:"title"`
	Own       []setting.Key `json:"own"` // in which it differs from its placement
	Centred   bool          `json:"centred"`
	Mark      string        `json:"mark"` // another one where the viewer must load anew
}

type planned struct {
	Due     time.Time `json:"due"`
	Version int       `json:"version"`
	By      string    `json:"by"`
}

// screenMark is a usual screen on the ruler, with the worst that is found there.
type screenMark struct {
	Screen proof.Screen `json:"screen"`
	Worst  proof.Gloss  `json:"worst"`
}

// usualWindow is the window that a page is shown in at first, CSS px.
const usualWindow = 1280

func windowOf(c *echo.Context) float64 {
	w, err := strconv.ParseFloat(c.QueryParam("page"), 64)
	if err != nil || !(w >= proof.MinPage && w <= proof.MaxPage) {
		return usualWindow
	}
	return w
}

// pageStateOf reads a page's draft; unsaved shows other content in its place.
func (d *Desk) pageStateOf(c *echo.Context, id int64, unsaved *webpage.Page) (pageState, error) {
	ctx := c.Request().Context()
	p, err := d.Publishing.WebPage(ctx, id)
	if err != nil {
		return pageState{}, err
	}
	step, err := d.Publishing.WebPageDraft(ctx, id)
	if err != nil {
		return pageState{}, err
	}
	s := pageState{ID: id, Step: p.Step, Revision: step.Revision, Undo: step.Undo, Redo: step.Redo, By: step.MadeBy, At: step.MadeAt,
		Page: step.Content, Window: windowOf(c),
		Frames: map[string]pageFrame{}, Glosses: []webpage.Gloss{}, Differences: []webpage.Difference{}, Plans: []planned{}}
	if unsaved != nil {
		s.Page = *unsaved
	}
	if s.Path, err = d.Publishing.PathOf(ctx, id); err != nil {
		return s, err
	}
	s.Address = d.PublicURL + address.Page(s.Path)
	f, err := d.Publishing.SiteFrame(ctx)
	if err != nil {
		return s, err
	}
	s.Accent = f.Content.Accent
	if err := d.proofPage(ctx, &s); err != nil {
		return s, err
	}
	return s, d.standingOf(ctx, &s)
}

// proofPage draws a page and says what readers get of its documents.
func (d *Desk) proofPage(ctx context.Context, s *pageState) error {
	drawn, err := d.Site.Draw(ctx, s.Page, true)
	if err != nil {
		return err
	}
	s.HTML = drawn.HTML
	house, err := d.Placing.House(ctx)
	if err != nil {
		return err
	}
	for _, screen := range proof.Usual(proof.Site{Column: webpage.Widest, Margin: webpage.Margin}) {
		s.Screens = append(s.Screens, screenMark{screen, proof.View{}.Worst()})
	}
	for _, b := range s.Page.Blocks() {
		f, there := drawn.Frames[b.ID]
		if !there {
			continue
		}
		facts := f.Edition.ProofFacts()
		if facts.Shell, err = d.Shell(f.Title, f.Settings, f.Edition); err != nil {
			return err
		}
		seen, err := webpage.Proof(s.Page, b.ID, facts, f.Base, house.Terms, s.Window)
		if err != nil {
			return err
		}
		inner, err := json.Marshal([]any{f.Edition.ID, f.Base})
		if err != nil {
			return fmt.Errorf("name a viewer: %w", err)
		}
		s.Frames[b.ID] = pageFrame{Style: f.Style, Box: seen.View.Box, Screen: seen.View.Screen, Placement: f.Placement, Title: f.Title,
			Own: keysOf(b.Set), Centred: f.Settings.Align == setting.Centre, Mark: string(inner)}
		s.Glosses = append(s.Glosses, seen.Glosses...)
		for i := range s.Screens {
			if g := seen.Worst[i]; proof.Rank(g.Level) > proof.Rank(s.Screens[i].Worst.Level) {
				s.Screens[i].Worst = g
			}
		}
	}
	slices.SortStableFunc(s.Glosses, func(a, b webpage.Gloss) int { return cmp.Compare(proof.Rank(b.Level), proof.Rank(a.Level)) })
	return nil
}

func keysOf(p setting.Patch) []setting.Key { return append([]setting.Key{}, p.Keys()...) }

// standingOf says what readers see of a page, what is planned, and in what the
// draft differs.
func (d *Desk) standingOf(ctx context.Context, s *pageState) error {
	turns, err := d.Publishing.Turns(ctx, s.ID)
	if err != nil {
		return err
	}
	now := time.Now()
	for _, t := range webpage.Planned(turns, now) {
		s.Plans = append(s.Plans, planned{t.Due, t.Version, t.By})
	}
	if s.Holds = webpage.Holding(turns, now); s.Holds == 0 {
		return nil
	}
	v, err := d.Publishing.WebPageVersionAt(ctx, s.ID, s.Holds)
	if err != nil {
		return err
	}
	s.Since, s.SinceBy, s.Differences = &v.MadeAt, v.MadeBy, webpage.Differences(v.Content, s.Page, nil)
	if len(s.Differences) == 0 {
		return nil
	}
	names, err := d.Publishing.NamesOn(ctx, v.Content, s.Page)
	if err != nil {
		return err
	}
	s.Differences = webpage.Differences(v.Content, s.Page, names)
	return nil
}

func (d *Desk) answerPage(c *echo.Context, id int64, notice string) error {
	s, err := d.pageStateOf(c, id, nil)
	if err != nil {
		return err
	}
	s.Notice = notice
	return c.JSON(http.StatusOK, s)
}
