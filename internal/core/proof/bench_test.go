package proof_test

import (
	"testing"

	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/testkit/vary"
)

// The proof of a document of 1,300 pages on five screens, with fixes, curve and
// answers: all that the bench shows after one drag.
func BenchmarkProofOf1300Pages(b *testing.B) {
	sheets := make([]sheet.Sheet, 1300)
	for i := range sheets {
		sheets[i] = sheet.Sheet{Width: 595.276, Height: 841.89}
		if i%50 == 7 {
			sheets[i] = sheet.Sheet{Width: 841.89, Height: 595.276}
		}
	}
	f := vary.Facts(vary.Rand(1))
	f.Measured, f.Text = true, true
	f.Sizes.Known, f.Sizes.Body.Size, f.Sizes.Body.XHeight, f.Sizes.Smallest.XHeight = true, 10, 4.8, 3.6
	s := setting.Default()
	site := proof.Site{Column: 960, Margin: 16}
	screens := append([]proof.Screen{proof.Nearest(site, 360)}, proof.Usual(site)...)
	for b.Loop() {
		f.Pages = frame.PagesOf(sheets)
		proof.Run(f, s, proof.Terms{Budget: 400_000}, screens)
		proof.Curve(f, s, 800)
		proof.Answer(f, s, screens[0], screens[1])
	}
}
