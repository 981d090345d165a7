package sandbox

import (
	"fmt"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/klippa-app/go-pdfium/structs"

	"incipit/internal/pdf"
)

// openForm makes the environment without which fields are not drawn. Every
// callback is set, since a missing one panics, and none does anything: fields
// are shown, their actions never run.
func (d *document) openForm() error {
	in := d.engine.instance
	kind, err := in.FPDF_GetFormType(&requests.FPDF_GetFormType{Document: d.ref})
	if err != nil || kind.FormType == enums.FPDF_FORMTYPE_NONE {
		return nil
	}
	env, err := in.FPDFDOC_InitFormFillEnvironment(&requests.FPDFDOC_InitFormFillEnvironment{
		Document: d.ref,
		FormFillInfo: structs.FPDF_FORMFILLINFO{
			Release:                func() {},
			FFI_Invalidate:         func(references.FPDF_PAGE, float64, float64, float64, float64) {},
			FFI_OutputSelectedRect: func(references.FPDF_PAGE, float64, float64, float64, float64) {},
			FFI_SetCursor:          func(enums.FXCT) {},
			FFI_SetTimer:           func(int, func(int)) int { return 0 },
			FFI_KillTimer:          func(int) {},
			FFI_GetLocalTime:       func() structs.FPDF_SYSTEMTIME { return structs.FPDF_SYSTEMTIME{} },
			FFI_OnChange:           func() {},
			FFI_GetPage:            func(references.FPDF_DOCUMENT, int) *references.FPDF_PAGE { return nil },
			FFI_GetCurrentPage:     func(references.FPDF_DOCUMENT) *references.FPDF_PAGE { return nil },
			FFI_GetRotation:        func(references.FPDF_PAGE) enums.FPDF_PAGE_ROTATION { return 0 },
			FFI_ExecuteNamedAction: func(string) {},
			FFI_SetTextFieldFocus:  func(string, bool) {},
			FFI_DoURIAction:        func(string) {},
			FFI_DoGoToAction:       func(int, enums.FPDF_ZOOM_MODE, []float32) {},
		},
	})
	if err != nil {
		return fmt.Errorf("open the form: %w", err)
	}
	d.form = &env.FormHandle
	// The editor's own highlight is not part of the document.
	_, _ = in.FPDF_SetFormFieldHighlightAlpha(&requests.FPDF_SetFormFieldHighlightAlpha{FormHandle: env.FormHandle, Alpha: 0})
	return nil
}

// fields lists the fields on a span of pages, each name once, and says
// whether any of the pages has text.
func (d *document) fields(from, to int) ([]pdf.Field, bool, error) {
	in := d.engine.instance
	var out []pdf.Field
	seen := map[string]bool{}
	text := false
	for n := from; n <= to; n++ {
		page, err := d.page(n)
		if pdf.KindOf(err) == pdf.Damaged {
			continue
		}
		if err != nil {
			return nil, false, err
		}
		if !text {
			text = d.hasText(page)
		}
		if d.form == nil {
			continue
		}
		count, err := in.FPDFPage_GetAnnotCount(&requests.FPDFPage_GetAnnotCount{Page: page})
		if err != nil {
			return nil, false, fmt.Errorf("count annotations of page %d: %w", n, err)
		}
		for i := range count.Count {
			f, ok := d.field(page, i)
			if ok && !seen[f.Name] && len(out) < pdf.MostFields {
				seen[f.Name] = true
				f.Page = n
				out = append(out, f)
			}
		}
	}
	return out, text, nil
}

func (d *document) field(page requests.Page, index int) (pdf.Field, bool) {
	in := d.engine.instance
	annot, err := in.FPDFPage_GetAnnot(&requests.FPDFPage_GetAnnot{Page: page, Index: index})
	if err != nil {
		return pdf.Field{}, false
	}
	defer func() {
		_, _ = in.FPDFPage_CloseAnnot(&requests.FPDFPage_CloseAnnot{Annotation: annot.Annotation})
	}()
	sub, err := in.FPDFAnnot_GetSubtype(&requests.FPDFAnnot_GetSubtype{Annotation: annot.Annotation})
	if err != nil || sub.Subtype != enums.FPDF_ANNOT_SUBTYPE_WIDGET {
		return pdf.Field{}, false
	}
	name, err := in.FPDFAnnot_GetFormFieldName(&requests.FPDFAnnot_GetFormFieldName{FormHandle: *d.form, Annotation: annot.Annotation})
	if err != nil {
		return pdf.Field{}, false
	}
	kind, err := in.FPDFAnnot_GetFormFieldType(&requests.FPDFAnnot_GetFormFieldType{FormHandle: *d.form, Annotation: annot.Annotation})
	if err != nil || fieldTypes[kind.FormFieldType] == "" {
		return pdf.Field{}, false
	}
	return pdf.Field{Name: pdf.Cut(name.FormFieldName, pdf.MostName), Type: fieldTypes[kind.FormFieldType]}, true
}
