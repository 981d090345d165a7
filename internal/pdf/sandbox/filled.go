package sandbox

import (
	"math"
	"strings"
	"unicode/utf8"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// What readers see in fields and in notes that are written on the page is text of
// the page, too. An engine draws it, but does not count it among its characters, so
// that its letters are given places here: they fill the box about as they are drawn.

const (
	hidden, noView = 1 << 1, 1 << 5 // flags of annotations (ISO 32000-2, table 167)
	password       = 1 << 13        // flag of text fields (table 231)
	mostAnnots     = 2_000          // of a page that are looked at
	usualFieldSize = 12.0           // points
	fieldLetter    = 0.5            // width of a letter, in em
	fieldPadding   = 2.0            // points
)

// filled gives the letters of field values and of free text notes of a page.
func (d *document) filled(page requests.Page, crop sheet.Crop, rotation int) []overlay.Glyph {
	in := d.engine.instance
	count, err := in.FPDFPage_GetAnnotCount(&requests.FPDFPage_GetAnnotCount{Page: page})
	if err != nil {
		return nil
	}
	var out []overlay.Glyph
	left := pdf.MostWords * 10
	for i := range min(count.Count, mostAnnots) {
		annot, err := in.FPDFPage_GetAnnot(&requests.FPDFPage_GetAnnot{Page: page, Index: i})
		if err != nil {
			continue
		}
		if text, box, ok := d.written(annot.Annotation); ok {
			text = pdf.Cut(text, min(left, pdf.MostWords))
			left -= utf8.RuneCountInString(text)
			r := crop.RectToSheet(rotation, float64(box.Left), float64(box.Bottom), float64(box.Right), float64(box.Top))
			out = append(out, spread(text, r)...)
		}
		_, _ = in.FPDFPage_CloseAnnot(&requests.FPDFPage_CloseAnnot{Annotation: annot.Annotation})
		if left <= 0 {
			break
		}
	}
	return out
}

type annotBox struct{ Left, Bottom, Right, Top float32 }

// written gives what an annotation shows, if it shows text.
func (d *document) written(annot references.FPDF_ANNOTATION) (string, annotBox, bool) {
	in := d.engine.instance
	flags, err := in.FPDFAnnot_GetFlags(&requests.FPDFAnnot_GetFlags{Annotation: annot})
	if err != nil || int(flags.Flags)&(hidden|noView) != 0 {
		return "", annotBox{}, false
	}
	sub, err := in.FPDFAnnot_GetSubtype(&requests.FPDFAnnot_GetSubtype{Annotation: annot})
	if err != nil {
		return "", annotBox{}, false
	}
	text := ""
	switch {
	case sub.Subtype == enums.FPDF_ANNOT_SUBTYPE_FREETEXT:
		if v, err := in.FPDFAnnot_GetStringValue(&requests.FPDFAnnot_GetStringValue{Annotation: annot, Key: "Contents"}); err == nil {
			text = v.Value
		}
	case sub.Subtype == enums.FPDF_ANNOT_SUBTYPE_WIDGET && d.form != nil:
		kind, err := in.FPDFAnnot_GetFormFieldType(&requests.FPDFAnnot_GetFormFieldType{FormHandle: *d.form, Annotation: annot})
		if err != nil || kind.FormFieldType != enums.FPDF_FORMFIELD_TYPE_TEXTFIELD &&
			kind.FormFieldType != enums.FPDF_FORMFIELD_TYPE_COMBOBOX && kind.FormFieldType != enums.FPDF_FORMFIELD_TYPE_LISTBOX {
			return "", annotBox{}, false
		}
		f, err := in.FPDFAnnot_GetFormFieldFlags(&requests.FPDFAnnot_GetFormFieldFlags{FormHandle: *d.form, Annotation: annot})
		if err != nil || kind.FormFieldType == enums.FPDF_FORMFIELD_TYPE_TEXTFIELD && int(f.Flags)&password != 0 {
			return "", annotBox{}, false
		}
		if v, err := in.FPDFAnnot_GetFormFieldValue(&requests.FPDFAnnot_GetFormFieldValue{FormHandle: *d.form, Annotation: annot}); err == nil {
			text = v.FormFieldValue
		}
	}
	if strings.TrimSpace(text) == "" {
		return "", annotBox{}, false
	}
	r, err := in.FPDFAnnot_GetRect(&requests.FPDFAnnot_GetRect{Annotation: annot})
	if err != nil {
		return "", annotBox{}, false
	}
	return text, annotBox{r.Rect.Left, r.Rect.Bottom, r.Rect.Right, r.Rect.Top}, true
}

// spread sets the lines of a text into a box of the sheet.
func spread(text string, box sheet.Rect) []overlay.Glyph {
	lines := strings.FieldsFunc(text, func(r rune) bool { return r == '\n' || r == '\r' })
	if len(lines) == 0 || box.W <= 0 || box.H <= 0 {
		return nil
	}
	size := math.Min(usualFieldSize, 0.8*box.H/float64(len(lines)))
	var out []overlay.Glyph
	for i, line := range lines {
		n := utf8.RuneCountInString(line)
		if n == 0 {
			continue
		}
		step := math.Min(fieldLetter*size, math.Max(box.W-2*fieldPadding, 1)/float64(n))
		y := box.Y + box.H/2 + (float64(i)-float64(len(lines)-1)/2)*size*1.2 + 0.35*size
		for j, r := range []rune(line) {
			out = append(out, overlay.Glyph{Rune: r, X: box.X + fieldPadding + float64(j)*step, Y: y, Advance: step, Size: size})
		}
	}
	return out
}
