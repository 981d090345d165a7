// Package picture takes the pictures that editors add to their pages.
//
// What comes in is decoded and written anew by a worker (see package redraw);
// what readers get is what was written.
package picture

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"

	"incipit/internal/blob"
	"incipit/internal/core/share"
	"incipit/internal/pdf"
	"incipit/internal/publishing"
)

// Prefix is where pictures lie among blobs.
const Prefix = "pictures/"

// MostBytes bounds the file of a picture.
const MostBytes = pdf.MostPictureMB << 20

// ladder are the widths in which a picture is served, px, as far as it has them.
var ladder = []int{480, 960, 1920}

// Refusal is an error that is a sentence for an editor.
type Refusal string

// Error gives the sentence.
func (r Refusal) Error() string { return string(r) }

// What a file can be refused for.
const (
	ErrTooLarge = Refusal("The picture is larger than 20 MB, or has more pixels than can be taken: some 60 million, 20,000 on a side. Make it smaller and add it again. Nothing was kept.")
	ErrNoImage  = Refusal("This is no picture that can be read here. JPEG, PNG, GIF and WebP can. Nothing was kept.")
)

// Engine is what is asked of the PDF engine's workers.
type Engine interface {
	Picture(ctx context.Context, src pdf.Source, widths []int) (pdf.Picture, error)
}

// Take reads a picture, has it written in its widths and keeps it.
func Take(ctx context.Context, engine Engine, s *publishing.Publisher, blobs *blob.Store, name string, r io.Reader) (publishing.Picture,
	error) {
	raw, err := io.ReadAll(io.LimitReader(r, MostBytes+1))
	if err != nil {
		return publishing.Picture{}, fmt.Errorf("receive a picture: %w", err)
	}
	if len(raw) > MostBytes {
		return publishing.Picture{}, ErrTooLarge
	}
	sum := sha256.Sum256(raw)
	id := hex.EncodeToString(sum[:])
	made, err := engine.Picture(share.From(ctx, ""), pdf.Source{ID: id, Size: int64(len(raw)), Bytes: bytes.NewReader(raw)}, ladder)
	switch pdf.KindOf(err) {
	case "":
	case pdf.NotPDF, pdf.Damaged:
		return publishing.Picture{}, ErrNoImage
	default:
		return publishing.Picture{}, ErrTooLarge
	}
	if err != nil {
		return publishing.Picture{}, fmt.Errorf("redraw a picture: %w", err)
	}
	p := publishing.Picture{SHA256: id, Name: name, Width: made.Width, Height: made.Height, MediaType: made.MediaType}
	for _, c := range made.Copies {
		if _, err := blobs.Write(ctx, Key(p.SHA256, c.Width), bytes.NewReader(c.Bytes)); err != nil {
			return publishing.Picture{}, err
		}
		p.Widths = append(p.Widths, c.Width)
	}
	return s.AddPicture(ctx, p)
}

// Key is where a picture lies in a width.
func Key(sha256 string, width int) string { return fmt.Sprintf("%s%s/%d", Prefix, sha256, width) }
