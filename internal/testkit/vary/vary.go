// Package vary makes documents and settings at random, from a seed, for tests
// that hold for all of them.
package vary

import (
	"math"
	"math/rand/v2"
	"slices"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
)

// Rand makes a source that gives the same numbers for the same seed.
func Rand(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 2027)) }

// One picks one of several.
func One[T any](r *rand.Rand, of ...T) T { return of[r.IntN(len(of))] }

// between gives a number from low to high, whole or with a fraction.
func between(r *rand.Rand, low, high float64) float64 {
	v := low + r.Float64()*(high-low)
	return One(r, math.Round(v), math.Round(v*4)/4)
}

// sometimes gives v in one of n cases, else 0.
func sometimes(r *rand.Rand, n int, v float64) float64 {
	if r.IntN(n) == 0 {
		return v
	}
	return 0
}

// Settings makes settings that can stand, for a document of some pages.
func Settings(r *rand.Rand) setting.Settings {
	s := setting.Default()
	s.Width = One(r, setting.Length{Value: 100, Unit: setting.Percent}, setting.Length{Value: between(r, 30, 100), Unit: setting.Percent},
		setting.Length{Value: between(r, 200, 1200), Unit: setting.Pixels})
	s.LeastWidth = sometimes(r, 6, between(r, 150, 350))
	s.MaxWidth = sometimes(r, 4, between(r, 360, 1100))
	s.Height = One(r, setting.Length{Unit: setting.OnePage}, setting.Length{Value: math.Round(between(r, 1, 4)), Unit: setting.Rows},
		setting.Length{Value: between(r, 150, 900), Unit: setting.Pixels}, setting.Length{Value: between(r, 25, 110), Unit: setting.VH})
	s.LeastHeight = sometimes(r, 6, between(r, 100, 300))
	s.MostHeight = sometimes(r, 5, between(r, 320, 900))
	s.Align = One(r, setting.Left, setting.Centre, setting.Right)
	s.Zoom = One(r, setting.Opening{Kind: setting.FitWidth, Percent: 100}, setting.Opening{Kind: setting.FitPage, Percent: 100},
		setting.Opening{Kind: setting.TrueSize, Percent: 100}, setting.Opening{Kind: setting.ByNumber, Percent: between(r, 10, 220)})
	s.LeastZoom = sometimes(r, 5, between(r, 20, 150))
	if most := sometimes(r, 6, between(r, 40, 300)); most >= s.LeastZoom {
		s.MostZoom = most
	}
	if least := sometimes(r, 4, between(r, 30, 200)); s.MostZoom == 0 || least <= s.MostZoom {
		s.NarrowZoom = least
	}
	s.RowScale = One(r, setting.SameScale, setting.SameScale, setting.EachRow)
	s.Flow = One(r, setting.Down, setting.Across, setting.Turn, setting.Tiles)
	s.Facing = One(r, setting.Single, setting.Pairs, setting.Cover)
	s.Order = One(r, setting.FromLeft, setting.FromRight)
	s.Navigation, s.Toolbar = r.IntN(4) > 0, r.IntN(5) > 0
	s.BarPlace, s.BarShown = One(r, setting.Top, setting.Bottom), One(r, setting.Always, setting.Always, setting.Approach)
	tools := toolbar.All()
	r.Shuffle(len(tools), func(i, j int) { tools[i], tools[j] = tools[j], tools[i] })
	s.Tools = toolbar.Set(tools[:r.IntN(len(tools)+1)])
	s.NarrowOut = slices.Clone(s.Tools[:r.IntN(len(s.Tools)+1)/2])
	s.Download, s.Print = r.IntN(3) > 0, r.IntN(3) > 0
	s.Copying, s.TextView = r.IntN(3) > 0, One(r, setting.Closed, setting.ByTool, setting.Offered)
	s.Dim = r.IntN(6) == 0
	s.Pointer, s.Name, s.ForeEdge = One(r, setting.Select, setting.Drag), r.IntN(4) > 0, r.IntN(4) > 0
	s.Padding, s.Border, s.Corner = sometimes(r, 2, between(r, 0, 40)), math.Round(between(r, 0, 6)), math.Round(between(r, 0, 20))
	s.Shadow = One(r, setting.NoShadow, setting.SoftShadow, setting.DeepShadow)
	s.Background = One(r, "", "", "#dfe8e2")
	s.Scheme = One(r, setting.System, setting.Light, setting.Dark, setting.Own)
	s.Colours = setting.Palette{Paper: colour(r), Ink: colour(r), Accent: colour(r)}
	return s.Canonical()
}

func colour(r *rand.Rand) string {
	const digits = "0123456789abcdef"
	b := []byte("#000000")
	for i := 1; i < len(b); i++ {
		b[i] = digits[r.IntN(16)]
	}
	return string(b)
}

// Sheets makes the pages of a document: of one size, or mixed.
func Sheets(r *rand.Rand) []sheet.Sheet {
	n := One(r, 1, 2, 3, 5, 12, 40)
	size := func() sheet.Sheet {
		s := One(r, sheet.Sheet{Width: 595.276, Height: 841.89}, sheet.Sheet{Width: 841.89, Height: 595.276},
			sheet.Sheet{Width: 1190.55, Height: 841.89},
			sheet.Sheet{Width: 419.528, Height: 595.276}, sheet.Sheet{Width: between(r, 90, 2000), Height: between(r, 90, 2000)})
		return s
	}
	first, mixed := size(), r.IntN(3) == 0
	out := make([]sheet.Sheet, n)
	for i := range out {
		if out[i] = first; mixed {
			out[i] = size()
		}
	}
	return out
}

// Facts makes a document for the proof.
func Facts(r *rand.Rand) proof.Facts {
	f := proof.Facts{Pages: frame.PagesOf(Sheets(r)), Language: One(r, "", "en", "de-AT", "ar", "he-IL"),
		FileBytes: int64(between(r, 1e4, 3e7)), Headings: One(r, 0, 12), Measured: r.IntN(8) > 0, Text: r.IntN(6) > 0}
	if f.Measured && f.Text {
		body, small := between(r, 3, 40), between(r, 2, 20)
		f.Sizes = legible.Sizes{Known: true, Chars: 9000, Running: r.Float64(),
			Body:     legible.Text{Size: body, XHeight: body * 0.48, How: legible.Measured},
			Smallest: legible.Text{Size: math.Min(body, small), XHeight: math.Min(body, small) * 0.48, How: legible.Measured}}
	}
	if r.IntN(3) > 0 {
		f.Images = map[int]int64{160: 9_000, 360: 30_000, 800: 90_000, 1600: 260_000, 3200: 900_000}
		f.Shell = 22_000
	}
	return f
}

// Screen makes a reader's screen.
func Screen(r *rand.Rand) proof.Screen {
	page := One(r, 360, 390, 768, 820, 1280, 1920, between(r, 240, 2200))
	site := proof.Site{Column: between(r, 300, 1200), Margin: 16}
	return proof.Screen{Name: "here", Page: page, Column: site.ColumnIn(page), Height: between(r, 500, 1300), Density: One(r, 1.0, 2, 3)}
}
