package reader

import (
	"context"
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
)

// plainPages is how many pages stand together, at most, where there is no
// script: a browser then fetches every picture on a page, however far from view.
const plainPages = 20

// part is some rows that stand together.
type part struct {
	first, last int // pages
	rows        []rowView
}

// inParts divides rows into parts.
func inParts(rows []rowView) []part {
	var out []part
	for _, r := range rows {
		first, last := r.Sheets[0].Number, r.Sheets[len(r.Sheets)-1].Number
		if len(out) == 0 || last-out[len(out)-1].first >= plainPages {
			out = append(out, part{first: first})
		}
		p := &out[len(out)-1]
		p.last, p.rows = last, append(p.rows, r)
	}
	return out
}

// plain answers with the pages as they stand where there is no script: laid out
// by the same style, with their links, some at a time.
func (r *Reader) plain(c *echo.Context, s shown) error {
	if s.edition.Locked {
		return errLocked
	}
	said := r.said(c)
	leave, err := r.mayWrite(c.Request().Context(), s)
	if err != nil {
		return err
	}
	defer leave()
	v, err := r.viewOf(s, said)
	if err != nil {
		return err
	}
	page, err := strconv.Atoi(c.QueryParam("page"))
	if err != nil || page < 1 || page > v.Pages {
		page = v.OpenAt
	}
	parts := inParts(append(v.Rows, v.Rest...))
	at := slices.IndexFunc(parts, func(p part) bool { return page <= p.last })
	here := parts[at]
	v.Rows, v.Rest, v.From1, v.Till = here.rows, nil, here.first, here.last
	if at > 0 {
		v.Earlier = parts[at-1].first
	}
	if at+1 < len(parts) {
		v.Later = parts[at+1].first
	}
	// Every tool that is left fits: none hides by its width.
	v.Style = template.CSS(strings.TrimSuffix(string(v.Style), string(v.barRules)))
	v.to = func(page int) string {
		if page < here.first || page > here.last {
			return fmt.Sprintf("%s/plain?page=%d#p%d", s.base, page, page)
		}
		return fmt.Sprintf("#p%d", page)
	}
	if v.Over, err = r.linksOver(c.Request().Context(), s, v); err != nil {
		return err
	}
	return r.pages.send(c, "plain.html", v, s.standing.Draft, leave)
}

// linksOver draws the links of the pages of a part, as far as they were read.
func (r *Reader) linksOver(ctx context.Context, s shown, v view) (map[int]template.HTML, error) {
	texts, err := r.Library.PageTexts(ctx, s.edition.ID, v.From1, v.Till)
	if err != nil {
		return nil, err
	}
	out := map[int]template.HTML{}
	var failed error
	said := func(page int) string {
		text, err := v.Words.Say("go_to", "n", page)
		if err != nil {
			failed = err
		}
		return text
	}
	for _, t := range texts {
		layer, err := t.Unpacked()
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(layer.Links, func(l overlay.Link) bool { return l.Kind == overlay.ToPage || l.Kind == overlay.ToWeb }) {
			out[t.Page] = template.HTML(drawLayer(s.edition.AllSheets()[t.Page-1], pdf.Layer{Links: layer.Links},
				leads{where: v.to, said: said})) //nolint:gosec // drawLayer escapes what the file says
		}
	}
	return out, failed
}

// Where gives the address of a page from the part that is shown.
func (v view) Where(page int) string { return v.to(page) }
