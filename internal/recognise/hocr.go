package recognise

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"incipit/internal/core/scanned"
)

// properties are what the title of an element says (hOCR 1.2, "Properties"): figures by name.
func properties(title string) map[string][]float64 {
	out := map[string][]float64{}
	for _, p := range strings.Split(title, ";") {
		f := strings.Fields(p)
		if len(f) < 2 {
			continue
		}
		for _, v := range f[1:] {
			if n, err := strconv.ParseFloat(v, 64); err == nil {
				out[f[0]] = append(out[f[0]], n)
			}
		}
	}
	return out
}

// lineClasses are the classes of elements that are a line of text.
var lineClasses = []string{"ocr_line", "ocr_header", "ocr_textfloat", "ocr_caption"}

// lines reads the lines and words of a page (hOCR 1.2); scale is how many points a pixel is.
func lines(b []byte, scale float64) ([]scanned.Line, error) {
	d := xml.NewDecoder(bytes.NewReader(b))
	d.Strict, d.Entity = false, xml.HTMLEntity
	var out []scanned.Line
	var turn string // of the paragraph: ltr or rtl
	var of map[string][]float64
	var word *strings.Builder
	var box, sure []float64
	depth, wordDepth := 0, 0
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, fmt.Errorf("read what was recognised: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			depth++
			said := map[string]string{}
			for _, a := range t.Attr {
				said[a.Name.Local] = a.Value
			}
			switch class := said["class"]; {
			case class == "ocr_par":
				turn = said["dir"]
			case slices.Contains(lineClasses, class):
				of = properties(said["title"])
				out = append(out, lineOf(of, scale, turn == "rtl"))
			case class == "ocrx_word" && len(out) > 0:
				p := properties(said["title"])
				word, box, sure, wordDepth = &strings.Builder{}, p["bbox"], p["x_wconf"], depth
			}
		case xml.CharData:
			if word != nil {
				word.Write(t)
			}
		case xml.EndElement:
			if word != nil && depth == wordDepth {
				l := &out[len(out)-1]
				if len(box) == 4 && len(sure) == 1 {
					at, length := along(*l, box, scale)
					l.Words = append(l.Words, scanned.Word{Text: strings.TrimSpace(word.String()), At: at, Length: length, Sure: sure[0]})
				}
				word = nil
			}
			depth--
		}
	}
}

// lineOf is where a line stands. Of one that runs along the page the baseline is told; of a
// turned one it lies as far within the box as descenders reach.
func lineOf(p map[string][]float64, scale float64, fromRight bool) scanned.Line {
	get := func(name string, i int) float64 {
		if v := p[name]; i < len(v) {
			return v[i]
		}
		return 0
	}
	left, top, right, bottom := get("bbox", 0), get("bbox", 1), get("bbox", 2), get("bbox", 3)
	size, below := get("x_size", 0), get("x_descenders", 0)
	l := scanned.Line{Size: size * scale, FromRight: fromRight}
	switch turned := math.Mod(get("textangle", 0)+360, 360); { // counter-clockwise
	case turned == 90:
		l.X, l.Y, l.Angle = right-below, bottom, 270
	case turned == 180:
		l.X, l.Y, l.Angle = right, top+below, 180
	case turned == 270:
		l.X, l.Y, l.Angle = left+below, top, 90
	default:
		slope, off := get("baseline", 0), get("baseline", 1)
		l.X, l.Y, l.Angle = left, bottom+off, math.Atan(slope)*180/math.Pi
	}
	if size == 0 {
		l.Size = math.Min(right-left, bottom-top) * scale
	}
	l.X, l.Y = l.X*scale, l.Y*scale
	return l
}

// along is where a word's box stands along a line.
func along(l scanned.Line, box []float64, scale float64) (at, length float64) {
	left, top, right, bottom := box[0]*scale, box[1]*scale, box[2]*scale, box[3]*scale
	switch l.Angle {
	case 270:
		return l.Y - bottom, bottom - top
	case 180:
		return l.X - right, right - left
	case 90:
		return top - l.Y, bottom - top
	}
	// A line's slope is slight: what its box grows by in height is left aside.
	c := math.Cos(l.Angle * math.Pi / 180)
	return (left - l.X) / c, (right - left) / c
}
