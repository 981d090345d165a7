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

func (d *document) image(number, width int) (pdf.PageImage, error) {
	in := d.engine.instance
	page, err := d.page(number)
	if err != nil {
		return pdf.PageImage{}, err
	}
	sheets, err := d.sheets(number, number)
	if err != nil {
		return pdf.PageImage{}, err
	}
	w, h := pixelSize(sheets[0].Width, sheets[0].Height, width, d.engine.limits.MaxPixels)
	bitmap, err := in.FPDFBitmap_Create(&requests.FPDFBitmap_Create{Width: w, Height: h})
	if err != nil {
		return pdf.PageImage{}, fmt.Errorf("make a picture: %w", err)
	}
	stride, err := in.FPDFBitmap_GetStride(&requests.FPDFBitmap_GetStride{Bitmap: bitmap.Bitmap})
	if err != nil || stride.Stride == 0 {
		return pdf.PageImage{}, pdf.Problemf(pdf.OutOfMemory, "Page %d needs more memory than one page may use.", number)
	}
	defer func() { _, _ = in.FPDFBitmap_Destroy(&requests.FPDFBitmap_Destroy{Bitmap: bitmap.Bitmap}) }()
	if _, err := in.FPDFBitmap_FillRect(&requests.FPDFBitmap_FillRect{Bitmap: bitmap.Bitmap, Width: w, Height: h, Color: 0xFFFFFFFF}); err != nil {
		return pdf.PageImage{}, fmt.Errorf("clear the picture: %w", err)
	}
	flags := enums.FPDF_RENDER_FLAG_ANNOT | enums.FPDF_RENDER_FLAG_REVERSE_BYTE_ORDER
	if _, err := in.FPDF_RenderPageBitmap(&requests.FPDF_RenderPageBitmap{
		Bitmap: bitmap.Bitmap, Page: page, SizeX: w, SizeY: h, Flags: flags,
	}); err != nil {
		return pdf.PageImage{}, fmt.Errorf("render page %d: %w", number, err)
	}
	if d.form != nil {
		if _, err := in.FPDF_FFLDraw(&requests.FPDF_FFLDraw{
			FormHandle: *d.form, Bitmap: bitmap.Bitmap, Page: page, SizeX: w, SizeY: h, Flags: flags,
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
