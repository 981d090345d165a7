// Package bench measures speed: make bench. Nothing here passes or fails by
// the clock; the figures are printed side by side from one run.
package bench

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sort"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/machine"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// The house runs here as it is served; its workers see to themselves.
func TestMain(m *testing.M) {
	machine.Keep(machine.Share(0, 0).Server)
	testkit.Main(m)
}

// samples are the pages that are rendered: all of short documents, some of
// long ones.
var samples = map[string][]int{
	"tide-table.pdf": {1, 2}, "volunteer-handbook.pdf": {1, 3, 9, 20, 40}, "trail-map.pdf": {1}, "survey-form.pdf": {1},
	"leaflet-welcome.pdf": {1}, "annual-report.pdf": {2, 3, 5, 6}, "logbook-1953.pdf": {6},
}

// times are milliseconds of one page at one width.
type times struct{ cold, warm, png, ppm float64 }

const repeats = 3

// BenchmarkRender sets our render plus encode against pdftoppm on the same
// pages: with its PNG (render plus encode, as we do) and with its raw PPM
// (render alone). Cold is the first request for a document in a worker that
// runs: open, load, render, encode. Warm is the same page again. The time of
// pdftoppm has its process start in it, as ours has our pipes.
func BenchmarkRender(b *testing.B) {
	program, err := exec.LookPath("pdftoppm")
	if err != nil {
		b.Skip("pdftoppm is not installed")
	}
	for range b.N {
		workers := testkit.Workers(b, 2, time.Minute)
		require.NoError(b, workers.Warm(b.Context()))
		for _, width := range []int{800, 1600} {
			var all []times
			fmt.Printf("\n%d px wide, milliseconds: median of %d\n%-24s %4s %8s %8s %12s %12s %10s %8s\n", width, repeats, "document", "page",
				"cold", "warm", "pdftoppm png", "pdftoppm ppm", "bytes", "type")
			for _, d := range demo.Documents() {
				for _, page := range samples[d.File] {
					one, made := measure(b, workers, program, d.File, page, width)
					all = append(all, one)
					fmt.Printf("%-24s %4d %8.1f %8.1f %12.1f %12.1f %10d %8s\n", d.File, page, one.cold, one.warm, one.png, one.ppm, len(made.Bytes),
						made.MediaType[6:])
				}
			}
			ratio := func(of func(times) float64) float64 {
				var out []float64
				for _, one := range all {
					out = append(out, of(one))
				}
				return median(out)
			}
			warmPNG, coldPNG := ratio(func(t times) float64 { return t.warm / t.png }), ratio(func(t times) float64 { return t.cold / t.png })
			warmPPM, coldPPM := ratio(func(t times) float64 { return t.warm / t.ppm }), ratio(func(t times) float64 { return t.cold / t.ppm })
			fmt.Printf("median share of pdftoppm's time:  against png  warm %.2f, cold %.2f;  against raw ppm  warm %.2f, cold %.2f\n", warmPNG,
				coldPNG, warmPPM, coldPPM)
			b.ReportMetric(warmPNG, fmt.Sprintf("warm/png@%d", width))
			b.ReportMetric(coldPNG, fmt.Sprintf("cold/png@%d", width))
			b.ReportMetric(warmPPM, fmt.Sprintf("warm/ppm@%d", width))
			b.ReportMetric(coldPPM, fmt.Sprintf("cold/ppm@%d", width))
		}
	}
}

var fresh int // makes every cold request meet a document nobody has open

func measure(b *testing.B, e pdf.Engine, program, name string, page, width int) (times, pdf.PageImage) {
	content, err := demo.PDF(name)
	require.NoError(b, err)
	path := filepath.Join(b.TempDir(), name)
	require.NoError(b, os.WriteFile(path, content, 0o644))
	var cold, warm, png, ppm []float64
	var made pdf.PageImage
	for range repeats {
		fresh++
		src := pdf.Source{ID: fmt.Sprintf("%s %d", name, fresh), Size: int64(len(content)), Bytes: bytes.NewReader(content)}
		render := func() {
			made, err = e.Image(b.Context(), src, page, width)
			require.NoError(b, err)
		}
		cold = append(cold, clock(render))
		warm = append(warm, clock(render))
		outside := func(options ...string) func() {
			args := append(options, "-f", strconv.Itoa(page), "-l", strconv.Itoa(page), "-singlefile", "-scale-to-x", strconv.Itoa(width),
				"-scale-to-y", "-1", path, filepath.Join(b.TempDir(), "out"))
			return func() { require.NoError(b, exec.Command(program, args...).Run()) }
		}
		png = append(png, clock(outside("-png")))
		ppm = append(ppm, clock(outside()))
	}
	return times{median(cold), median(warm), median(png), median(ppm)}, made
}

func clock(f func()) float64 {
	begun := time.Now()
	f()
	return float64(time.Since(begun).Microseconds()) / 1000
}

func median(v []float64) float64 {
	sort.Float64s(v)
	return v[len(v)/2]
}
