// Package sheet is the geometry of one page of an edition.
//
// A sheet is what a PDF page looks like once its boxes and its rotation are
// applied: the CropBox clipped to the MediaBox (ISO 32000-2, 14.11.2), turned
// clockwise by /Rotate. Sheet space has its origin in the top left corner, x
// to the right and y down, in points (1/72 inch). PDF user space, where boxes
// and text come from, has y up; Crop carries a point from one to the other.
package sheet

import "math"

// Sheet is one page as geometry. Width and Height are points, after rotation.
// Rotation is the page's own /Rotate in degrees clockwise: 0, 90, 180 or 270.
// Label is the page label (ISO 32000-2, 12.4.2), or the page number in decimal
// where the document has no labels.
type Sheet struct {
	Width    float64 `json:"width"`
	Height   float64 `json:"height"`
	Rotation int     `json:"rotation"`
	Label    string  `json:"label"`
}

// MinSide is the smallest side, in points, that a sheet is given: a page whose
// box is empty still needs a place that can be seen and counted.
const MinSide = 1.0

// New makes a sheet of a page's visible box and rotation.
func New(box Crop, rotation int, label string) Sheet {
	rotation = Turn(rotation)
	w, h := math.Max(box.Right-box.Left, MinSide), math.Max(box.Top-box.Bottom, MinSide)
	if rotation == 90 || rotation == 270 {
		w, h = h, w
	}
	return Sheet{Width: thousandth(w), Height: thousandth(h), Rotation: rotation, Label: label}.Times(box.Points())
}

// Times gives the sheet so many times as large.
func (s Sheet) Times(unit float64) Sheet {
	s.Width, s.Height = thousandth(s.Width*unit), thousandth(s.Height*unit)
	return s
}

// Wide says whether the sheet is wider than tall, as its reader sees it: a square
// one stands upright.
func (s Sheet) Wide() bool { return s.Width > s.Height }

// thousandth rounds points to a third of a micrometre: engines compute in 32
// bits, and 841.89 is what 841.8900146484375 was meant to be.
func thousandth(v float64) float64 { return math.Round(v*1000) / 1000 }

// Turn brings any multiple of a quarter turn into 0, 90, 180 or 270.
func Turn(rotation int) int {
	return ((rotation/90)%4 + 4) % 4 * 90
}

// Crop is the visible box of a page in PDF user space. Its units are points, or
// Unit points each where a page says so (UserUnit, ISO 32000-2, table 31); 0
// is 1.
type Crop struct{ Left, Bottom, Right, Top, Unit float64 }

// Points is how many points a unit of user space is.
func (c Crop) Points() float64 {
	if c.Unit <= 0 {
		return 1
	}
	return c.Unit
}

// ToSheet carries a point from PDF user space into the space of the sheet that
// is turned clockwise by rotation degrees.
func (c Crop) ToSheet(rotation int, x, y float64) (float64, float64) {
	w, h := (c.Right-c.Left)*c.Points(), (c.Top-c.Bottom)*c.Points()
	u, v := (x-c.Left)*c.Points(), (c.Top-y)*c.Points()
	switch Turn(rotation) {
	case 90:
		return h - v, u
	case 180:
		return w - u, h - v
	case 270:
		return v, w - u
	}
	return u, v
}

// FromSheet is the way back of ToSheet.
func (c Crop) FromSheet(rotation int, x, y float64) (float64, float64) {
	w, h := (c.Right-c.Left)*c.Points(), (c.Top-c.Bottom)*c.Points()
	switch Turn(rotation) {
	case 90:
		x, y = y, h-x
	case 180:
		x, y = w-x, h-y
	case 270:
		x, y = w-y, x
	}
	return c.Left + x/c.Points(), c.Top - y/c.Points()
}

// Rect is a box in sheet space: the top left corner and the size, in points.
type Rect struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
	W float64 `json:"w"`
	H float64 `json:"h"`
}

// RectToSheet carries a box given by two opposite corners in PDF user space.
func (c Crop) RectToSheet(rotation int, x1, y1, x2, y2 float64) Rect {
	ax, ay := c.ToSheet(rotation, x1, y1)
	bx, by := c.ToSheet(rotation, x2, y2)
	return Rect{X: math.Min(ax, bx), Y: math.Min(ay, by), W: math.Abs(ax - bx), H: math.Abs(ay - by)}
}
