package pool

import (
	"context"

	"incipit/internal/core/compare"
	"incipit/internal/core/contrast"
	"incipit/internal/core/report"
	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// Tile implements pdf.Engine.
func (p *Pool) Tile(ctx context.Context, src pdf.Source, page int, t pdf.Tile) (pdf.PageImage, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Tile, Page: page, Tile: t})
	return a.Image, err
}

// Extract implements pdf.Engine.
func (p *Pool) Extract(ctx context.Context, src pdf.Source, page int) ([]byte, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Extract, Page: page})
	return a.Bytes, err
}

// Attachment implements pdf.Engine.
func (p *Pool) Attachment(ctx context.Context, src pdf.Source, number int) ([]byte, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Attachment, Page: number})
	return a.Bytes, err
}

// Destination implements pdf.Engine.
func (p *Pool) Destination(ctx context.Context, src pdf.Source, name string) (pdf.Destination, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Destination, Name: name})
	return a.Destination, err
}

// Picture implements pdf.Engine.
func (p *Pool) Picture(ctx context.Context, src pdf.Source, widths []int) (pdf.Picture, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Picture, Widths: widths})
	return a.Picture, err
}

// Amend implements pdf.Engine.
func (p *Pool) Amend(ctx context.Context, src pdf.Source, said pdf.Said) ([]byte, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Amend, Said: said})
	return a.Bytes, err
}

// Inks implements pdf.Engine.
func (p *Pool) Inks(ctx context.Context, src pdf.Source, page int) ([]contrast.Ink, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Inks, Page: page})
	return a.Inks, err
}

// Beside implements pdf.Engine.
func (p *Pool) Beside(ctx context.Context, src pdf.Source) (compare.Beside, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Beside})
	return a.Beside, err
}

// Structure implements pdf.Engine.
func (p *Pool) Structure(ctx context.Context, src pdf.Source) (report.Structure, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Structure})
	return a.Structure, err
}
