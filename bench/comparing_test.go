package bench

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/internal/core/compare"
	"incipit/internal/library"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// BenchmarkComparing has an edition of 500 pages compared with another one, in the
// background, and asks how far it is all the while. What it takes in memory is what the
// house's process has at its peak, and the largest of its workers.
func BenchmarkComparing(b *testing.B) {
	h := testkit.Open(b)
	const pages = 500
	manual := paper.Manual(pages, 60)
	d, _, err := h.Intake.Receive(b.Context(), "manual.pdf", bytes.NewReader(manual), 0)
	require.NoError(b, err)
	before := h.Measured(b, d.ID)
	h.Indexed(b, before.ID)
	after, err := h.Intake.Replace(b.Context(), d.ID, "manual-2.pdf", bytes.NewReader(append(slices.Clone(manual), "\n% saved anew\n"...)), 0, "")
	require.NoError(b, err)
	// Once as after it was added, when an editor looks at what it changes at once and the new
	// one is still to be measured and indexed, from when it has been examined; once by itself,
	// as when two editions are compared later.
	require.NoError(b, h.Intake.CompareLater(b.Context(), before, after))
	patience.Until(b, func() bool {
		e, err := h.Library.Edition(b.Context(), after.ID)
		return err == nil && e.State == library.Ready
	})
	for _, alone := range []bool{false, true} {
		if alone {
			patience.Until(b, func() bool {
				e, err := h.Library.Edition(b.Context(), after.ID)
				return err == nil && e.Measured && e.Indexed == pages
			})
			_, err = h.DB.Pool.Exec(b.Context(), "DELETE FROM edition_comparisons")
			require.NoError(b, err)
		}
		for _, pid := range append(children(os.Getpid()), os.Getpid()) {
			_ = os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", pid), []byte("5"), 0) // the peak begins anew
		}
		begun := time.Now()
		require.NoError(b, h.Intake.CompareLater(b.Context(), before, after))
		told := map[int]bool{}
		var k library.Comparison
		patience.Until(b, func() bool {
			k, err = h.Library.Compared(b.Context(), before.ID, after.ID)
			require.NoError(b, err)
			told[k.Done] = true
			return k.Result != nil || k.Trouble != ""
		})
		took := time.Since(begun)
		require.Empty(b, k.Trouble)
		require.False(b, slices.ContainsFunc(k.Result.Pages, func(p compare.Pair) bool { return p.Change != compare.Same }))
		worker := int64(0)
		for _, pid := range children(os.Getpid()) {
			worker = max(worker, peak(pid))
		}
		what := map[bool]string{false: "after-adding", true: "alone"}[alone]
		b.ReportMetric(took.Seconds(), "s-"+what)
		b.ReportMetric(float64(len(told)), "steps-told-"+what)
		b.ReportMetric(float64(peak(os.Getpid())>>20), "MB-house-"+what)
		b.ReportMetric(float64(worker>>20), "MB-worker-"+what)
	}
}
