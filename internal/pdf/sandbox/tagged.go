package sandbox

import (
	"errors"
	"time"

	"incipit/internal/core/report"
	"incipit/internal/pdf"
	"incipit/internal/pdf/glyphname"
	"incipit/internal/pdf/plain"
)

// structureTime is after how long no further element is read, and no further page's fonts
// are looked at: a request has a deadline.
const structureTime = 8 * time.Second

// tagged reads what the file offers people who do not see its pages.
func (d *document) tagged() report.Structure {
	f := d.objects()
	if f == nil {
		return report.Structure{Cut: true}
	}
	begun := time.Now()
	late := func() bool { return time.Since(begun) > structureTime }
	read := f.Structure(pdf.MostElements, late)
	out := report.Structure{Tagged: read.Tagged, Language: pdf.Cut(read.Language, pdf.MostLanguage), Cut: read.Cut}
	for _, e := range read.Elements {
		of := element(e)
		if d.original {
			of.Object = int(e.Object)
		}
		out.Elements = append(out.Elements, of)
	}
	for _, u := range f.Unnamed(pdf.MostFields) {
		out.Unnamed = append(out.Unnamed, report.Field{Name: pdf.Cut(u.Name, pdf.MostName), Page: u.Page})
	}
	for page := 1; page <= d.pages; page++ {
		if late() {
			out.Cut = true
			break
		}
		if f.Speechless(page, glyphname.Text) {
			out.Speechless = append(out.Speechless, page)
		}
		for _, name := range f.Absent(page) {
			if len(out.Absent) < pdf.MostFields {
				out.Absent = append(out.Absent, report.FontOn{Name: pdf.Cut(name, pdf.MostName), Page: page})
			}
		}
	}
	return out
}

// amended gives the bytes that say something of the file, to be appended to it.
func (d *document) amended(said pdf.Said) ([]byte, error) {
	f := d.objects()
	if f == nil || !d.original || d.encrypted {
		return nil, pdf.Problemf(pdf.Unwritable, "Nothing can be written into this file: it is encrypted, damaged, or built in an unusual way.")
	}
	alternatives := map[plain.Ref]string{}
	for n, text := range said.Alternatives {
		alternatives[plain.Ref(n)] = text
	}
	b, err := f.Amended(plain.Said{Title: said.Title, Language: said.Language, Alternatives: alternatives, Texts: said.Texts})
	switch {
	case errors.Is(err, plain.ErrSigned):
		return nil, pdf.Problemf(pdf.Unwritable, "Nothing is written into this file: somebody signed it, and a change would show.")
	case err != nil:
		return nil, pdf.Problemf(pdf.Unwritable, "Nothing can be written into this file: it is built in an unusual way.")
	}
	return b, nil
}

func element(e plain.Element) report.Element {
	out := report.Element{Kind: report.HeadingElement, Level: e.Level, Page: e.Page, Described: e.Described, Heads: e.Heads, Cells: e.Cells}
	switch e.Kind {
	case "Figure", "Formula":
		out.Kind = report.FigureElement
	case "Table":
		out.Kind = report.TableElement
	}
	return out
}
