package sandbox

import (
	"incipit/internal/core/compare"
	"incipit/internal/pdf"
)

// beside reads what a file has that its pages do not show. Files inside it, layers and what
// it says of itself are among its facts.
func (d *document) beside() compare.Beside {
	f := d.objects()
	if f == nil {
		return compare.Beside{Unread: true}
	}
	var out compare.Beside
	for page := 1; page <= d.pages; page++ {
		if len(out.Links) >= pdf.MostBeside || len(out.Notes) >= pdf.MostBeside {
			out.Unread = true
			break
		}
		for _, l := range f.Links(page, pdf.MostLinks) {
			to := compare.Link{Page: page, To: l.Place.Page, Address: pdf.Cut(l.Address, pdf.MostAddress)}
			if l.File != "" {
				to.Address = pdf.Cut(l.File, pdf.MostAddress)
			}
			if to.To > 0 || to.Address != "" {
				out.Links = append(out.Links, to)
			}
		}
		for _, n := range f.Notes(page, pdf.MostLinks) {
			out.Notes = append(out.Notes, compare.Note{Page: page, Kind: pdf.Cut(n.Kind, pdf.MostName), By: pdf.Cut(n.By, pdf.MostName), Text: pdf.Cut(n.Text, pdf.MostWords)})
		}
	}
	for _, v := range f.Values(pdf.MostFields) {
		out.Values = append(out.Values, compare.Fact{Name: pdf.Cut(v.Name, pdf.MostName), Value: pdf.Cut(v.Value, pdf.MostWords)})
	}
	return out
}
