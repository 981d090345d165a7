package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path"
	"strings"

	"incipit/internal/office"
	"incipit/internal/pdf"
)

// Office makes PDFs of office documents (see package office).
type Office interface {
	Convert(ctx context.Context, path string, kind office.Kind, take func(pdf string) error) error
}

// mayBe says whether a file can be taken by how it begins: a PDF, or an office document.
func mayBe(head []byte) error {
	if office.Looks(head) {
		return nil
	}
	return pdf.CheckHead(head)
}

// asPDF gives a file as a PDF: itself, or what is made of an office document. take is
// called with it while it is there.
func (in *Intake) asPDF(ctx context.Context, name string, r io.Reader, take func(name string, r io.Reader) error) error {
	head, err := headOf(r)
	if err != nil {
		return fmt.Errorf("read %q: %w", name, err)
	}
	whole := io.MultiReader(strings.NewReader(string(head)), r)
	if !office.Looks(head) {
		return take(name, whole)
	}
	f, err := os.CreateTemp("", "incipit-office-")
	if err != nil {
		return fmt.Errorf("lay %q out: %w", name, err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	size, err := io.Copy(f, io.LimitReader(whole, in.MaxBytes+1))
	if err != nil {
		return fmt.Errorf("lay %q out: %w", name, err)
	}
	kind := office.KindOf(f, size)
	if kind == "" {
		return pdf.Problemf(pdf.NotPDF, "The file is neither a PDF nor an office document (odt, ods, odp, docx, xlsx, pptx, rtf).")
	}
	if in.Office == nil {
		return pdf.Problemf(pdf.NoConverter, "This is an office document (%s), and LibreOffice is not installed on the server.", kind)
	}
	err = in.Office.Convert(ctx, f.Name(), kind, func(made string) error {
		p, err := os.Open(made)
		if err != nil {
			return fmt.Errorf("read what was made of %q: %w", name, err)
		}
		defer p.Close()
		return take(strings.TrimSuffix(name, path.Ext(name))+".pdf", p)
	})
	switch {
	case errors.Is(err, office.ErrUnconfined):
		slog.ErrorContext(ctx, "office documents cannot be converted", "error", err)
		return pdf.Problemf(pdf.NoConverter, "This is an office document (%s), and the server may not start a confined process to convert it.", kind)
	case errors.Is(err, office.ErrFailed):
		slog.WarnContext(ctx, "an office document was not converted", "name", name, "error", err)
		return pdf.Problemf(pdf.Unconverted, "No PDF could be made of this office document (%s): it may ask for a password, be damaged, or take longer than two minutes.", kind)
	}
	return err
}

// keepsParts says whether what has arrived is kept though it is refused: something else
// than another file helps.
func keepsParts(p *pdf.Problem) bool {
	return p.Kind == pdf.NeedsPassword || p.Kind == pdf.NoConverter || p.Kind == pdf.Unconverted
}
