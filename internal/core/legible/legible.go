// Package legible says what an eye can read of a document at a scale.
//
// What counts for reading is the height of lower-case letters without
// ascender, the x-height, as the angle it takes in the field of view. CSS
// defines its px as 0.0213° (CSS Values 4, 6.2, the reference pixel), which
// makes angles of lengths without knowing the device. The bands are those of
// Legge & Bigelow, "Does print size matter for reading?" (Journal of Vision
// 11(5):8, 2011): fluent reading from 0.20° on, down to the smallest print in
// use at 0.13°; at 0.10° most eyes are strained, below it words are lost.
package legible

// DegreesPerPixel is the visual angle of one CSS px.
const DegreesPerPixel = 0.0213

// Band is how well text of a size can be read.
type Band string

// The bands, from best to worst.
const (
	Comfortable Band = "comfortable"
	Readable    Band = "readable"
	Strained    Band = "strained"
	TooSmall    Band = "too small"
)

// Where the bands begin, in degrees of x-height.
const (
	FromComfortable = 0.20
	FromReadable    = 0.13
	FromStrained    = 0.10
)

// Angle is the visual angle, in degrees, of an x-height in points at a scale
// in CSS px per point.
func Angle(xHeight, scale float64) float64 { return xHeight * scale * DegreesPerPixel }

// ScaleFor is the scale at which an x-height in points takes an angle.
func ScaleFor(xHeight, angle float64) float64 { return angle / (xHeight * DegreesPerPixel) }

// BandOf names the band of an angle.
func BandOf(angle float64) Band {
	switch {
	case angle >= FromComfortable:
		return Comfortable
	case angle >= FromReadable:
		return Readable
	case angle >= FromStrained:
		return Strained
	}
	return TooSmall
}
