package intake

import (
	"context"
	"fmt"
	"io"
	"math"

	"incipit/internal/core/legible"
	"incipit/internal/core/share"
	"incipit/internal/core/sheet"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// Opened is what was found of a file that asks for a password, while somebody gave that: it
// is kept nowhere, so nothing more is found later.
type Opened struct {
	Sheets      []sheet.Sheet   `json:"sheets"`
	Type        legible.Type    `json:"type"`
	Text        bool            `json:"text"`
	Permissions pdf.Permissions `json:"permissions"`
	Units       map[int]float64 `json:"units,omitempty"`
}

// OpenedOf is what was found of an edition, nil for one that asks for no password.
func OpenedOf(e library.Edition) *Opened {
	if !e.Locked {
		return nil
	}
	return &Opened{e.AllSheets(), e.Type, e.HasText, e.Facts.Permissions, e.Facts.Units}
}

// open finds it, with the password of src.
func (in *Intake) open(ctx context.Context, src pdf.Source) (Opened, error) {
	found, err := Examine(ctx, in.Engine, src, 1, nil)
	if err != nil {
		return Opened{}, fmt.Errorf("examine: %w", err)
	}
	for i := range found.Sheets {
		found.Sheets[i].Label = fmt.Sprint(i + 1)
	}
	o := Opened{Sheets: found.Sheets, Text: found.Text, Permissions: found.Facts.Permissions, Units: found.Facts.Units}
	if o.Type, err = MeasureType(ctx, in.Engine, src, len(found.Sheets), measuredAtOnce); err != nil {
		return o, fmt.Errorf("measure: %w", err)
	}
	return o, nil
}

// of has an edition be what was found.
func (o Opened) of(e *library.Edition) {
	e.Pages, e.PagesKnown, e.Sheets, e.Type, e.HasText = len(o.Sheets), len(o.Sheets), o.Sheets, o.Type, o.Text
	e.Facts = pdf.Facts{Encrypted: true, Permissions: o.Permissions, Units: o.Units, Outline: []pdf.Heading{}, Fields: []pdf.Field{}}
}

// Bounds of what somebody says was found: the sides of a page, in points, and how many sizes
// of type there are on one.
const (
	longestSide = 1e6
	mostSizes   = 10_000
	mostOpened  = 10_000 // pages
)

// sound says, by its error, what of it no file can have.
func (o Opened) sound() error {
	fits := func(v, most float64) bool { return v > 0 && v <= most && !math.IsNaN(v) }
	if len(o.Sheets) == 0 || len(o.Sheets) > mostOpened || len(o.Type.Pages) > MostMeasured || o.Type.Of > len(o.Sheets) {
		return pdf.Problemf(pdf.Damaged, "What is said of its pages is not that of a file.")
	}
	for n, s := range o.Sheets {
		if unit := o.Units[n+1]; !fits(s.Width, longestSide) || !fits(s.Height, longestSide) || s.Rotation%90 != 0 || unit != 0 && !fits(unit, longestSide) || len(s.Label) > 100 {
			return pdf.Problemf(pdf.Damaged, "What is said of page %d is not that of a page.", n+1)
		}
	}
	for _, p := range o.Type.Pages {
		sized := p.Number >= 1 && p.Number <= len(o.Sheets) && len(p.Bins) <= mostSizes && p.Running >= 0
		for _, b := range p.Bins {
			sized = sized && fits(b.Size, longestSide) && b.Chars >= 0 && b.Caseless >= 0 && b.XHeight >= 0 && b.XHeight <= longestSide
		}
		if !sized {
			return pdf.Problemf(pdf.Damaged, "What is said of the type on page %d is not that of a page.", p.Number)
		}
	}
	return nil
}

// ReceiveOpened takes a file that asks for a password of which it is known what is in it: it
// was opened elsewhere before.
func (in *Intake) ReceiveOpened(ctx context.Context, name string, r io.Reader, by int64, o Opened) (library.Document, library.Edition, error) {
	d := library.Document{Title: TitleOf(name)}
	if by != 0 {
		d.AddedBy = &by
	}
	e, err := in.store(ctx, name, r, func(ctx context.Context, e *library.Edition) error {
		if err := o.sound(); err != nil {
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
		o.of(e)
		return in.Library.AddLocked(ctx, &d, e, library.Origin{}, wordJob)
	})
	return d, e, err
}
