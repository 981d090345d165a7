package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"incipit/internal/database"
	"incipit/internal/deliver"
	"incipit/internal/pdf"
	"incipit/internal/placing"
)

// refusal says why a file was not taken, and whether a password would help.
type refusal struct {
	Message string `json:"message"`
	Locked  bool   `json:"locked"`
	Again   bool   `json:"again"` // it is kept, and can be tried again
}

// added tells the script of an added document.
type added struct {
	Document int64  `json:"document"`
	Title    string `json:"title"`
	// Twice are other documents whose file is the same.
	Twice []string `json:"twice,omitempty"`
}

// aroundFile is how many bytes the form around a file may have; the intake bounds
// the file.
const aroundFile = 1 << 20

// addDocument takes a file as a document of its own; of a plain form, all that were chosen.
func (d *Desk) addDocument(c *echo.Context) error {
	if !wantsJSON(c.Request()) {
		return d.addChosen(c)
	}
	return d.upload(c, func(ctx context.Context, name string, r io.Reader, password string) error {
		doc, edition, err := d.Intake.ReceiveLocked(ctx, name, r, d.Who(c).Account, password)
		if err != nil {
			return err
		}
		twice, err := d.Library.SameFile(ctx, edition.SHA256, doc.ID)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusCreated, added{doc.ID, doc.Title, twice})
	})
}

// mostChosen bounds the files of one plain form.
const mostChosen = 20

// addChosen takes all files of a plain form, one after the other, and says of each that was
// not added why.
func (d *Desk) addChosen(c *echo.Context) error {
	r := c.Request()
	body := r.Body
	if err := http.NewResponseController(c.Response()).EnableFullDuplex(); err != nil {
		return fmt.Errorf("prepare for an upload: %w", err)
	}
	r.Body = io.NopCloser(io.LimitReader(body, mostChosen*(d.Intake.MaxBytes+aroundFile)))
	reader, err := r.MultipartReader()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "no file")
	}
	ctx := r.Context()
	var refused []notAdded
	n := 0
	for part, err := reader.NextPart(); !errors.Is(err, io.EOF); part, err = reader.NextPart() {
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "no file").Wrap(err)
		}
		if part.FormName() != "file" || part.FileName() == "" {
			continue
		}
		if n++; n > mostChosen {
			refused = append(refused, notAdded{part.FileName(), fmt.Sprintf("Only the first %d files were taken, and no later one. Add the others by themselves.", mostChosen)})
			break
		}
		_, _, err := d.Intake.ReceiveLocked(ctx, part.FileName(), part, d.Who(c).Account, "")
		var problem *pdf.Problem
		if errors.As(err, &problem) {
			refused = append(refused, notAdded{part.FileName(), refusalOf(problem)})
			continue
		}
		if err != nil && n == 1 {
			return err
		}
		if err != nil { // what came before it is dealt with, and said
			d.Log.ErrorContext(ctx, "a file of several was not kept", "error", err)
			refused = append(refused, notAdded{part.FileName(), "The server could not keep it just now, and took no later file. Look which are there, and add the others again."})
			break
		}
	}
	switch {
	case n == 0:
		return d.refuse(c, body, pdf.Problemf(pdf.NotPDF, "No file arrived."))
	case len(refused) == 0:
		return c.Redirect(http.StatusSeeOther, "/documents")
	}
	said := map[string]any{"Status": http.StatusUnprocessableEntity, "Message": addedOf(min(n, mostChosen), len(refused)), "Refused": refused}
	if err := d.send(c, http.StatusUnprocessableEntity, "error", "Not added", said); err != nil {
		return err
	}
	hearOut(c, body)
	return nil
}

// notAdded is a file that was not added, and why.
type notAdded struct{ Name, Why string }

func addedOf(taken, refused int) string {
	if added := max(taken-refused, 0); added > 0 {
		return plural(added, "file was", "files were") + " added. Not added:"
	}
	return "No file was added:"
}

// upload takes one file out of a multipart body as it streams in, with the password that
// comes before it, if one does. What the file is refused for is answered here.
func (d *Desk) upload(c *echo.Context, take func(ctx context.Context, name string, r io.Reader, password string) error) error {
	r := c.Request()
	body := r.Body
	// A refusal is answered before everything has arrived.
	if err := http.NewResponseController(c.Response()).EnableFullDuplex(); err != nil {
		return fmt.Errorf("prepare for an upload: %w", err)
	}
	if r.ContentLength > d.Intake.MaxBytes+aroundFile {
		return d.refuse(c, body, pdf.Problemf(pdf.TooLarge, "The file is larger than %d MB.", d.Intake.MaxBytes>>20))
	}
	r.Body = io.NopCloser(io.LimitReader(body, d.Intake.MaxBytes+aroundFile))
	reader, err := r.MultipartReader()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "no file")
	}
	password := "" // comes before the file, if it comes
	for {
		part, err := reader.NextPart()
		if errors.Is(err, io.EOF) {
			return d.refuse(c, body, pdf.Problemf(pdf.NotPDF, "No file arrived."))
		}
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "no file").Wrap(err)
		}
		if part.FormName() == "password" {
			b, err := io.ReadAll(io.LimitReader(part, 400))
			if err != nil {
				return echo.NewHTTPError(http.StatusBadRequest, "no file").Wrap(err)
			}
			password = string(b)
			continue
		}
		if part.FormName() != "file" {
			continue
		}
		err = take(r.Context(), part.FileName(), part, password)
		var refused *pdf.Problem
		if errors.As(err, &refused) {
			return d.refuse(c, body, refused)
		}
		return err
	}
}

// hearOut sends the answer, which may come long before the last byte of a file
// that is not wanted, and then lets the browser go on for a while: one that is
// cut off in the midst of sending shows a broken connection and not the answer.
func hearOut(c *echo.Context, body io.Reader) {
	control := http.NewResponseController(c.Response())
	if control.Flush() != nil || control.SetReadDeadline(time.Now().Add(patience)) != nil {
		return
	}
	_, _ = io.Copy(io.Discard, body)
}

// patience is how long a browser may go on sending what is not wanted.
const patience = 20 * time.Second

// refuse answers for a file that was not taken: why, that nothing was kept,
// and what helps.
func (d *Desk) refuse(c *echo.Context, body io.Reader, p *pdf.Problem) error {
	message := refusalOf(p)
	var err error
	if wantsJSON(c.Request()) {
		err = c.JSON(http.StatusUnprocessableEntity, refusal{message, p.Kind == pdf.NeedsPassword, false})
	} else {
		err = d.send(c, http.StatusUnprocessableEntity, "error", "Not added", map[string]any{"Status": 422, "Message": message})
	}
	if err == nil {
		hearOut(c, body)
	}
	return err
}

// refusalOf says why a file was not taken, that nothing was kept, and what helps.
func refusalOf(p *pdf.Problem) string {
	advice := map[pdf.Kind]string{
		pdf.NotPDF:        "Save or export it as PDF first.",
		pdf.Damaged:       "Open it in the program that made it and export it again.",
		pdf.NeedsPassword: "Give the password here, and readers will be asked for it too; or save a copy without one and add that.",
		pdf.TooLarge:      "Export it with smaller pictures, or split it.",
		pdf.TooManyPages:  "Split it into parts.",
		pdf.TookTooLong:   "Export it again in a simpler form; very complex drawings can be flattened.",
		pdf.OutOfMemory:   "Export it again with smaller pictures.",
		pdf.NoConverter:   "Export it as PDF and add that; or ask whoever runs the server to have office documents taken, and try again.",
		pdf.Unconverted:   "Open it in the program that made it, export it as PDF and add that; or try again.",
	}[p.Kind]
	kept := "Nothing was kept."
	if p.Kind == pdf.NoConverter || p.Kind == pdf.Unconverted {
		kept = "The file is kept for 7 days."
	}
	return strings.TrimSpace(p.Message + " " + kept + " " + advice)
}

// number reads the id of a route.
func number(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("read the number %q: %w", c.Param("id"), database.ErrNotFound)
	}
	return id, nil
}

// coverWidth is the width, in pixels, of the small page in lists.
const coverWidth = 240

func (d *Desk) cover(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	e, err := d.Library.CurrentEdition(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if e.Locked {
		icon, err := d.Web.Icon("file-lock")
		if err != nil {
			return err
		}
		// It stands by itself here, so it says what it is.
		svg := strings.Replace(string(icon), "<svg ", `<svg xmlns="http://www.w3.org/2000/svg" `, 1)
		deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: "image/svg+xml", ETag: "locked", Private: true,
			Content: strings.NewReader(svg)})
		return nil
	}
	return d.image(c, e, 1, coverWidth)
}

// maxTitle is the longest title, in characters.
const maxTitle = 200

func (d *Desk) retitle(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	title := strings.Join(strings.Fields(strings.ToValidUTF8(c.FormValue("title"), "")), " ")
	if title == "" || utf8.RuneCountInString(title) > maxTitle {
		return c.JSON(http.StatusUnprocessableEntity, problem{fmt.Sprintf("A title has 1 to %d characters. The old one is kept.", maxTitle)})
	}
	if err := d.Library.Retitle(c.Request().Context(), id, title); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, added{Document: id, Title: title})
}

// examineAgain has a document examined anew: what was held against its file is
// forgotten.
func (d *Desk) examineAgain(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	e, err := d.Library.CurrentEdition(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if d.Forgive != nil {
		d.Forgive(e.SHA256)
	}
	if err := d.Intake.Again(c.Request().Context(), e.ID); err != nil {
		return err
	}
	if wantsJSON(c.Request()) {
		return c.NoContent(http.StatusNoContent)
	}
	return c.Redirect(http.StatusSeeOther, "/documents")
}

// used is a place where a document stands, for who is about to remove it.
type used struct {
	Words   string `json:"words"`
	Address string `json:"address"`
}

func (d *Desk) usesOf(ctx context.Context, id int64) ([]used, error) {
	out := []used{}
	all, err := d.Publishing.UsesOf(ctx, id)
	if err != nil {
		return out, err
	}
	for _, u := range all {
		switch {
		case u.WebPage != 0:
			out = append(out, used{fmt.Sprintf("the web page “%s”", u.Name), fmt.Sprintf("/web-pages/%d", u.WebPage)})
		case u.Collection != 0:
			out = append(out, used{fmt.Sprintf("the collection “%s”", u.Name), fmt.Sprintf("/collections/%d", u.Collection)})
		case !strings.HasPrefix(u.Page, d.PublicURL+"/"): // ours are named already
			out = append(out, used{u.Page, u.Page})
		}
	}
	return out, nil
}

func (d *Desk) removeDocument(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Library.RemoveDocument(c.Request().Context(), id, maker(c)); err != nil {
		return err
	}
	if wantsJSON(c.Request()) {
		return c.NoContent(http.StatusNoContent)
	}
	return c.Redirect(http.StatusSeeOther, "/documents/removed")
}

func (d *Desk) place(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	e, err := d.Library.CurrentEdition(ctx, id)
	if err != nil {
		return err
	}
	p, err := d.Placing.PlaceChosen(ctx, e)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/placements/%d", p.ID))
}

// placementList is the data of the placements screen.
type placementList struct {
	Placements []placing.ListedPlacement
	paging
}

func (d *Desk) placements(c *echo.Context) error {
	page, err := d.Placing.PlacementsBelow(c.Request().Context(), below(c))
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "placements", "Placements", placementList{page.Rows, pagingOf(c, page)})
}
