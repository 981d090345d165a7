package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/starter"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// listing is the data of the documents screen.
type listing struct {
	Documents []library.Listed
	paging
	Wanted     library.Wanted
	MaxMB      int64
	MaxBytes   int64
	Reading    bool // something is still being made of one
	Covers     bool // they are looked at by their first pages
	Choices    []narrowing
	Categories []library.Category
	Starters   []starter.Starter
	Views      []library.View
	Query      string // what the list is narrowed to, as its address has it
	Unsearched string // of which documents the text is not searched, in words
	AnyRemoved bool   // documents were removed that can be put back
	AsList     string // the address of the same list
	AsCovers   string
}

// narrowing is what the list can be narrowed to or put in order by.
type narrowing struct {
	Name, Label, Is string
	Values          [][2]string // each as the address has it, and in words
}

// wantedOf reads what the list is to hold.
func wantedOf(c *echo.Context) library.Wanted {
	by, err := strconv.ParseInt(c.QueryParam("by"), 10, 64)
	if err != nil || by < 0 {
		by = 0
	}
	words := strings.ReplaceAll(strings.ToValidUTF8(c.QueryParam("find"), ""), "\x00", "")
	if utf8.RuneCountInString(words) > mostWords {
		words = string([]rune(words)[:mostWords])
	}
	return library.Wanted{Words: words, Category: strings.ReplaceAll(strings.ToValidUTF8(c.QueryParam("category"), ""), "\x00", ""),
		Stands: c.QueryParam("stands"), Care: c.QueryParam("care"), Added: c.QueryParam("added"), Order: c.QueryParam("order"), By: by,
		Below: below(c)}.Heeded()
}

// mostWords is how much may be looked for, in characters.
const mostWords = 200

// queryOf writes what the list is narrowed to, without what is as it is by itself.
func queryOf(w library.Wanted, covers bool) string {
	q := url.Values{}
	for name, value := range map[string]string{"find": w.Words, "category": w.Category, "stands": w.Stands, "care": w.Care, "added": w.Added} {
		if value != "" {
			q.Set(name, value)
		}
	}
	if usual := (library.Wanted{Words: w.Words}).Heeded().Order; w.Order != usual {
		q.Set("order", w.Order)
	}
	if w.By != 0 {
		q.Set("by", strconv.FormatInt(w.By, 10))
	}
	if covers {
		q.Set("look", "covers")
	}
	return q.Encode()
}

func (d *Desk) list(c *echo.Context) (listing, error) {
	w := wantedOf(c)
	l := listing{Wanted: w, MaxMB: d.Intake.MaxBytes >> 20, MaxBytes: d.Intake.MaxBytes, Covers: c.QueryParam("look") == "covers"}
	page, err := d.Library.Find(c.Request().Context(), w)
	l.Documents, l.paging = page.Rows, pagingOf(c, page)
	for _, doc := range l.Documents {
		l.Reading = l.Reading || doc.Reading() != ""
	}
	return l, err
}

func (d *Desk) documents(c *echo.Context) error {
	l, err := d.list(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if l.Categories, err = d.Library.Categories(ctx); err != nil {
		return err
	}
	if l.Views, err = d.Library.Views(ctx, d.Who(c).Account); err != nil {
		return err
	}
	if l.AnyRemoved, err = d.Library.AnyRemoved(ctx); err != nil {
		return err
	}
	if l.Wanted.Words != "" {
		u, err := d.Library.Unsearched(ctx)
		if err != nil {
			return err
		}
		l.Unsearched = unsearchedSaid(u)
	}
	l.Starters, l.Query = starter.All(), queryOf(l.Wanted, l.Covers)
	l.AsList, l.AsCovers = "/documents?"+queryOf(l.Wanted, false), "/documents?"+queryOf(l.Wanted, true)
	if l.Choices, err = d.choices(ctx, l.Wanted, l.Categories); err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "documents", "Documents", l)
}

// unsearchedSaid says of how many documents the text is not searched, or "".
func unsearchedSaid(u library.Unsearched) string {
	var parts []string
	for _, part := range []struct {
		n    int
		said string
	}{
		{u.Waiting, "of %s it has not been read yet"}, {u.Partly, "of %s some pages could not be read"},
		{u.Failed, "%s cannot be read"}, {u.Locked, "%s asked for a password"},
	} {
		if part.n > 0 {
			parts = append(parts, fmt.Sprintf(part.said, plural(part.n, "document", "documents")))
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "Not all text is searched: " + strings.Join(parts, ", ") + "."
}

// choices are what the list can be narrowed to.
func (d *Desk) choices(ctx context.Context, w library.Wanted, categories []library.Category) ([]narrowing, error) {
	in := narrowing{"category", "Category", w.Category, [][2]string{{"", "all"}}}
	has := w.Category == ""
	for _, c := range categories {
		in.Values = append(in.Values, [2]string{c.Category, c.Category + " (" + strconv.Itoa(c.Documents) + ")"})
		has = has || c.Category == w.Category
	}
	if !has {
		in.Values = append(in.Values, [2]string{w.Category, w.Category + " (0)"})
	}
	out := []narrowing{in,
		{"stands", "On web pages", w.Stands, [][2]string{{"", "all"}, {"published", "published"}, {"draft", "only a draft"}, {"nowhere", "not set anywhere"}}},
		{"care", "Needs care", w.Care, [][2]string{{"", "all"}, {"findings", "its report names something"}, {"failed", "cannot be read"}, {"glosses", "has to be fixed where it stands"},
			{"waiting", "a new edition waits"}, {"invain", "an address or a time failed"}, {"links", "a web link leads nowhere"}, {"unseen", "published, but seen nowhere"}}},
		{"added", "Added", w.Added, [][2]string{{"", "at any time"}, {"week", "in the last 7 days"}, {"month", "in the last month"}, {"year", "in the last year"},
			{"older", "more than a year ago"}}},
	}
	adders, err := d.Library.Adders(ctx)
	if err != nil {
		return nil, err
	}
	if len(adders) > 1 || w.By != 0 {
		by := narrowing{"by", "Added by", "", [][2]string{{"", "anybody"}}}
		if w.By != 0 {
			by.Is = strconv.FormatInt(w.By, 10)
		}
		for _, a := range adders {
			by.Values = append(by.Values, [2]string{strconv.FormatInt(a.ID, 10), a.Name})
		}
		out = append(out, by)
	}
	order := narrowing{"order", "Order", w.Order, nil}
	if w.Words != "" {
		order.Values = append(order.Values, [2]string{library.Best, "best match first"})
	}
	order.Values = append(order.Values, [][2]string{{library.Newest, "newest first"}, {library.Oldest, "oldest first"}, {library.ByTitle, "by title"},
		{library.Largest, "largest file first"}, {library.Longest, "most pages first"}}...)
	return append(out, order), nil
}

// documentRows answers with the list alone, for the script that keeps it
// current while files are examined.
func (d *Desk) documentRows(c *echo.Context) error {
	l, err := d.list(c)
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "rows", "Documents", l)
}

// keepView keeps what the list is narrowed to under a name.
func (d *Desk) keepView(c *echo.Context) error {
	name := strings.Join(strings.Fields(strings.ToValidUTF8(strings.ReplaceAll(c.FormValue("name"), "\x00", ""), "")), " ")
	query, err := url.ParseQuery(c.FormValue("query"))
	if err != nil || name == "" || utf8.RuneCountInString(name) > 60 || len(c.FormValue("query")) > 1000 {
		return d.unable(c, "Not kept", "A name has 1 to 60 characters. Nothing was kept.")
	}
	err = d.Library.KeepView(c.Request().Context(), library.View{AccountID: d.Who(c).Account, Name: name, Query: query.Encode()})
	var refused draft.Refused
	if errors.As(err, &refused) {
		return d.unable(c, "Not kept", string(refused))
	}
	if err != nil {
		return err
	}
	if wantsJSON(c.Request()) {
		return c.NoContent(http.StatusNoContent)
	}
	return c.Redirect(http.StatusSeeOther, "/documents?"+query.Encode())
}

func (d *Desk) dropView(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Library.DropView(c.Request().Context(), d.Who(c).Account, id); err != nil {
		return err
	}
	if wantsJSON(c.Request()) {
		return c.NoContent(http.StatusNoContent)
	}
	return c.Redirect(http.StatusSeeOther, "/documents")
}
