package sandbox

import (
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
		out.Elements = append(out.Elements, element(e))
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
	}
	return out
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
