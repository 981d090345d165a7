package bench

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// BenchmarkManual takes a dense manual of 1,300 pages in small type, with a table on
// each and 1,200 entries in its outline, and prints how long it takes to inspect it,
// until its first page can be set and read after an upload, to read all its text, and
// to search it.
func BenchmarkManual(b *testing.B) {
	content := paper.Manual(1300, 1200)
	path := filepath.Join(b.TempDir(), "manual.pdf")
	require.NoError(b, os.WriteFile(path, content, 0o600))
	binary, err := filepath.Abs("../bin/incipit")
	require.NoError(b, err)
	for range b.N {
		begun := time.Now()
		out, err := exec.CommandContext(b.Context(), binary, "inspect", "--json", path).Output()
		require.NoError(b, err)
		require.Greater(b, len(out), 100_000)
		fmt.Printf("\n1,300 dense pages, 1,200 entries: inspected in %.2f s\n", time.Since(begun).Seconds())

		h := testkit.Open(b)
		editor := h.Editor(b)
		begun = time.Now()
		d, e, err := h.Intake.Receive(b.Context(), "manual.pdf", bytes.NewReader(content), 0)
		require.NoError(b, err)
		fmt.Printf("taken in after %.2f s\n", time.Since(begun).Seconds())
		p, err := h.Placing.Place(b.Context(), d.ID, placing.Start{})
		require.NoError(b, err)
		for _, path := range []string{fmt.Sprintf("/placements/%d", p.ID), fmt.Sprintf("/placements/%d/state", p.ID),
			fmt.Sprintf("/stage/%d", p.ID)} {
			status, _, _ := editor.Get(path)
			require.Equal(b, http.StatusOK, status, path)
		}
		fmt.Printf("the bench can be used after %.2f s\n", time.Since(begun).Seconds())
		patience.Until(b, func() bool {
			e, err = h.Library.Edition(b.Context(), e.ID)
			return err == nil && e.State == library.Ready
		})
		fmt.Printf("every size, label and entry is known after %.2f s\n", time.Since(begun).Seconds())
		s := setting.Default()
		a, err := h.People.AccountByEmail(b.Context(), demo.Email)
		require.NoError(b, err)
		require.NoError(b, h.Placing.Publish(b.Context(), p.ID, e.ID, a.ID, s))
		asked := time.Now()
		status, _, _ := h.Visitor(b).Get(fmt.Sprintf("/r/%s/page/%s/1/800", p.Key, e.SHA256[:16]))
		require.Equal(b, http.StatusOK, status)
		fmt.Printf("page 1 is drawn in %.0f ms\n", ms(time.Since(asked)))
		read := time.Now()
		patience.Until(b, func() bool {
			e, err = h.Library.Edition(b.Context(), e.ID)
			return err == nil && e.Indexed == e.Pages
		})
		fmt.Printf("%.0f pages a second are read\n", float64(e.Pages)/time.Since(read).Seconds())
		for _, words := range []string{"Section 777", "tide", "not there at all"} {
			var all []time.Duration
			for range 15 {
				begun := time.Now()
				status, _, _ := h.Visitor(b).Get(fmt.Sprintf("/r/%s/find/%s?q=%s", p.Key, e.SHA256[:16], url.QueryEscape(words)))
				require.Equal(b, http.StatusOK, status)
				all = append(all, time.Since(begun))
			}
			slices.Sort(all)
			fmt.Printf("%-18s found in %.0f ms, the slowest %.0f\n", words, ms(all[7]), ms(all[14]))
		}
	}
}
