package main

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"image"
	_ "image/jpeg" // photographs come as JPEG
	"image/png"
	"os"

	"incipit/internal/pdf"
)

// maxRenderWidth is the widest image the shell makes, in pixels.
const maxRenderWidth = 10_000

// render writes a page as a PNG. A page that is cheaper as a photograph comes
// from the engine as JPEG and is written anew.
func render(args []string) error {
	var page, width int
	var out string
	return onFile("render", args, func(f *flag.FlagSet) {
		f.IntVar(&page, "page", 1, "")
		f.IntVar(&width, "width", 1200, "")
		f.StringVar(&out, "out", "", "")
	}, func(ctx context.Context, engine pdf.Engine, src pdf.Source) error {
		if out == "" || width < 1 || width > maxRenderWidth {
			return badUse{errors.New("render: give --out FILE.png and a --width from 1 to 10000")}
		}
		made, err := engine.Image(ctx, src, page, width)
		if err != nil {
			return err
		}
		encoded := made.Bytes
		if made.MediaType != "image/png" {
			img, _, err := image.Decode(bytes.NewReader(made.Bytes))
			if err != nil {
				return fmt.Errorf("read the page image: %w", err)
			}
			var b bytes.Buffer
			if err := png.Encode(&b, img); err != nil {
				return fmt.Errorf("encode the page image: %w", err)
			}
			encoded = b.Bytes()
		}
		if err := os.WriteFile(out, encoded, 0o644); err != nil {
			return fmt.Errorf("write %s: %w", out, err)
		}
		return nil
	})
}
