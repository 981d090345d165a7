package sandbox

import (
	"bytes"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/pdf"
)

const maxPartBytes = 200 << 20 // of a file taken out of the file

// extract gives one page as a file of its own.
func (d *document) extract(number int) ([]byte, error) {
	if _, err := d.page(number); err != nil {
		return nil, err
	}
	in := d.engine.instance
	made, err := in.FPDF_CreateNewDocument(&requests.FPDF_CreateNewDocument{})
	if err != nil {
		return nil, fmt.Errorf("make a document: %w", err)
	}
	defer func() { _, _ = in.FPDF_CloseDocument(&requests.FPDF_CloseDocument{Document: made.Document}) }()
	which := fmt.Sprint(number)
	if _, err := in.FPDF_ImportPages(&requests.FPDF_ImportPages{Source: d.ref, Destination: made.Document, PageRange: &which}); err != nil {
		return nil, pdf.Problemf(pdf.Damaged, "Page %d cannot be taken out of the file.", number)
	}
	out := &capped{left: maxPartBytes}
	if _, err := in.FPDF_SaveAsCopy(&requests.FPDF_SaveAsCopy{Document: made.Document, FileWriter: out,
		Flags: requests.SaveFlagNoIncremental}); err != nil {
		if out.full {
			return nil, pdf.Problemf(pdf.TooLarge, "Page %d is larger than one page may be.", number)
		}
		return nil, fmt.Errorf("write page %d: %w", number, err)
	}
	return out.Bytes(), nil
}

// capped keeps what is written, up to a bound.
type capped struct {
	bytes.Buffer
	left int
	full bool
}

var errFull = errors.New("more than may be kept")

func (c *capped) Write(p []byte) (int, error) {
	if len(p) > c.left {
		c.full = true
		return 0, errFull
	}
	c.left -= len(p)
	return c.Buffer.Write(p)
}

// attached lists the files inside the file. Their content is not read.
func (d *document) attached() []pdf.Attached {
	in := d.engine.instance
	count, err := in.FPDFDoc_GetAttachmentCount(&requests.FPDFDoc_GetAttachmentCount{Document: d.ref})
	if err != nil {
		return nil
	}
	var out []pdf.Attached
	for i := range min(count.AttachmentCount, pdf.MostAttached) {
		a, err := in.FPDFDoc_GetAttachment(&requests.FPDFDoc_GetAttachment{Document: d.ref, Index: i})
		if err != nil {
			continue
		}
		name, err := in.FPDFAttachment_GetName(&requests.FPDFAttachment_GetName{Attachment: a.Attachment})
		if err != nil {
			continue
		}
		file := pdf.Attached{Number: i + 1, Name: pdf.Cut(name.Name, pdf.MostName)}
		if about, err := in.FPDFAttachment_GetDescription(&requests.FPDFAttachment_GetDescription{Attachment: a.Attachment}); err == nil {
			file.About = pdf.Cut(about.Value, pdf.MostWords)
		}
		if content, err := in.FPDFAttachment_GetFile(&requests.FPDFAttachment_GetFile{Attachment: a.Attachment}); err == nil {
			file.Bytes = int64(len(content.Contents))
		}
		out = append(out, file)
	}
	return out
}

// attachment gives the content of one of them.
func (d *document) attachment(number int) ([]byte, error) {
	in := d.engine.instance
	a, err := in.FPDFDoc_GetAttachment(&requests.FPDFDoc_GetAttachment{Document: d.ref, Index: number - 1})
	if err != nil || number < 1 {
		return nil, pdf.Problemf(pdf.NoSuchPage, "There is no file %d inside this one.", number)
	}
	content, err := in.FPDFAttachment_GetFile(&requests.FPDFAttachment_GetFile{Attachment: a.Attachment})
	if err != nil {
		return nil, pdf.Problemf(pdf.Damaged, "The file %d inside this one cannot be read.", number)
	}
	if len(content.Contents) > maxPartBytes {
		return nil, pdf.Problemf(pdf.TooLarge, "The file %d inside this one is too large.", number)
	}
	return content.Contents, nil
}

// destination finds a named destination (ISO 32000-2, 12.3.2.4).
func (d *document) destination(name string) (pdf.Destination, error) {
	if f := d.objects(); f != nil {
		at := f.Named(name)
		if at.Page == 0 {
			return pdf.Destination{}, pdf.Problemf(pdf.NoSuchPage, "There is no place of that name.")
		}
		out := pdf.Destination{Page: at.Page, Known: at.Top.Set || at.Left.Set}
		out.Y, out.Zoom = d.placeOf(f, at)
		return out, nil
	}
	in := d.engine.instance
	found, err := in.FPDF_GetNamedDestByName(&requests.FPDF_GetNamedDestByName{Document: d.ref, Name: name})
	if err != nil {
		return pdf.Destination{}, pdf.Problemf(pdf.NoSuchPage, "There is no place of that name.")
	}
	out := pdf.Destination{Page: d.destPage(found.Dest)}
	if out.Page == 0 {
		return pdf.Destination{}, pdf.Problemf(pdf.NoSuchPage, "There is no place of that name.")
	}
	at, err := in.FPDFDest_GetLocationInPage(&requests.FPDFDest_GetLocationInPage{Dest: found.Dest})
	if err != nil || at.Y == nil {
		return out, nil
	}
	page, err := d.page(out.Page)
	if err != nil {
		return out, nil //nolint:nilerr // the page is known, the place on it is not
	}
	crop, rotation, err := d.boxOf(page, out.Page)
	if err != nil {
		return out, nil //nolint:nilerr // as above
	}
	x := crop.Left
	if at.X != nil {
		x = float64(*at.X)
	}
	out.X, out.Y = crop.ToSheet(rotation, x, float64(*at.Y))
	out.Known = true
	return out, nil
}

// licence gives the address of a licence that a keyword or the subject names;
// nothing else that a file says is taken for one.
func licence(texts ...string) string {
	for _, text := range texts {
		for _, word := range strings.Fields(text) {
			u, err := url.Parse(strings.Trim(word, "<>()[],;."))
			if err == nil && u.Scheme == "https" && (u.Host == "creativecommons.org" && strings.HasPrefix(u.Path, "/") ||
				strings.Contains(u.Path, "licen")) {
				return u.String()
			}
		}
	}
	return ""
}

// dated reads a date of a file (ISO 32000-2, 7.9.4), D:20261125103000+01'00',
// and gives it in RFC 3339, or nothing.
func dated(text string) string {
	text = strings.TrimPrefix(strings.ReplaceAll(text, "'", ""), "D:")
	for _, layout := range []string{"20060102150405Z0700", "20060102150405-0700", "20060102150405Z", "20060102150405", "200601021504",
		"20060102", "200601", "2006"} {
		if t, err := time.Parse(layout, strings.TrimSuffix(text, "Z0000")); err == nil && t.Year() > 1900 {
			return t.Format(time.RFC3339)
		}
	}
	return ""
}
