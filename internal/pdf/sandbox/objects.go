package sandbox

import (
	"cmp"
	"io"
	"math"
	"strconv"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
	"incipit/internal/pdf/plain"
)

// objects gives the file's own objects, or nothing: what they say is then asked of
// the engine, page by page. A file that cannot be read as it is (encrypted, or
// damaged, which the engine may have mended) is copied by the engine.
func (d *document) objects() *plain.File {
	if d.looked {
		return d.plain
	}
	d.looked = true
	size := d.file.size - d.file.skip
	f, err := plain.Open(d.file, size)
	d.original = err == nil && d.file.skip == 0 && d.header == 0
	if err != nil && d.header > 0 { // offsets count from the header, or from the start
		f, err = plain.Open(io.NewSectionReader(d.file, d.header, size-d.header), size-d.header)
	}
	if (err != nil || f.Count() != d.pages) && size <= min(mostLooked, int64(d.engine.limits.Copy)) && d.file.failed == nil {
		f, err = d.copied()
		d.original = false
	}
	if err == nil && f.Count() == d.pages {
		d.plain = f
	}
	return d.plain
}

// cropOf is the visible box of a page.
func cropOf(p plain.Page, unit float64) sheet.Crop {
	return sheet.Crop{Left: p.Box[0], Bottom: p.Box[1], Right: p.Box[2], Top: p.Box[3], Unit: unit}
}

// described gives the geometry of pages, the first of which is number from.
func (d *document) described(pages []plain.Page, from int) []sheet.Sheet {
	out := make([]sheet.Sheet, len(pages))
	for i, p := range pages {
		label := cmp.Or(pdf.Cut(p.Label, pdf.MostLabel), strconv.Itoa(from+i))
		out[i] = sheet.New(cropOf(p, d.units[from+i]), p.Rotation, label)
	}
	return out
}

// place gives how far below the top of its page a destination is, in points, and
// the zoom it asks for, in percent of true size. A view fitted to the frame asks
// for none: the placement says how its pages stand.
func (d *document) placeOf(f *plain.File, at plain.Destination) (top, zoom float64) {
	p, ok := f.Page(at.Page)
	if !ok {
		return 0, 0
	}
	crop := cropOf(p, p.Unit)
	point := func(c plain.Coordinate, usual float64) float64 {
		if c.Set {
			return c.Value
		}
		return usual
	}
	if at.Top.Set || at.Left.Set && p.Rotation%180 != 0 {
		_, y := crop.ToSheet(p.Rotation, point(at.Left, crop.Left), point(at.Top, crop.Top))
		s := sheet.New(crop, p.Rotation, "")
		top = math.Round(10*math.Max(0, math.Min(y, s.Height))) / 10
	}
	if at.Zoom >= 0.1 && at.Zoom <= 6.4 {
		zoom = math.Round(100 * at.Zoom)
	}
	return top, zoom
}

// outlined lists the outline.
func (d *document) outlined(f *plain.File) []pdf.Heading {
	out := []pdf.Heading{}
	for _, e := range f.Outline(pdf.MostHeadings, pdf.MostDepth) {
		h := pdf.Heading{Title: pdf.Cut(e.Title, pdf.MostTitle), Level: e.Level, Page: e.Place.Page, Folded: e.Folded}
		switch {
		case h.Page > 0:
			h.Top, h.Zoom = d.placeOf(f, e.Place)
		case e.Address != "":
			h.To = pdf.ToWeb
		case e.File != "":
			h.To = pdf.ToFile
		}
		out = append(out, h)
	}
	return out
}

func (d *document) opening(f *plain.File) pdf.Opening {
	o := f.Opening()
	out := pdf.Opening{Page: o.Place.Page, Fit: pdf.Cut(string(o.Place.Fit), pdf.MostLabel), Layout: pdf.Cut(string(o.Layout), pdf.MostLabel),
		Mode: pdf.Cut(string(o.Mode), pdf.MostLabel), Direction: pdf.Cut(string(o.Direction), pdf.MostLabel), Titled: o.Titled}
	out.Top, out.Zoom = d.placeOf(f, o.Place)
	return out
}

// linked lists the links of a page that a reader may follow.
func (d *document) linked(f *plain.File, number int, crop sheet.Crop, rotation int) []overlay.Link {
	out := []overlay.Link{}
	for _, l := range f.Links(number, pdf.MostLinks) {
		link := overlay.Link{Kind: overlay.ToNowhere}
		switch {
		case l.Place.Page > 0:
			link = overlay.Link{Kind: overlay.ToPage, Page: l.Place.Page}
			link.Top, link.Zoom = d.placeOf(f, l.Place)
		case l.File != "":
			link.Kind = overlay.ToFile
		case l.Address != "":
			if len(l.Address) > pdf.MostAddress || !overlay.SafeAddress(l.Address) {
				continue
			}
			link = overlay.Link{Kind: overlay.ToWeb, Address: l.Address}
		}
		link.Box = crop.RectToSheet(rotation, l.Box[0], l.Box[1], l.Box[2], l.Box[3])
		out = append(out, link)
	}
	return out
}
