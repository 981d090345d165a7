package demo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"incipit/internal/app"
	"incipit/internal/core/address"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/standin"
)

// Website puts trial pages on the observatory's website: each way in which a
// document stands on a page, a page with mistakes for the check, one with a
// strict policy, a narrow column, and a page that runs from the right. It waits
// until the tide table has been read. Pages that are there stay as they are.
func Website(ctx context.Context, a *app.App, w *standin.Website) error {
	if _, err := w.Page("ways"); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	p, subject, err := standing(ctx, a, "Tide and hide access table")
	if err != nil {
		return err
	}
	var failed error
	code := func(c embed.Choice) string {
		out, err := c.Written(p, subject)
		failed = errors.Join(failed, err)
		return out
	}
	var ways strings.Builder
	ways.WriteString("<h1>Ways to read the tides</h1>\n<p>The same table, set in every way there is.</p>\n")
	for _, x := range []struct {
		heading string
		choice  embed.Choice
	}{
		{"In the page", embed.Choice{Way: embed.Inline}},
		{"When you come to it", embed.Choice{Way: embed.Element}},
		{"When you press it", embed.Choice{Way: embed.Element, Starts: embed.Press, Words: "Read the tides"}},
		{"Over the page", embed.Choice{Way: embed.Link, Words: "Open the tide table"}},
		{"A button", embed.Choice{Way: embed.Button, Words: "Tides", Page: 2}},
		{"A cover", embed.Choice{Way: embed.Cover, Opens: embed.New}},
		{"A link that becomes a viewer", embed.Choice{Way: embed.Upgrade}},
	} {
		fmt.Fprintf(&ways, "<h2>%s</h2>\n%s\n", x.heading, code(x.choice))
	}
	pages := map[string]string{
		"ways": ways.String(),
		"mistakes": "<h1>A page with mistakes</h1>\n<p>" + strings.Repeat("Somebody was in a hurry here. ", 10) + "</p>\n" +
			strings.ReplaceAll(code(embed.Choice{Way: embed.Inline}), `src="`+subject.Address+`"`, "src=”"+subject.Address+"”") +
			"\n<p>" + strings.NewReplacer("<", "&lt;", ">", "&gt;").Replace(code(embed.Choice{Way: embed.Inline})) + "</p>\n" +
			`<div style="width:300px">` + code(embed.Choice{Way: embed.Inline}) + "</div>\n" +
			`<iframe src="` + subject.Address + `" height="0" sandbox></iframe>` + "\n" +
			`<iframe src="` + subject.Address[:len(subject.Address)-3] +
			`" title="Tides" height="400" loading="lazy" allow="fullscreen"></iframe>` + "\n" +
			`<embed src="/tides.pdf" width="600" height="400">` + "\n",
		"strict": `<meta http-equiv="Content-Security-Policy" content="default-src 'self'; img-src 'self' data:">` +
			"\n<h1>A page with a strict policy</h1>\n" + code(embed.Choice{Way: embed.Inline}),
		"sidebar": `<h1>A narrow column</h1><div style="width:300px">` + code(embed.Choice{Way: embed.Inline}) + "</div>",
		"right":   `<div dir="rtl" lang="ar"><h1>جدول المد</h1>` + code(embed.Choice{Way: embed.Inline}) + "</div>",
	}
	if failed != nil {
		return failed
	}
	// Visitors look for the tides where they are told of the way.
	if page, err := w.Page("visiting"); err == nil && !strings.Contains(page, subject.Address) {
		pages["visiting"] = strings.Replace(page, "\n\n", "\n"+code(embed.Choice{Way: embed.Inline}), 1)
	}
	for name, source := range pages {
		if err := w.Add(name, source); err != nil {
			return fmt.Errorf("write the website's page %s: %w", name, err)
		}
	}
	return nil
}

// standing places and publishes a demo document, and gives what code for it is
// made of.
func standing(ctx context.Context, a *app.App, title string) (setting.Settings, embed.Subject, error) {
	id, err := stood(ctx, a, title)
	if err != nil {
		return setting.Settings{}, embed.Subject{}, err
	}
	p, err := a.Placing.Placement(ctx, id)
	if err != nil {
		return setting.Settings{}, embed.Subject{}, err
	}
	v, err := a.Placing.PublishedVersion(ctx, p)
	if err != nil {
		return setting.Settings{}, embed.Subject{}, err
	}
	e, err := a.Library.Edition(ctx, v.EditionID)
	return v.Settings, embed.Subject{Address: a.Config.PublicURL + address.Reader(p.Key), Title: title,
		Pages: frame.PagesOf(e.AllSheets())}, err
}
