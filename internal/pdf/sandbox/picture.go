package sandbox

import (
	"errors"
	"fmt"
	"io"
	"runtime/debug"

	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
	"incipit/internal/redraw"
)

// picture redraws a picture. The engine has no part in it; the worker is where
// files of strangers are decoded, bounded in memory and time.
func (e *engine) picture(ask wire.Ask) (pdf.Picture, error) {
	if ask.Size > pdf.MostPictureMB<<20 {
		return pdf.Picture{}, pdf.Problemf(pdf.TooLarge, "The picture's file is larger than %d MB.", pdf.MostPictureMB)
	}
	// What documents keep of their files makes room.
	for _, d := range e.open {
		d.close()
	}
	e.open = nil
	file := newRemoteFile(ask.Size, 1, e.fetch)
	raw := make([]byte, ask.Size)
	if _, err := io.ReadFull(file, raw); err != nil {
		return pdf.Picture{}, fmt.Errorf("%w: %w", errSource, err)
	}
	defer debug.FreeOSMemory()
	made, err := redraw.Draw(raw, ask.Widths, redraw.Limits{Bytes: e.limits.Decoded, Side: pdf.MostSide})
	switch {
	case errors.Is(err, redraw.ErrTooLarge):
		return made, pdf.Problemf(pdf.TooLarge, "The picture has too many pixels.")
	case errors.Is(err, redraw.ErrNoImage):
		return made, pdf.Problemf(pdf.NotPDF, "The file is no picture that can be read.")
	}
	return made, err
}
