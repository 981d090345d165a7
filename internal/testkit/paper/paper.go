// Package paper makes long and heavy documents of no particular interest, for
// tests and measurements that need them.
package paper

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"math/rand/v2"
	"strings"

	"incipit/internal/testkit/hostile"
)

// words of a register that goes on.
var words = strings.Fields("tide marsh knot dunlin wigeon lapwing redshank curlew count hide seawall scrape sluice creek reed north south east west wind rain sun morning evening volunteer warden flock pair nest ring board path water height metre spring neap record sheet page book")

// Register is n pages of text, forty lines each: "entry" with its number on
// each, "bittern" on every hundredth page, a heading for every fiftieth.
func Register(n int) []byte {
	r := rand.New(rand.NewPCG(1931, 2027))
	const first = 4 // objects: catalog, pages, font, outline root; then page and content by turns
	kids := make([]string, n)
	objects := []string{"", "", "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>", ""}
	for i := range n {
		var b strings.Builder
		b.WriteString("BT /F 9 Tf 50 790 Td 18 TL\n")
		for line := range 40 {
			var out []string
			for range 11 {
				out = append(out, words[r.IntN(len(words))])
			}
			if line == 0 {
				out[0] = fmt.Sprintf("Entry %d", i+1)
			}
			if (i+1)%100 == 0 && line == 20 {
				out[5] = "bittern"
			}
			fmt.Fprintf(&b, "(%s) Tj T*\n", strings.Join(out, " "))
		}
		b.WriteString("ET")
		page := first + 1 + 2*i
		kids[i] = fmt.Sprintf("%d 0 R", page)
		objects = append(objects,
			fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents %d 0 R /Resources <</Font <</F 3 0 R>>>>>>", page+1),
			hostile.Stream("", b.String()))
	}
	last := len(objects)
	chapters := (n + 49) / 50
	objects[0] = "<</Type /Catalog /Pages 2 0 R /Outlines 4 0 R>>"
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", strings.Join(kids, " "), n)
	objects[3] = fmt.Sprintf("<</First %d 0 R /Last %d 0 R /Count %d>>", last+1, last+chapters, chapters)
	for c := range chapters {
		links := ""
		if c > 0 {
			links += fmt.Sprintf(" /Prev %d 0 R", last+c)
		}
		if c < chapters-1 {
			links += fmt.Sprintf(" /Next %d 0 R", last+c+2)
		}
		objects = append(objects, fmt.Sprintf("<</Title (Part %d) /Parent 4 0 R /Dest [%d 0 R /Fit]%s>>", c+1, first+1+100*c, links))
	}
	return hostile.Build(objects...)
}

// Scan is pages of pictures alone, as a scanner makes them in fine resolution:
// about so many bytes in all. pictures are what was scanned; each gets the
// grain of its own paper.
func Scan(pictures []image.Image, total int) []byte {
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", ""}
	var kids []string
	each := total / len(pictures)
	for i, p := range pictures {
		grained := grain(p, uint64(i))
		var b bytes.Buffer
		for quality := 97; quality > 40; quality -= 3 {
			b.Reset()
			if err := jpeg.Encode(&b, grained, &jpeg.Options{Quality: quality}); err != nil {
				panic(err) // a buffer does not fail
			}
			if b.Len() <= each {
				break
			}
		}
		// What is left to the size that was asked for.
		pad := strings.Repeat("\x00", max(each-b.Len(), 0))
		size := p.Bounds().Size()
		page := len(objects) + 1
		kids = append(kids, fmt.Sprintf("%d 0 R", page))
		objects = append(objects,
			fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 499 641] /Contents %d 0 R /Resources <</XObject <</I %d 0 R>>>>>>", page+1,
				page+2),
			hostile.Stream("", "q 499 0 0 641 0 0 cm /I Do Q"),
			hostile.Stream(fmt.Sprintf("/Type /XObject /Subtype /Image /Width %d /Height %d /BitsPerComponent 8 /ColorSpace /DeviceRGB /Filter /DCTDecode", size.X, size.Y), b.String()+pad))
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", strings.Join(kids, " "), len(kids))
	return hostile.Build(objects...)
}

func grain(p image.Image, seed uint64) image.Image {
	r := rand.New(rand.NewPCG(seed, 7))
	out := image.NewRGBA(p.Bounds())
	draw.Draw(out, out.Bounds(), p, p.Bounds().Min, draw.Src)
	for i := 0; i < len(out.Pix); i += 4 {
		by := r.IntN(13) - 6
		for c := range 3 {
			out.Pix[i+c] = uint8(min(max(int(out.Pix[i+c])+by, 0), 255))
		}
	}
	for i := 3; i < len(out.Pix); i += 4 {
		out.Pix[i] = 255
	}
	return out
}
