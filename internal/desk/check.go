package desk

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/embed"
	"incipit/internal/core/proof"
	"incipit/internal/fetch"
)

// The check of a host page: an address, pasted source or a file goes in, what
// keeps documents from showing comes out. Nothing of it is kept.

// mostSource bounds a form with a page's source, in bytes.
const mostSource = 6 << 20

// checkView is the data of the screen.
type checkView struct {
	Address string
	Source  string
	Column  string
	Trouble string // why nothing was checked
	Checked bool
	Of      string // what was checked
	Found   []embed.Finding
	Must    int
	Viewers int // documents that were found
	StandIn string
}

func (d *Desk) checkForm(c *echo.Context) error {
	return d.send(c, http.StatusOK, "check", "Check a page", checkView{StandIn: origin(d.StandIn), Address: c.QueryParam("address")})
}

func (d *Desk) check(c *echo.Context) error {
	v := checkView{StandIn: origin(d.StandIn), Address: strings.TrimSpace(c.FormValue("address")), Source: c.FormValue("source"),
		Column: strings.TrimSpace(c.FormValue("column"))}
	refuse := func(words string) error {
		v.Trouble = words
		return d.send(c, http.StatusUnprocessableEntity, "check", "Check a page", v)
	}
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		f, err := file.Open()
		if err != nil {
			return fmt.Errorf("open the uploaded page: %w", err)
		}
		b, err := io.ReadAll(io.LimitReader(f, mostSource))
		f.Close()
		if err != nil {
			return fmt.Errorf("read the uploaded page: %w", err)
		}
		if v.Source, err = fetch.Decode(b, ""); err != nil {
			return refuse("The file is written in an encoding that cannot be read. Paste its source instead.")
		}
		v.Of = file.Filename
	}
	known := Know(c.Request().Context(), d.All)
	w := known.In(embed.Where{Ours: d.PublicURL, Address: v.Address})
	if v.Column != "" {
		n, err := strconv.ParseFloat(v.Column, 64)
		if err != nil || n < proof.MinColumn || n > proof.MaxColumn {
			return refuse(fmt.Sprintf("The column is %d to %d px wide. Everything else you entered is kept.", proof.MinColumn, proof.MaxColumn))
		}
		w.Column = n
	}
	source := v.Source
	switch {
	case strings.TrimSpace(source) != "":
		if v.Of == "" {
			v.Of = "the pasted source"
		}
	case v.Address != "":
		page, err := d.Fetch.Page(c.Request().Context(), v.Address)
		var refusal *fetch.Refusal
		if errors.As(err, &refusal) {
			return refuse(refusal.Words)
		}
		if err != nil {
			return err
		}
		source, w.CSP, w.Address, v.Of = page.Source, page.CSP, page.Address, page.Address
	default:
		return refuse("Enter the address of a web page, paste its source, or choose a file.")
	}
	v.Checked, v.Found = true, embed.Check(source, w)
	if known.Failed != nil {
		return known.Failed
	}
	for _, f := range v.Found {
		if f.Level == embed.Must {
			v.Must++
		}
	}
	for _, f := range embed.Read(source, d.PublicURL).Found {
		if f.Viewer() {
			v.Viewers++
		}
	}
	return d.send(c, http.StatusOK, "check", "Check a page", v)
}

// origin is the scheme and host of an address, or "".
func origin(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	return u.Scheme + "://" + u.Host
}
