package fine

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"incipit/internal/testkit/vary"
)

// The paper of these tests is A7, and drawn at 200 dots an inch.
var (
	wide, high = 210.0, 298.0 // points
	master     = 200.0
)

var typeface = func() *opentype.Font {
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		panic(err)
	}
	return f
}()

// word is a word of a paper, at its base line in points.
type word struct {
	text string
	x, y float64
	size float64
	at   image.Rectangle // px of the master
}

// paperOf is a page of made-up lines with figures.
func paperOf(r *rand.Rand, size float64) (words []word) {
	for y := 40.0; y < high-30; y += size * 1.3 {
		if r.IntN(7) == 0 {
			continue // between paragraphs
		}
		for x := 28.0; x < wide-60; {
			text := ""
			if r.IntN(3) == 0 {
				text = fmt.Sprint(10 + r.IntN(9000))
			} else {
				for range 2 + r.IntN(8) {
					text += string(rune('a' + r.IntN(26)))
				}
			}
			words = append(words, word{text: text, x: x, y: y, size: size})
			x += size*0.56*float64(len(text)) + size*0.4
		}
	}
	return words
}

func drawn(words []word, ground color.Color) *image.RGBA {
	scale := master / 72
	m := image.NewRGBA(image.Rect(0, 0, int(wide*scale), int(high*scale)))
	draw.Draw(m, m.Bounds(), image.NewUniform(ground), image.Point{}, draw.Src)
	faces := map[float64]font.Face{}
	for i := range words {
		w := &words[i]
		if faces[w.size] == nil {
			f, err := opentype.NewFace(typeface, &opentype.FaceOptions{Size: w.size, DPI: master})
			if err != nil {
				panic(err)
			}
			faces[w.size] = f
		}
		d := font.Drawer{Dst: m, Src: image.NewUniform(color.Gray{20}), Face: faces[w.size], Dot: fixed.P(int(w.x*scale), int(w.y*scale))}
		b, _ := d.BoundString(w.text)
		w.at = image.Rect(b.Min.X.Floor(), b.Min.Y.Floor(), b.Max.X.Ceil(), b.Max.Y.Ceil())
		d.DrawString(w.text)
	}
	return m
}

// scan is how a paper is laid down and read.
type scan struct {
	dpi            float64
	turn           float64 // degrees
	right, down    float64 // points
	scale          float64
	gain, lift     float64
	gamma          float64
	noise, blurred float64 // levels; points
}

var straight = scan{dpi: 110, scale: 1, gain: 1, gamma: 1}

// some is a scan as it comes out of a machine.
func some(r *rand.Rand) scan {
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	return scan{
		dpi: []float64{110, 150, 200}[r.IntN(3)], turn: between(-2, 2), right: between(-8, 8), down: between(-8, 8), scale: between(0.995, 1.005),
		gain: between(0.88, 1), lift: between(0, 12), gamma: between(0.85, 1.15), noise: between(0.5, 4), blurred: between(0.1, 0.35),
	}
}

// of gives what a scan makes of a paper, at the resolution pages are compared at.
func (s scan) of(r *rand.Rand, m *image.RGBA) *image.RGBA {
	scale := s.dpi / master
	w, h := int(wide*s.dpi/72), int(high*s.dpi/72)
	sin, cos := math.Sincos(s.turn * math.Pi / 180)
	cx, cy := float64(w)/2, float64(h)/2
	to := warp{cos * s.scale, -sin * s.scale, 0, sin * s.scale, cos * s.scale, 0}
	x, y := to.of(cx, cy)
	to[2], to[5] = cx-x+s.right*s.dpi/72, cy-y+s.down*s.dpi/72
	to = warp{1 / scale, 0, 0, 0, 1 / scale, 0}.after(to)
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	channels := 3
	if m.RGBAAt(0, 0) == paperWhite && !tinted(m) {
		channels = 1 // what is grey is read once
	}
	for c := range channels {
		p := newPlane(m.Rect.Dx(), m.Rect.Dy())
		for i := range p.p {
			p.p[i] = float32(m.Pix[4*i+c])
		}
		if sigma := s.blurred * master / 72; sigma > 0 || scale < 1 {
			p = p.blurred(math.Hypot(sigma, 0.45/scale))
		}
		seen, there := p.warped(to, w, h)
		for i, v := range seen.p {
			if !there[i] {
				v = 245 // the lid
			}
			f := 255 * math.Pow(min(max(float64(v), 0), 255)/255, s.gamma)
			f = f*s.gain + s.lift + r.NormFloat64()*s.noise
			out.Pix[4*i+c] = uint8(min(max(f+0.5, 0), 255))
			out.Pix[4*i+3] = 255
		}
	}
	for i := 0; channels == 1 && i < len(out.Pix); i += 4 {
		out.Pix[i+1], out.Pix[i+2] = out.Pix[i], out.Pix[i]
	}
	if s.dpi == DPI {
		return out
	}
	return sized(out, int(wide*DPI/72), int(high*DPI/72))
}

func tinted(m *image.RGBA) bool {
	for i := 0; i < len(m.Pix); i += 4 {
		if m.Pix[i] != m.Pix[i+2] {
			return true
		}
	}
	return false
}

// sized draws an image at another size, by the means of what its pixels cover.
func sized(m *image.RGBA, w, h int) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	fx, fy := float64(m.Rect.Dx())/float64(w), float64(m.Rect.Dy())/float64(h)
	for y := range h {
		for x := range w {
			var sum [4]float64
			var all float64
			for py := int(float64(y) * fy); float64(py) < float64(y+1)*fy && py < m.Rect.Dy(); py++ {
				high := min(float64(py+1), float64(y+1)*fy) - max(float64(py), float64(y)*fy)
				for px := int(float64(x) * fx); float64(px) < float64(x+1)*fx && px < m.Rect.Dx(); px++ {
					part := high * (min(float64(px+1), float64(x+1)*fx) - max(float64(px), float64(x)*fx))
					all += part
					for c := range 4 {
						sum[c] += part * float64(m.Pix[py*m.Stride+4*px+c])
					}
				}
			}
			for c := range 4 {
				out.Pix[y*out.Stride+4*x+c] = uint8(sum[c]/all + 0.5)
			}
		}
	}
	return out
}

// edit changes a paper in one way, and gives where, in points; an empty place is all of it.
type edit func(r *rand.Rand, words []word, m *image.RGBA) (changed *image.RGBA, x, y, w, h float64)

func placed(w word) (x, y, wide, high float64) {
	scale := master / 72
	return float64(w.at.Min.X) / scale, float64(w.at.Min.Y) / scale, float64(w.at.Dx()) / scale, float64(w.at.Dy()) / scale
}

// inside picks a word that every scan of these tests shows.
func inside(r *rand.Rand, words []word, is func(word) bool) int {
	for {
		i := r.IntN(len(words))
		if w := words[i]; w.x > 36 && w.x < wide-80 && w.y > 50 && w.y < high-50 && is(w) {
			return i
		}
	}
}

var paperWhite = color.RGBA{251, 251, 251, 255}

var edits = map[string]edit{
	"a digit": func(r *rand.Rand, words []word, _ *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		i := inside(r, words, func(w word) bool { return w.text[0] <= '9' })
		changed := append([]word(nil), words...)
		b := []byte(changed[i].text)
		k := r.IntN(len(b))
		// Digits of which one is drawn nearly as another one is the hardest thing there is.
		unlike := map[byte]string{'0': "1247", '1': "0235689", '2': "0145679", '3': "124567", '4': "012356789", '5': "01247", '6': "12347", '7': "023456789", '8': "12457", '9': "12457"}
		b[k] = unlike[b[k]][r.IntN(len(unlike[b[k]]))]
		changed[i].text = string(b)
		m := drawn(changed, paperWhite)
		x, y, w, h := placed(words[i])
		return m, x, y, w, h
	},
	"a dot": func(r *rand.Rand, words []word, m *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		scale := master / 72
		i := inside(r, words, func(w word) bool { return true })
		x, y := words[i].x, words[i].y+words[i].size*0.32
		out := copied(m)
		for dy := -0.75 * scale; dy <= 0.75*scale; dy++ {
			for dx := -0.75 * scale; dx <= 0.75*scale; dx++ {
				if math.Hypot(dx, dy) <= 0.75*scale {
					out.Set(int(x*scale+dx), int(y*scale+dy), color.Gray{20})
				}
			}
		}
		return out, x - 0.75, y - 0.75, 1.5, 1.5
	},
	"a ground": func(r *rand.Rand, words []word, m *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		return drawn(words, color.RGBA{252, 248, 232, 255}), 0, 0, 0, 0
	},
	"a pale mark": func(r *rand.Rand, words []word, m *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		i := inside(r, words, func(w word) bool { return len(w.text) > 4 })
		out := copied(m)
		for y := words[i].at.Min.Y; y < words[i].at.Max.Y; y++ {
			for x := words[i].at.Min.X; x < words[i].at.Max.X; x++ {
				c := out.RGBAAt(x, y)
				out.SetRGBA(x, y, color.RGBA{c.R, c.G, uint8(float64(c.B) * 0.7), 255})
			}
		}
		x, y, w, h := placed(words[i])
		return out, x, y, w, h
	},
	"a word less": func(r *rand.Rand, words []word, _ *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		i := inside(r, words, func(w word) bool { return true })
		x, y, w, h := placed(words[i])
		rest := append(append([]word(nil), words[:i]...), words[i+1:]...)
		return drawn(rest, paperWhite), x, y, w, h
	},
	"nothing": func(_ *rand.Rand, _ []word, m *image.RGBA) (*image.RGBA, float64, float64, float64, float64) {
		return m, 0, 0, 0, 0
	},
}

func copied(m *image.RGBA) *image.RGBA {
	out := *m
	out.Pix = append([]uint8(nil), m.Pix...)
	return &out
}

// Sixty papers are scanned twice, by other machines and laid down otherwise; between the
// two, one thing is changed, or none. Each change is found at its place and nowhere else,
// and what was not changed is said to be the same, made anew.
func TestPapersScannedTwice(t *testing.T) {
	r := vary.Rand(26)
	names := []string{"a digit", "a dot", "a ground", "a pale mark", "a word less", "nothing"}
	for n := range 60 {
		name := names[n%len(names)]
		size := []float64{8, 9, 10, 12}[r.IntN(4)]
		words := paperOf(r, size)
		m := drawn(words, paperWhite)
		changed, x, y, w, h := edits[name](r, words, m)
		one, two := some(r), some(r)
		two.right, two.down = one.right+(two.right-one.right)/2, one.down+(two.down-one.down)/2
		got := Pages(one.of(r, m), two.of(r, changed), DPI)
		said := fmt.Sprintf("%d: %s, %g pt, %+v, %+v: %+v", n, name, size, one, two, got)
		if name == "nothing" {
			assert.Contains(t, []Verdict{Anew, Unsure}, got.Verdict, said)
			continue
		}
		if !assert.Equal(t, Changed, got.Verdict, said) {
			continue
		}
		if name == "a ground" {
			continue
		}
		for _, a := range got.Areas {
			// Where the second scan shows the middle of what was changed.
			cx, cy := two.shows(x+w/2, y+h/2)
			ax, ay := a.X*wide+a.W*wide/2, a.Y*high+a.H*high/2
			if math.Abs(ax-cx) > w/2+9 || math.Abs(ay-cy) > h/2+9 {
				t.Errorf("%s: not about %g, %g", said, cx, cy)
				break
			}
		}
	}
}

// shows gives where a scan shows a place of the paper, in points.
func (s scan) shows(x, y float64) (float64, float64) {
	sin, cos := math.Sincos(s.turn * math.Pi / 180)
	dx, dy := x-wide/2-s.right, y-high/2-s.down
	return wide/2 + (cos*dx+sin*dy)/s.scale, high/2 + (-sin*dx+cos*dy)/s.scale
}

// A page that is drawn alike is the same; what is drawn otherwise in it is found however
// pale it is, and where it is.
func TestPagesDrawnAlike(t *testing.T) {
	r := vary.Rand(27)
	m := straight.of(r, drawn(paperOf(r, 10), color.White))
	assert.Equal(t, Result{Verdict: Same, Exact: true}, Pages(m, m, DPI))
	for range 40 {
		changed := copied(m)
		x, y := r.IntN(m.Rect.Dx()-40), r.IntN(m.Rect.Dy()-40)
		pale := uint8(plainLevels + r.IntN(20))
		for py := y; py < y+30; py++ {
			for px := x; px < x+30; px++ {
				c := changed.RGBAAt(px, py)
				if c.R < 128 {
					pale = -pale
				}
				changed.SetRGBA(px, py, color.RGBA{c.R, c.G - pale, c.B, 255})
				if c.R < 128 {
					pale = -pale
				}
			}
		}
		got := Pages(m, changed, DPI)
		require.Equal(t, Changed, got.Verdict)
		var all image.Rectangle
		for _, a := range got.Areas {
			all = all.Union(image.Rect(int(a.X*float64(m.Rect.Dx())), int(a.Y*float64(m.Rect.Dy())), int((a.X+a.W)*float64(m.Rect.Dx())+0.5), int((a.Y+a.H)*float64(m.Rect.Dy())+0.5)))
		}
		around := image.Rect(x, y, x+30, y+30)
		assert.True(t, around.In(all) && all.In(around.Inset(-4)), "%v in %v", around, all)
	}
	for _, c := range []struct {
		levels int
		want   Verdict
	}{{sameLevels, Same}, {sameLevels + 1, Same}, {plainLevels - 1, Same}, {plainLevels, Changed}} {
		changed := copied(m)
		for i := 0; i < 400; i++ {
			changed.Pix[4*i] = uint8(int(changed.Pix[4*i]) - c.levels)
		}
		assert.Equal(t, c.want, Pages(m, changed, DPI).Verdict, "%d levels", c.levels)
	}
}

func TestWarps(t *testing.T) {
	r := vary.Rand(28)
	for range 100 {
		w := warp{1 + r.Float64()/10, r.Float64() / 10, 5 * r.Float64(), r.Float64() / 10, 1 - r.Float64()/10, 3 * r.Float64()}
		d := warp{1 + r.Float64()/10, r.Float64() / 10, 5 * r.Float64(), r.Float64() / 10, 1 - r.Float64()/10, 3 * r.Float64()}
		x, y := 100*r.Float64(), 100*r.Float64()
		mx, my := d.of(x, y)
		wantX, wantY := w.of(mx, my)
		gotX, gotY := w.after(d).of(x, y)
		assert.InDelta(t, wantX, gotX, 1e-6)
		assert.InDelta(t, wantY, gotY, 1e-6)
		// At twice the size, pixel centres lie between.
		sx, sy := w.of(x, y)
		bx, by := w.at(2).of(2*x+0.5, 2*y+0.5)
		assert.InDelta(t, 2*sx+0.5, bx, 1e-6)
		assert.InDelta(t, 2*sy+0.5, by, 1e-6)
	}
}

// Whatever differs is in one group, and what hangs together is in no two.
func TestGroups(t *testing.T) {
	r := vary.Rand(29)
	for range 200 {
		const w, h = 30, 20
		differs := make([]bool, w*h)
		set := 0
		for range r.IntN(30) {
			differs[r.IntN(len(differs))] = true
		}
		for _, d := range differs {
			if d {
				set++
			}
		}
		across, down := r.IntN(4), r.IntN(3)
		gs := groups(append([]bool(nil), differs...), w, h, across, down)
		in := map[int]int{}
		for n, g := range gs {
			for _, i := range g.at {
				in[i] = n
				assert.True(t, image.Pt(i%w, i/w).In(g.box))
			}
		}
		assert.Len(t, in, set)
		for i, n := range in {
			for j, o := range in {
				dx, dy := i%w-j%w, i/w-j/w
				if max(dx, -dx) <= across && max(dy, -dy) <= down {
					assert.Equal(t, n, o, "%d and %d", i, j)
				}
			}
		}
	}
}

func BenchmarkPages(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	m := drawn(paperOf(r, 9), paperWhite)
	one, two := some(r).of(r, m), some(r).of(r, m)
	b.ReportMetric(float64(one.Rect.Dx()*one.Rect.Dy())/1e6, "Mpx")
	for b.Loop() {
		Pages(one, two, DPI)
	}
}

// Paper that is read with other noise has no other colour, a photograph has no paper, and a
// tint of a few levels is another ground.
func TestGrounds(t *testing.T) {
	r := vary.Rand(30)
	sheet := func(base [3]float64, noise float64) page {
		m := image.NewRGBA(image.Rect(0, 0, 120, 160))
		for i := range m.Pix {
			v := 255.0
			if i%4 < 3 {
				v = base[i%4] + r.NormFloat64()*noise
			}
			m.Pix[i] = uint8(min(max(v+0.5, 0), 255))
		}
		return read(m)
	}
	grey := [3]float64{240, 240, 240}
	for range 30 {
		assert.False(t, grounds(sheet(grey, 1+4*r.Float64()), sheet([3]float64{231, 231, 231}, 1+4*r.Float64())))
		assert.True(t, grounds(sheet(grey, 2), sheet([3]float64{240, 239, 240 - groundLevels - 1}, 2)))
	}
	assert.False(t, grounds(sheet(grey, 1), sheet([3]float64{240, 240, 240 - groundLevels + 1}, 1)))
	assert.False(t, grounds(sheet([3]float64{120, 90, 60}, 80), sheet([3]float64{60, 90, 120}, 80)), "no paper is seen")
}
