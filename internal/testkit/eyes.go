package testkit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // what pages are pictured as
	_ "image/png"
	"sync/atomic"

	"incipit/internal/core/scanned"
)

// Eyes read the same words in every picture of a page: a program that recognises text, for
// tests that are not about how well it does.
type Eyes struct {
	Sure func(n int64) float64 // how sure it is of the n-th picture, in per cent
	Wait chan struct{}         // if set, one picture is read for each thing that comes
	Read atomic.Int64          // pictures
	Trip atomic.Int64          // it fails once, at the n-th picture from now on
}

// Languages are those it knows.
func (*Eyes) Languages(context.Context) ([]string, error) {
	return []string{"deu", "eng", "osd"}, nil
}

// Page reads a picture.
func (e *Eyes) Page(ctx context.Context, picture []byte, _ float64, _ []string) ([]scanned.Line, error) {
	if e.Trip.Add(-1) == 0 {
		return nil, errors.New("the power is off")
	}
	if e.Wait != nil {
		select {
		case <-e.Wait:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	if _, _, err := image.DecodeConfig(bytes.NewReader(picture)); err != nil {
		return nil, fmt.Errorf("look at a picture: %w", err)
	}
	sure := 95.0
	if n := e.Read.Add(1); e.Sure != nil {
		sure = e.Sure(n)
	}
	return []scanned.Line{{X: 40, Y: 60, Size: 12, Words: []scanned.Word{
		{Text: "Zwergstrandläufer", At: 0, Length: 110, Sure: sure}, {Text: "rasten", At: 116, Length: 40, Sure: sure}}}}, nil
}
