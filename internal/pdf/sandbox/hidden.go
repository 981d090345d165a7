package sandbox

import (
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/pdf/plain"
)

// hiding gives the names of the layers that are switched off as the file is opened
// (ISO 32000-2, 8.11). A name that a layer has which is on hides nothing.
func (d *document) hiding() map[string]bool {
	if d.off != nil {
		return d.off
	}
	d.off = map[string]bool{}
	f := d.objects()
	if f == nil {
		return d.off
	}
	layers := f.Layers()
	for _, l := range layers {
		if !l.On {
			d.off[l.Name] = true
		}
	}
	for _, l := range layers {
		if l.On {
			delete(d.off, l.Name)
		}
	}
	return d.off
}

// hidden says whether a character belongs to a layer that is off: the engine draws
// none of it, and yet lists its text.
func (d *document) hidden(tp references.FPDF_TEXTPAGE, i int) bool {
	off := d.hiding()
	if len(off) == 0 {
		return false
	}
	in := d.engine.instance
	o, err := in.FPDFText_GetTextObject(&requests.FPDFText_GetTextObject{TextPage: tp, Index: i})
	if err != nil {
		return false
	}
	marks, err := in.FPDFPageObj_CountMarks(&requests.FPDFPageObj_CountMarks{PageObject: o.TextObject})
	if err != nil {
		return false
	}
	for k := range min(marks.Count, maxNesting) {
		mark, err := in.FPDFPageObj_GetMark(&requests.FPDFPageObj_GetMark{PageObject: o.TextObject, Index: uint64(k)})
		if err != nil {
			continue
		}
		if name, err := in.FPDFPageObjMark_GetName(&requests.FPDFPageObjMark_GetName{PageObjectMark: mark.Mark}); err != nil ||
			name.Name != "OC" {
			continue
		}
		v, err := in.FPDFPageObjMark_GetParamStringValue(&requests.FPDFPageObjMark_GetParamStringValue{PageObjectMark: mark.Mark, Key: "Name"})
		if err == nil && (off[v.Value] || off[plain.Text(v.Value).Readable()]) {
			return true
		}
	}
	return false
}
