package sandbox

import (
	"fmt"
	"math"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/pageimage"
	"incipit/internal/pdf"
)

// pixelSize gives the pixels of a page of w × h points at a wanted width,
// narrowed where the picture would have more than maxPixels.
func pixelSize(w, h float64, width, maxPixels int) (int, int) {
	ratio := h / w
	if limit := math.Sqrt(float64(maxPixels) / ratio); float64(width) > limit {
		width = int(limit)
	}
	width = max(width, 1)
	return width, min(max(int(math.Round(float64(width)*ratio)), 1), maxPixels/width)
}

// image renders a page at a width in pixels.
func (d *document) image(number, width int) (pdf.PageImage, error) {
	sheets, err := d.sheets(number, number)
	if err != nil {
		return pdf.PageImage{}, err
	}
	w, h := pixelSize(sheets[0].Width, sheets[0].Height, width, d.engine.limits.MaxPixels)
	return d.render(number, pdf.Tile{Width: w, Height: h, W: w, H: h})
}

// maxSide bounds the whole page that a tile is a part of, in pixels.
const maxSide = 60_000

// tile renders a part of a page.
func (d *document) tile(number int, t pdf.Tile) (pdf.PageImage, error) {
	if t.W < 1 || t.H < 1 || t.W*t.H > d.engine.limits.MaxPixels || t.X < 0 || t.Y < 0 || t.Width < 1 || t.Height < 1 ||
		t.Width > maxSide || t.Height > maxSide || t.X+t.W > t.Width+t.W || t.Y+t.H > t.Height+t.H {
		return pdf.PageImage{}, pdf.Problemf(pdf.NoSuchPage, "There is no such part of page %d.", number)
	}
	return d.render(number, t)
}

// render draws the part of a page that a tile names.
func (d *document) render(number int, t pdf.Tile) (pdf.PageImage, error) {
	in := d.engine.instance
	page, err := d.page(number)
	if err != nil {
		return pdf.PageImage{}, err
	}
	w, h := t.W, t.H
	bitmap, err := in.FPDFBitmap_Create(&requests.FPDFBitmap_Create{Width: w, Height: h})
	if err != nil {
		return pdf.PageImage{}, fmt.Errorf("make a picture: %w", err)
	}
	stride, err := in.FPDFBitmap_GetStride(&requests.FPDFBitmap_GetStride{Bitmap: bitmap.Bitmap})
	if err != nil || stride.Stride == 0 {
		return pdf.PageImage{}, pdf.Problemf(pdf.OutOfMemory, "Page %d needs more memory than one page may use.", number)
	}
	defer func() { _, _ = in.FPDFBitmap_Destroy(&requests.FPDFBitmap_Destroy{Bitmap: bitmap.Bitmap}) }()
	if _, err := in.FPDFBitmap_FillRect(&requests.FPDFBitmap_FillRect{Bitmap: bitmap.Bitmap, Width: w, Height: h,
		Color: 0xFFFFFFFF}); err != nil {
		return pdf.PageImage{}, fmt.Errorf("clear the picture: %w", err)
	}
	flags := enums.FPDF_RENDER_FLAG_ANNOT | enums.FPDF_RENDER_FLAG_REVERSE_BYTE_ORDER
	if _, err := in.FPDF_RenderPageBitmap(&requests.FPDF_RenderPageBitmap{
		Bitmap: bitmap.Bitmap, Page: page, StartX: -t.X, StartY: -t.Y, SizeX: t.Width, SizeY: t.Height, Flags: flags,
	}); err != nil {
		return pdf.PageImage{}, fmt.Errorf("render page %d: %w", number, err)
	}
	if d.form != nil {
		if _, err := in.FPDF_FFLDraw(&requests.FPDF_FFLDraw{
			FormHandle: *d.form, Bitmap: bitmap.Bitmap, Page: page, StartX: -t.X, StartY: -t.Y, SizeX: t.Width, SizeY: t.Height, Flags: flags,
		}); err != nil {
			return pdf.PageImage{}, fmt.Errorf("draw the fields of page %d: %w", number, err)
		}
	}
	buffer, err := in.FPDFBitmap_GetBuffer(&requests.FPDFBitmap_GetBuffer{Bitmap: bitmap.Bitmap})
	if err != nil {
		return pdf.PageImage{}, fmt.Errorf("read the picture: %w", err)
	}
	mediaType, encoded, err := pageimage.Encode(pageimage.Pixels{Pix: buffer.Buffer, Stride: stride.Stride, Width: w, Height: h})
	if err != nil {
		return pdf.PageImage{}, err
	}
	return pdf.PageImage{Width: w, Height: h, MediaType: mediaType, Bytes: encoded}, nil
}
