package demo

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"time"

	"incipit/internal/app"
	"incipit/internal/core/address"
	"incipit/internal/core/collection"
	"incipit/internal/core/embed"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/library"
	"incipit/internal/picture"
	"incipit/internal/placing"
	"incipit/internal/publishing"
	"incipit/internal/standin"
)

// Pages gives the observatory two collections and three web pages here. It
// waits until their documents have been read, and does nothing where there are
// pages already. The website gets a page on which a collection stands.
func Pages(ctx context.Context, a *app.App, w *standin.Website) error {
	there, err := a.Publishing.WebPagesBelow(ctx, 0)
	if err != nil || there.All > 0 {
		return err
	}
	ids := map[string]int64{}
	for _, title := range []string{"Trail map", "Welcome leaflet in four languages", "Volunteer handbook",
		"Survey paper: Where the Knot went", "Annual report 2025", "Warden’s logbook, spring 1953"} {
		if ids[title], err = stood(ctx, a, title); err != nil {
			return err
		}
	}
	gather := func(name string, as collection.Arrangement, items ...collection.Item) (publishing.Collection, error) {
		c := collection.New(name)
		c.Arrangement, c.Items, c.Sorting = as, items, true
		return a.Publishing.AddCollection(ctx, c)
	}
	surveys, err := gather("Surveys and reports", collection.Chooser,
		collection.Item{Placement: ids["Annual report 2025"], Category: "This year"},
		collection.Item{Placement: ids["Survey paper: Where the Knot went"], Category: "This year"},
		collection.Item{Placement: ids["Warden’s logbook, spring 1953"], Category: "From the archive"})
	if err != nil {
		return err
	}
	code, err := embed.Collection{Address: a.Config.PublicURL + address.Collection(surveys.Key), Name: surveys.Content.Name,
		Height: surveys.Content.Height}.Code(embed.Element)
	if err != nil {
		return err
	}
	if page, err := w.Page("surveys"); err == nil && !strings.Contains(page, surveys.Key) {
		if err := w.Save("surveys", strings.Replace(page, "\n\n", "\n"+code, 1)); err != nil {
			return err
		}
	}
	if err := w.Add("reports", "<h1>Surveys and reports</h1>\n<p>Choose one to read it here.</p>\n"+code); err != nil {
		return err
	}
	visitors, err := gather("For visitors", collection.Grid,
		collection.Item{Placement: ids["Welcome leaflet in four languages"]}, collection.Item{Placement: ids["Trail map"]},
		collection.Item{Placement: ids["Volunteer handbook"]})
	if err != nil {
		return err
	}
	drawing, err := Marsh()
	if err != nil {
		return err
	}
	marsh, err := picture.Take(ctx, a.Intake.Engine, a.Publishing, a.Blobs, "marsh.png", bytes.NewReader(drawing))
	if err != nil {
		return err
	}
	text := func(t string) webpage.Block { return webpage.Block{Kind: webpage.Text, Text: t} }
	of := func(kind webpage.Kind, id int64) webpage.Block { return webpage.Block{Kind: kind, Of: id} }
	var made []webpage.Nav
	for _, p := range []struct {
		path, label string
		page        webpage.Page
	}{
		{"", "Start", laid("Where the marsh meets the sea",
			laidRow{webpage.WideFirst, [][]webpage.Block{
				{text("Four hundred hectares of reed, mud and open water, watched every day since 1951. The hides are open from sunrise; **nobody needs to book**.\n\n# This week\n\n* Knot and dunlin on the scrape, best two hours before high water\n* The north hide is closed on Thursday for the sluice works\n* Ringing at the copse on Saturday from 7:00")},
				{{Kind: webpage.Picture, Of: marsh.ID, Alt: "Reeds against an evening sky, with geese in a line above the water",
					Text: "The scrape at dusk."}, {Kind: webpage.Button, Text: "Plan a visit", Address: "/pages/visit"}},
			}},
			laidRow{webpage.One, [][]webpage.Block{{of(webpage.Collection, visitors.ID)}}})},
		{"visit", "Visit", laid("Plan a visit",
			laidRow{webpage.Halves, [][]webpage.Block{
				{text("# Ways round\n\nThe long loop is six kilometres and wet after rain. The short one is level and fit for wheelchairs as far as the *Avocet hide*.\n\nDogs stay on leads, all year.")},
				{of(webpage.Placement, ids["Trail map"])},
			}},
			laidRow{webpage.One, [][]webpage.Block{{text("# When you arrive\n\nAsk at the desk for the key of the north hide."),
				{Kind: webpage.Link, Text: "What the volunteers can tell you", Address: "/pages/surveys"}}}})},
		{"surveys", "Surveys", laid("Surveys and reports",
			laidRow{webpage.One, [][]webpage.Block{{text("What was counted, by whom, and what it may mean. Choose a report to read it here."),
				of(webpage.Collection, surveys.ID)}}})},
	} {
		kept, err := a.Publishing.AddWebPage(ctx, p.path, p.page, editor)
		if err != nil {
			return err
		}
		draft, err := a.Publishing.WebPageDraft(ctx, kept.ID)
		if err != nil {
			return err
		}
		if err := a.Publishing.PublishWebPage(ctx, kept.ID, draft.Revision, editor, webpage.Plan{}); err != nil {
			return err
		}
		made = append(made, webpage.Nav{Label: p.label, Page: kept.ID})
	}
	_, err = a.Publishing.ChangeSiteFrame(ctx, 0, editor,
		webpage.Frame{Name: "Harrowmere Bird Observatory", Links: made, Accent: "#256b5c", Language: "en",
			Footer: "Harrowmere Bird Observatory, Sluice Lane, Harrowmere. Open every day from sunrise."})
	return err
}

type laidRow struct {
	split   webpage.Split
	columns [][]webpage.Block
}

// laid makes a page of rows.
func laid(title string, rows ...laidRow) webpage.Page {
	p := webpage.New(title)
	p.Rows = nil
	for i, r := range rows {
		p, _ = p.Done(webpage.Act{Do: webpage.DoAddRow, Split: r.split, To: webpage.Spot{Row: i}})
		for k, blocks := range r.columns {
			for n, b := range blocks {
				p, _ = p.Done(webpage.Act{Do: webpage.DoAdd, New: &b, To: webpage.Spot{Row: i, Column: k, At: n}}) // the places are there
			}
		}
	}
	return p
}

// keptFaulty is published with something that must be fixed, to show what that is.
const keptFaulty = "Tide and hide access table"

// Sound mends settings as somebody at the bench would: by the first fix of what must be
// fixed on any screen, until nothing must.
func Sound(e library.Edition, s setting.Settings, site proof.Site) setting.Settings {
	f := e.ProofFacts()
	for range 8 {
		must := proof.Musts(proof.Run(f, s, proof.Terms{}, proof.Usual(site)))
		at := slices.IndexFunc(must, func(m proof.Elsewhere) bool { return len(m.Fixes) > 0 })
		if at < 0 {
			break
		}
		mended, err := must[at].Fixes[0].Set.Over(s)
		if err != nil {
			break // a fix was tried before it was offered
		}
		s = mended
	}
	return s
}

// stood gives the placement of a demo document that readers see, placing and
// publishing it once it has been read and measured.
func stood(ctx context.Context, a *app.App, title string) (int64, error) {
	for {
		list, err := a.Library.Documents(ctx, title)
		if err != nil {
			return 0, err
		}
		if len(list) > 0 && list[0].State == library.Ready {
			e, err := a.Library.Edition(ctx, list[0].EditionID)
			if err != nil {
				return 0, err
			}
			if e.Measured {
				return placed(ctx, a, title, list[0].ID, e)
			}
		}
		select {
		case <-ctx.Done():
			return 0, ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func placed(ctx context.Context, a *app.App, title string, document int64, e library.Edition) (int64, error) {
	house, err := a.Placing.House(ctx)
	if err != nil {
		return 0, err
	}
	p, err := a.Placing.Place(ctx, document, placing.Start{})
	if err != nil {
		return 0, err
	}
	settings := house.Settings
	if title != keptFaulty {
		settings = Sound(e, settings, house.Sites[0])
	}
	if err := a.Placing.Redraft(ctx, p.ID, 0, setting.Diff(house.Settings, settings)); err != nil {
		return 0, err
	}
	account, err := a.People.AccountByEmail(ctx, Email)
	if err != nil {
		return 0, err
	}
	return p.ID, a.Placing.Publish(ctx, p.ID, e.ID, account.ID, settings)
}
