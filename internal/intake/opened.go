package intake

import (
	"context"
	"fmt"
	"io"

	"incipit/internal/core/share"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// open finds what there is to find of a file, with the password of src.
func (in *Intake) open(ctx context.Context, src pdf.Source) (library.Opened, error) {
	found, err := Examine(ctx, in.Engine, src, 1, nil)
	if err != nil {
		return library.Opened{}, fmt.Errorf("examine: %w", err)
	}
	for i := range found.Sheets {
		found.Sheets[i].Label = fmt.Sprint(i + 1)
	}
	o := library.Opened{Sheets: found.Sheets, Text: found.Text, Permissions: found.Facts.Permissions, Units: found.Facts.Units}
	if o.Type, _, err = MeasureType(ctx, in.Engine, src, len(found.Sheets), measuredAtOnce); err != nil {
		return o, fmt.Errorf("measure: %w", err)
	}
	return o, nil
}

// ReceiveOpened takes a file that asks for a password of which it is known what is in it: it
// was opened elsewhere before.
func (in *Intake) ReceiveOpened(ctx context.Context, name string, r io.Reader, by int64, o library.Opened) (library.Document, library.Edition, error) {
	d := library.Document{Title: TitleOf(name)}
	if by != 0 {
		d.AddedBy = &by
	}
	e, err := in.store(ctx, name, r, func(ctx context.Context, e *library.Edition) error {
		if err := in.asOpened(ctx, name, e, o); err != nil {
			return err
		}
		return in.Library.AddLocked(ctx, &d, e, library.Origin{}, wordJob)
	})
	return d, e, err
}

// ReplaceOpened is the same for another edition of a document.
func (in *Intake) ReplaceOpened(ctx context.Context, document int64, name string, r io.Reader, by int64, o library.Opened) (library.Edition, error) {
	return in.store(ctx, name, r, func(ctx context.Context, e *library.Edition) error {
		if by != 0 {
			e.AddedBy = &by
		}
		if err := in.asOpened(ctx, name, e, o); err != nil {
			return err
		}
		return in.Library.AddEdition(ctx, document, e, wordJob)
	})
}

func (in *Intake) asOpened(ctx context.Context, name string, e *library.Edition, o library.Opened) error {
	if err := o.Sound(); err != nil {
		return err
	}
	_, err := in.Engine.Cover(share.From(ctx, ""), source(ctx, in.Blobs, *e))
	if err == nil {
		return pdf.Problemf(pdf.Damaged, "It asks for no password, though that is said of it.")
	}
	if pdf.KindOf(err) != pdf.NeedsPassword {
		return fmt.Errorf("open %q: %w", name, err)
	}
	e.FileName = FileName(name)
	o.Of(e)
	return nil
}
