// Package contrast measures how well one colour stands on another.
//
// The ratio is that of WCAG 2.2 (success criterion 1.4.3, "relative luminance"
// and "contrast ratio"): 1 for equal colours, 21 for black on white. Text needs
// 4.5, parts of controls 3 (1.4.11). Colours are written #rrggbb.
package contrast

import (
	"fmt"
	"math"
	"strconv"
)

// What WCAG 2.2 asks for, level AA.
const (
	Text    = 4.5
	Control = 3.0
)

// Valid says whether a colour is written #rrggbb.
func Valid(colour string) bool {
	if len(colour) != 7 || colour[0] != '#' {
		return false
	}
	_, err := strconv.ParseUint(colour[1:], 16, 32)
	return err == nil
}

// Ratio is the contrast ratio of two valid colours, from 1 to 21.
func Ratio(a, b string) float64 {
	la, lb := luminance(a), luminance(b)
	return (math.Max(la, lb) + 0.05) / (math.Min(la, lb) + 0.05)
}

func channels(colour string) [3]float64 {
	v, _ := strconv.ParseUint(colour[1:], 16, 32)
	return [3]float64{float64(v >> 16 & 255), float64(v >> 8 & 255), float64(v & 255)}
}

// luminance is the relative luminance, from 0 to 1.
func luminance(colour string) float64 {
	var l float64
	for i, c := range channels(colour) {
		c /= 255
		if c <= 0.04045 {
			c /= 12.92
		} else {
			c = math.Pow((c+0.055)/1.055, 2.4)
		}
		l += c * [3]float64{0.2126, 0.7152, 0.0722}[i]
	}
	return l
}

// Mix gives the colour a part of the way from a to b, channel by channel.
func Mix(a, b string, part float64) string {
	ca, cb := channels(a), channels(b)
	var out [3]int
	for i := range out {
		out[i] = int(math.Round(ca[i] + (cb[i]-ca[i])*part))
	}
	return fmt.Sprintf("#%02x%02x%02x", out[0], out[1], out[2])
}

// Reach gives the colour nearest to colour, on its way to black or to white,
// that is good enough. ok is false where there is none.
func Reach(colour string, enough func(string) bool) (found string, ok bool) {
	const steps = 64
	for i := range steps + 1 {
		for _, end := range []string{"#000000", "#ffffff"} {
			if c := Mix(colour, end, float64(i)/steps); enough(c) {
				return c, true
			}
		}
	}
	return colour, false
}
