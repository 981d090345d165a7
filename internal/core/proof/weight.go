package proof

import (
	"math"
	"slices"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
)

// Connection is a way to the reader, with what is assumed of it.
type Connection struct {
	Name       string  `json:"name"`
	BitsPerSec float64 `json:"bits_per_second"`
	RoundTrip  float64 `json:"round_trip"` // seconds
}

// Connections are the three that weights are told for. The figures are round
// ones: a phone at the edge of coverage, a phone with a good signal, and a
// household line.
func Connections() []Connection {
	return []Connection{
		{"weak mobile signal", 1.5e6, 0.3}, {"good mobile signal", 10e6, 0.1}, {"household line", 50e6, 0.02},
	}
}

// roundTrips is how often the way is gone before the first page's image is
// through: name, connection, encryption, HTML, then style, script and image
// together.
const roundTrips = 5

// Seconds is the time until some bytes are there.
func (c Connection) Seconds(bytes int64) float64 {
	return roundTrips*c.RoundTrip + float64(bytes)*8/c.BitsPerSec
}

// Weight is what comes over the line before page 1 can be read. Known is false
// while the image has not been weighed.
type Weight struct {
	Known   bool      `json:"known"`
	Bytes   int64     `json:"bytes"`
	Image   int64     `json:"image"`   // bytes of page 1's image
	Width   int       `json:"width"`   // its width, device pixels
	File    int64     `json:"file"`    // bytes of the whole file
	Seconds []float64 `json:"seconds"` // one for each of Connections
}

// weigh picks the image a browser picks: the narrowest that has a pixel for
// each of the screen's, or else the widest (HTML, srcset with w descriptors).
func weigh(f Facts, s setting.Settings, b frame.Box, screen Screen) Weight {
	w := Weight{File: f.FileBytes, Seconds: []float64{}}
	widths := make([]int, 0, len(f.Images))
	for width := range f.Images {
		widths = append(widths, width)
	}
	if len(widths) == 0 {
		return w
	}
	slices.Sort(widths)
	need := math.Ceil(f.Pages.Sheets[0].Width*f.Pages.Factor(s, 0)*b.Scale) * screen.Density
	w.Width = widths[len(widths)-1]
	for _, width := range widths {
		if float64(width) >= need {
			w.Width = width
			break
		}
	}
	w.Known, w.Image = true, f.Images[w.Width]
	w.Bytes = w.Image + f.Shell
	for _, c := range Connections() {
		w.Seconds = append(w.Seconds, c.Seconds(w.Bytes))
	}
	return w
}
