package bench

import (
	"bytes"
	"fmt"
	"os/exec"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/compare"
	"incipit/internal/library"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// processors is how many are wanted by other work beside, and strained how many files
// are added meanwhile.
const (
	processors = 8
	strained   = 100
)

// BenchmarkStrain adds files while other programs want eight processors: in the end all are
// sound, and none was ever called anything else.
func BenchmarkStrain(b *testing.B) {
	h := testkit.Open(b)
	for range processors {
		// They end by themselves as well, should this be killed.
		work := exec.Command("timeout", "900", "sh", "-c", "while :; do :; done")
		require.NoError(b, work.Start())
		b.Cleanup(func() { _ = work.Process.Kill(); _ = work.Wait() })
	}
	begun := time.Now()
	for n := range strained {
		file := hostile.ManyPages(1 + n%40)
		if n%10 == 0 {
			file = must(demo.PDF(demo.Documents()[n/10%len(demo.Documents())].File))(b)
		}
		for {
			// Each is another file, though it may look like one.
			_, _, err := h.Intake.Receive(b.Context(), fmt.Sprintf("survey-%d.pdf", n), bytes.NewReader(append(slices.Clone(file), fmt.Sprintf("\n%% %d\n", n)...)), 0)
			if err == nil {
				break
			}
			require.Less(b, time.Since(begun), 15*time.Minute, "%v", err)
		}
	}
	states := map[string]int{}
	patience.Until(b, func() bool {
		all, err := h.Library.Documents(b.Context(), "")
		require.NoError(b, err)
		clear(states)
		for _, d := range all {
			e, err := h.Library.EditionOf(b.Context(), d.ID, 1)
			require.NoError(b, err)
			require.NotEqual(b, library.Failed, e.State, "%s: %s", d.Title, e.ProblemMessage)
			states[e.State]++
		}
		return states[library.Ready] == strained
	}, "all are sound")
	b.ReportMetric(time.Since(begun).Seconds(), "s-all-sound")
}

func must[T any](v T, err error) func(testing.TB) T {
	return func(t testing.TB) T {
		t.Helper()
		require.NoError(t, err)
		return v
	}
}

// BenchmarkThreeChanges compares 300 pages of which three were changed.
func BenchmarkThreeChanges(b *testing.B) {
	h := testkit.Open(b)
	manual := paper.Manual(300, 40)
	d, _, err := h.Intake.Receive(b.Context(), "manual.pdf", bytes.NewReader(manual), 0)
	require.NoError(b, err)
	before := h.Measured(b, d.ID)
	h.Indexed(b, before.ID)
	changed := slices.Clone(manual)
	for _, page := range []int{20, 150, 280} {
		changed = bytes.Replace(changed, []byte(fmt.Sprintf("(Section %d) Tj", page)), []byte(fmt.Sprintf("(Sektion %d) Tj", page)), 1)
	}
	after, err := h.Intake.Replace(b.Context(), d.ID, "manual-2.pdf", bytes.NewReader(changed), 0, "")
	require.NoError(b, err)
	begun := time.Now()
	require.NoError(b, h.Intake.CompareLater(b.Context(), before, after))
	var k library.Comparison
	patience.Until(b, func() bool {
		k, err = h.Library.Compared(b.Context(), before.ID, after.ID)
		require.NoError(b, err)
		return k.Result != nil || k.Trouble != ""
	})
	b.ReportMetric(time.Since(begun).Seconds(), "s")
	require.Empty(b, k.Trouble)
	var pages []int
	for _, p := range k.Result.Pages {
		if p.Change != compare.Same {
			pages = append(pages, p.New)
		}
	}
	assert.Equal(b, []int{20, 150, 280}, pages)
}
