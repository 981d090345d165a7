package desk

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/report"
	"incipit/internal/core/share"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// mendView is what an editor can say of a document for people who do not see its pages.
type mendView struct {
	Document library.Document
	Edition  library.Edition
	Guess    string // the language that its text is in
	FromFile string // what the file says
	Pictures []pictureText
	More     int // pictures that are not listed
	Tagged   bool
	Unread   string // why its pictures are not known
	Written  bool   // what is said is in the file
	Said     string // why nothing was kept
	Seen     string // what is said now, see library.SaidMark
	Kept     bool
}

// pictureText is a picture of the file, and a text that stands for it.
type pictureText struct {
	Object, Page int
	Label        string
	Text         string
}

// mostPictures bounds the pictures that are listed.
const mostPictures = 100

func (d *Desk) mending(c *echo.Context) error { return d.mendScreen(c, http.StatusOK, "", nil) }

// mendScreen shows what is said; typed, if given, stands in its place: it was not kept.
func (d *Desk) mendScreen(c *echo.Context, status int, said string, typed *library.Mending) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := mendView{Said: said, Kept: c.QueryParam("kept") != "" && typed == nil}
	if v.Document, err = d.Library.Document(ctx, id); err != nil {
		return err
	}
	if v.Edition, err = d.Library.CurrentEdition(ctx, id); err != nil {
		return err
	}
	v.Seen = library.SaidMark(v.Document, v.Edition)
	v.Guess, v.FromFile = v.Edition.Flow.Language, v.Edition.Facts.Language
	_, says := library.Says(v.Document, v.Edition)
	v.Written = v.Edition.MendedKey != "" && v.Edition.MendedSays == says
	if v.Edition.State == library.Ready && !v.Edition.Locked {
		s, err := d.Intake.Structure(share.From(ctx, ""), v.Edition)
		var problem *pdf.Problem
		switch {
		case errors.As(err, &problem):
			v.Unread = problem.Message
		case err != nil:
			return err
		}
		v.Tagged = s.Tagged
		sheets := v.Edition.AllSheets()
		for _, e := range s.Elements {
			if e.Kind != report.FigureElement || e.Object == 0 {
				continue
			}
			if len(v.Pictures) >= mostPictures {
				v.More++
				continue
			}
			p := pictureText{Object: e.Object, Page: e.Page, Text: v.Edition.Alternatives[e.Object]}
			if e.Page > 0 && e.Page <= len(sheets) {
				p.Label = sheets[e.Page-1].Label
			}
			v.Pictures = append(v.Pictures, p)
		}
	}
	if typed != nil {
		v.Document.Title, v.Document.Description, v.Document.Language, v.Document.WriteIn = typed.Title, typed.Description, typed.Language, typed.WriteIn
		for i, p := range v.Pictures {
			if text, ok := typed.Alternatives[p.Object]; ok {
				v.Pictures[i].Text = text
			}
		}
	}
	return d.send(c, status, "mend", "What is said of "+v.Document.Title, v)
}

// mend keeps what an editor says of a document.
func (d *Desk) mend(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "form").Wrap(err)
	}
	m := library.Mending{Title: form.Get("title"), Description: form.Get("description"), Language: form.Get("language"), WriteIn: form.Get("write_in") != "",
		Alternatives: map[int]string{}, Seen: form.Get("seen")}
	for name := range form {
		if n, ok := strings.CutPrefix(name, "picture-"); ok && len(m.Alternatives) < mostPictures {
			if object, err := strconv.Atoi(n); err == nil && object > 0 {
				m.Alternatives[object] = form.Get(name)
			}
		}
	}
	err = d.Intake.Mend(c.Request().Context(), id, m)
	var refused draft.Refused
	if errors.As(err, &refused) {
		return d.mendScreen(c, http.StatusUnprocessableEntity, string(refused), &m)
	}
	if errors.Is(err, library.ErrSaidMeanwhile) {
		return d.mendScreen(c, http.StatusConflict, "Somebody else changed what is said of it, or its edition, since you opened this. What you typed stands below and was not kept. Keep it to have it in place of theirs, or load this page again to see theirs.", &m)
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d/said?kept=1", id))
}
