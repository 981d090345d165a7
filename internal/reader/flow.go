package reader

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html"
	"html/template"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/scanned"
	"incipit/internal/core/setting"
	"incipit/internal/core/textflow"
	"incipit/internal/deliver"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/press"
	"incipit/internal/reader/words"
)

// flowPages is how many pages of the text view are sent at once.
const flowPages = 10

// cutWidth is the width, in pixels, of the page images that figures are cut out of: one
// of the ladder.
const cutWidth = 1600

// ahead is how many pages behind them are looked at for the end of a paragraph.
const ahead = 1

// lookBack is how many parts before one are looked at for the heading that its own
// follow.
const lookBack = 3

// flow answers with a part of the text view, as HTML: all blocks that begin on
// the pages from one on.
func (r *Reader) flow(c *echo.Context, s shown) error {
	from, err := strconv.Atoi(c.Param("from"))
	if err != nil || from < 1 || from > s.edition.Pages || (from-1)%flowPages != 0 {
		return errNoSuchPage
	}
	said := r.said(c)
	text, err := r.textFrom(c.Request().Context(), s, from, said)
	// Who looks for text that nobody waits for is not told of a failure.
	if (errors.Is(err, errNotIndexed) || errors.Is(err, press.ErrBusy)) && c.QueryParam("when") == "there" {
		return c.NoContent(http.StatusNoContent)
	}
	if err != nil {
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "text/html; charset=utf-8", ETag: fmt.Sprintf("%s-flow-%d-%d-%s%s", s.mark(), from, s.edition.Indexed, said.Tag, s.edition.PicturesSaid()),
		Private: true, Secret: s.secret(), Content: bytes.NewReader([]byte(text)),
	})
	return nil
}

// textFrom sets the pages from..from+flowPages-1.
func (r *Reader) textFrom(ctx context.Context, s shown, from int, said words.Language) (template.HTML, error) {
	if s.edition.Locked {
		return "", errLocked
	}
	if !s.edition.HasText && s.edition.State != library.Examining {
		return "", errNoText
	}
	leave, err := r.mayLook(ctx, s)
	if err != nil {
		return "", err
	}
	defer leave()
	style := s.edition.Flow
	style.Language = s.edition.Language()
	own, err := r.blocks(ctx, s.edition, style, from)
	if err != nil {
		return "", err
	}
	for _, b := range own {
		if b.Kind != textflow.Heading {
			continue
		}
		if b.Level > 1 {
			level, found, err := r.levelBefore(ctx, s.edition, style, from)
			if err != nil {
				return "", err
			}
			if found {
				textflow.Follow(own, level)
			}
		}
		break
	}
	labels := s.edition.AllSheets()
	names := make([]string, len(labels))
	for i, l := range labels {
		names[i] = l.Label
	}
	var failed error
	say := func(name string, page any) string {
		text, err := said.Say(name, "n", page)
		if err != nil {
			failed = err
		}
		return html.EscapeString(text)
	}
	out := textflow.HTML(own, textflow.Setting{
		Language: style.Language,
		Printed:  func(number string) int { return style.PageOf(number, names) },
		Image: func(page int) textflow.PageImage {
			sheet := labels[page-1]
			return textflow.PageImage{Address: fmt.Sprintf("%s/page/%s/%d/%d", s.base, s.mark(), page, cutWidth), Width: sheet.Width,
				Height: sheet.Height}
		},
		Figure: func(page int) string { return html.UnescapeString(say("figure", page)) },
		Mark: func(page int) string {
			return fmt.Sprintf(`<a class="mark" id="t%d" href="%s#page=%d" data-leaf="%d" title="%s" role="doc-pagebreak" aria-label="%s">%s</a> `,
				page, s.base, page, page, say("to_page", page), say("page", labels[page-1].Label), html.EscapeString(labels[page-1].Label))
		},
		To: func(page int) string {
			if page < 1 || page > s.edition.Pages {
				return "#"
			}
			return fmt.Sprintf("%s/text?from=%d#t%d", s.base, page-(page-1)%flowPages, page)
		},
		Blank: func(page int) string {
			if !s.edition.Unread.HasText(page) {
				return say("said_unread", page)
			}
			return say("blank", page)
		},
	})
	if pages := scanned.Rows(s.edition.Recognised, from, from+flowPages-1, names); pages != "" {
		note, err := said.Say("said_recognised", "pages", pages)
		if err != nil {
			return "", err
		}
		out = fmt.Sprintf(`<p class="blank" role="note" lang="%s" dir="%s">%s</p>`, said.Tag, said.Direction, html.EscapeString(note)) + out
	}
	return template.HTML(out), failed //nolint:gosec // textflow escapes what the file says
}

// blocks gives what begins on the flowPages pages from one on: nothing where what
// began before goes on over all of them.
func (r *Reader) blocks(ctx context.Context, e library.Edition, style textflow.Style, from int) ([]textflow.Block, error) {
	to := min(from+flowPages-1, e.Pages)
	texts, err := r.Library.PageTexts(ctx, e.ID, max(from-ahead, 1), min(to+ahead, e.Pages))
	if err != nil {
		return nil, err
	}
	pages := make([]textflow.Page, 0, len(texts))
	for _, t := range texts {
		layer, err := t.Unpacked()
		if err != nil {
			return nil, err
		}
		pages = append(pages, intake.FlowPage(e, t.Page, layer))
	}
	if len(pages) == 0 || pages[len(pages)-1].Number < from {
		return nil, errNotIndexed
	}
	var own []textflow.Block
	for _, b := range textflow.Flow(pages, style) {
		if b.Page >= from && b.Page <= to {
			own = append(own, b)
		}
	}
	return own, nil
}

// levelBefore gives the level of the last heading before a page, 0 where there is
// none at all, and whether one was found. Where no heading of the first level is near,
// the levels of those that are count as they are.
func (r *Reader) levelBefore(ctx context.Context, e library.Edition, style textflow.Style, from int) (level int, found bool, err error) {
	var before []textflow.Block
	at, settled := from, false
	for n := 0; n < lookBack && at > 1 && !settled; n++ {
		at -= flowPages
		earlier, err := r.blocks(ctx, e, style, at)
		if err != nil {
			return 0, false, err
		}
		before = append(earlier, before...)
		_, settled = textflow.Level(before)
	}
	if at <= 1 {
		textflow.Follow(before, 0)
	} else {
		textflow.Follow(before, textflow.Unsettled)
	}
	level, _ = textflow.Level(before)
	return level, level > 0 || at <= 1, nil
}

// textView answers with the text view as a page of its own: for reading
// without script, and for what reads pages aloud.
func (r *Reader) textView(c *echo.Context, s shown) error {
	from, err := strconv.Atoi(c.QueryParam("from"))
	if err != nil || from < 1 || from > s.edition.Pages {
		from = 1
	}
	from -= (from - 1) % flowPages
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
	if v.Text, err = r.textFrom(c.Request().Context(), s, from, said); err != nil {
		return err
	}
	if from > 1 {
		v.Earlier = from - flowPages
	}
	if from+flowPages <= s.edition.Pages {
		v.Later = from + flowPages
	}
	v.From1, v.Till = from, min(from+flowPages-1, s.edition.Pages)
	return r.pages.send(c, "text.html", v, s.standing.Draft, leave)
}

// offersBelow gives the width of the frame, in CSS px, below which the text view
// is offered by itself, or "" where it never is: what the proof says.
func (s shown) offersBelow(pages frame.Pages) string {
	if w := proof.TextViewBelow(s.edition.ProofFacts(), s.settings); w > 0 {
		return setting.Number(w)
	}
	return ""
}
