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

	"incipit/internal/confined"
	"incipit/internal/core/share"
	"incipit/internal/office"
	"incipit/internal/pdf"
)

// Office makes PDFs of office documents (see package office).
type Office interface {
	Convert(ctx context.Context, path string, kind office.Kind, take func(pdf *os.File) error) error
}

// ErrSmall is given where a machine has no room for programs beside the server (see package
// machine).
var ErrSmall = errors.New("the server has less than 1 GB of memory")

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
	kind, err := office.KindOf(f, size)
	if err != nil {
		return pdf.Problemf(pdf.Damaged, "The file begins like an office document; its end is missing or damaged.")
	}
	if kind == "" {
		return pdf.Problemf(pdf.NotPDF, "The file is neither a PDF nor an office document (odt, ods, odp, docx, xlsx, pptx, rtf).")
	}
	if in.Office == nil {
		return noOffice(kind, in.NoOffice)
	}
	err = in.Office.Convert(ctx, f.Name(), kind, func(made *os.File) error {
		return take(strings.TrimSuffix(name, path.Ext(name))+".pdf", made)
	})
	switch {
	case errors.Is(err, share.ErrFull), errors.Is(err, confined.ErrNotYet):
		return fmt.Errorf("%w: office documents: %w", pdf.ErrAway, err)
	case errors.Is(err, office.ErrUnconfined):
		slog.ErrorContext(ctx, "office documents cannot be converted", "error", err)
		return noOffice(kind, err)
	case errors.Is(err, confined.ErrOverran):
		slog.WarnContext(ctx, "an office document takes too much work", "name", name, "error", err)
		return pdf.Problemf(pdf.Unconverted, "This office document (%s) takes more work than a conversion may: it may be very large, or made so that it never ends.", kind)
	case errors.Is(err, confined.ErrMemory), errors.Is(err, confined.ErrOutput):
		slog.WarnContext(ctx, "an office document takes too much memory", "name", name, "error", err)
		return pdf.Problemf(pdf.Unconverted, "This office document (%s) needs more memory than a conversion may use.", kind)
	case errors.Is(err, office.ErrFailed):
		slog.WarnContext(ctx, "an office document was not converted", "name", name, "error", err)
		return pdf.Problemf(pdf.Unconverted, "No PDF could be made of this office document (%s): it may ask for a password, or be damaged.", kind)
	}
	return err
}

// noOffice says why an office document cannot be taken, as whoever runs the server has to
// know it.
func noOffice(kind office.Kind, why error) *pdf.Problem {
	switch {
	case errors.Is(why, office.ErrMissing), why == nil:
		return pdf.Problemf(pdf.NoConverter, "This is an office document (%s), and LibreOffice is not installed on the server.", kind)
	case errors.Is(why, office.ErrUnconfined):
		return pdf.Problemf(pdf.NoConverter, "This is an office document (%s), and the server cannot convert it safely as it is set up.", kind)
	}
	return pdf.Problemf(pdf.NoConverter, "This is an office document (%s), and this server has too little memory to convert it.", kind)
}

// keepsParts says whether what has arrived is kept though it is refused: something else
// than another file helps.
func keepsParts(p *pdf.Problem) bool {
	return p.Kind == pdf.NeedsPassword || p.Kind == pdf.NoConverter || p.Kind == pdf.Unconverted
}
