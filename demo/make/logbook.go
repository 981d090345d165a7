package main

import (
	"bytes"
	_ "embed"
	"fmt"
	"html"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"strings"
)

//go:embed logbook.txt
var logbookText string

// logbook is twelve pages of handwriting as a scanner gives them: pictures
// alone, a little crooked, on paper that has aged.
func logbook(b *browser) ([]byte, error) {
	var body strings.Builder
	for i, entry := range strings.Split(strings.TrimSpace(logbookText), "\n\n") {
		scan, err := scanned(b, i, entry)
		if err != nil {
			return nil, err
		}
		fmt.Fprintf(&body, `<div class="page"><img src="%s" alt=""></div>`, dataURL("image/jpeg", scan))
	}
	return b.document("Warden's logbook, spring 1953", "en", `@page{size:176mm 226mm;margin:0}.page{width:176mm;height:225.9mm}img{display:block;width:100%;height:100%}`, body.String())
}

func scanned(b *browser, number int, entry string) ([]byte, error) {
	day, rest, _ := strings.Cut(entry, "\n")
	lines := `<p class="d">` + html.EscapeString(day) + "</p><p>" + html.EscapeString(strings.ReplaceAll(rest, "\n", " ")) + "</p>"
	css := `html{background:#fff}.paper{position:absolute;inset:0;padding:64px 56px 40px 96px;transform:rotate(` +
		fmt.Sprintf("%.2f", math.Sin(float64(number)*2.1)*.8) + `deg);background:repeating-linear-gradient(transparent 0 37px,#b9cbd8 37px 38px) 0 14px}.paper:before{content:"";position:absolute;left:76px;top:-40px;bottom:-40px;border-left:1.5px solid #d99a94}p{font:19px/38px Hand;color:#2a3560;margin:0 0 38px}.d{text-decoration:underline;margin-bottom:0}.n{position:absolute;top:26px;right:44px;font:18px Hand;color:#6b6b6b}`
	shot, err := b.picture(css, `<div class="paper"><span class="n">`+fmt.Sprint(31+number)+`</span>`+lines+`</div>`, 704, 904, 2.4)
	if err != nil {
		return nil, err
	}
	img, err := png.Decode(bytes.NewReader(shot))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, aged(img, uint64(number)), &jpeg.Options{Quality: 72}); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// aged gives a picture the colour and the grain of old paper, darker towards
// the spine and the corners.
func aged(img image.Image, seed uint64) image.Image {
	r := rand.New(rand.NewPCG(seed, 1953))
	bounds := img.Bounds()
	out := image.NewRGBA(bounds)
	w, h := float64(bounds.Dx()), float64(bounds.Dy())
	sx, sy, sr := r.Float64()*w, r.Float64()*h, 40+r.Float64()*90
	for y := bounds.Min.Y; y < bounds.Max.Y; y++ {
		for x := bounds.Min.X; x < bounds.Max.X; x++ {
			cr, cg, cb, _ := img.At(x, y).RGBA()
			fx, fy := float64(x)/w, float64(y)/h
			shade := 1 - .16*math.Exp(-fx*22) - .07*math.Pow(math.Hypot(fx-.5, fy-.5)*1.4, 3)
			if d := math.Abs(math.Hypot(float64(x)-sx, float64(y)-sy) - sr); d < 7 {
				shade -= .04 * (1 - d/7)
			}
			grain := (r.Float64() - .5) * 9
			tone := func(v uint32, paper float64) uint8 {
				return uint8(math.Max(0, math.Min(255, float64(v>>8)/255*paper*shade+grain)))
			}
			out.SetRGBA(x, y, color.RGBA{tone(cr, 240), tone(cg, 229), tone(cb, 204), 255})
		}
	}
	return out
}
