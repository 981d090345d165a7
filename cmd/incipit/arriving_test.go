package main

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// Files on their way arrive, each once and undamaged, though the server is killed midway,
// started again, and the screen is loaded again; no part that was acknowledged is lost.
func TestFilesArriveThoughTheServerIsKilled(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	arrive(t, 6, 1_800_000, 500_000)
}

// BenchmarkArriving is 200 files of 0.4 MB over a line of 2 MB a second, with the server
// killed twice and the screen loaded again.
func BenchmarkArriving(b *testing.B) {
	for range b.N {
		begun := time.Now()
		slowest := arrive(b, 200, 400_000, 2_000_000)
		fmt.Printf("\n200 files of 0.4 MB at 2 MB/s, server killed twice, screen loaded again: all there once, undamaged, in %.0f s; what the screen said was at most %.1f %% behind what had arrived\n",
			time.Since(begun).Seconds(), slowest)
	}
}

// arrive has n files of some bytes arrive over a line, and gives how far what the screen
// said was from what had arrived, in percent of all.
func arrive(t testing.TB, n, size int, rate float64) (off float64) {
	s := newServer(t)
	s.more = keeps
	s.start()
	rows := s.owned()
	dir := t.TempDir()
	hashes := map[string]int{}
	var paths []string
	for i := range n {
		b := append(hostile.ManyPages(1+i%5), bytes.Repeat([]byte(fmt.Sprintf("%% the %d. of several files\n", i)), size/30)...)
		path := filepath.Join(dir, fmt.Sprintf("survey-%03d.pdf", i))
		require.NoError(t, os.WriteFile(path, b, 0o600))
		paths = append(paths, path)
		hashes[fmt.Sprintf("%x", sha256.Sum256(b))] = 1
	}
	tab := testkit.Browse(t, 1280, 800)
	for _, part := range []string{"Failed to load resource", "net::", "status 5"} {
		tab.Expect(part)
	}
	tab.Do(chromedp.Navigate(s.config.PublicURL+"/sign-in"), chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password+"\r"))
	tab.Until(tab.Ctx, `document.querySelector('.dropping') && !document.querySelector('.dropping').hasAttribute('x-cloak')`)
	tab.Throttle(rate)
	tab.Do(chromedp.SetUploadFiles("#file", paths))
	received := func() (bytes int64) {
		require.NoError(t, rows.DB.Pool.QueryRow(t.Context(), "SELECT coalesce(sum(received), 0)::bigint FROM uploads").Scan(&bytes))
		return bytes
	}
	shown := func() float64 {
		return testkit.Eval[float64](tab, tab.Ctx, `Number(/(\d+) %/.exec(document.querySelector('.whole span').textContent)?.[1] ?? -1)`)
	}
	whole := float64(n * size)
	for round := range 2 {
		before := received()
		patience.Until(t, func() bool {
			has := received()
			if says := shown(); says >= 0 && round == 0 { // the screen counts from its loading on
				off = max(off, math.Abs(says-100*float64(has)/whole))
			}
			return has > before+int64(whole/6)
		})
		s.kill()
		kept := received()
		tab.Until(tab.Ctx, `[...document.querySelectorAll('.uploads li')].some((l) => l.innerText.includes('It goes on by itself'))`)
		s.start()
		if round == 1 {
			tab.Do(chromedp.Reload())
			tab.Throttle(0)
		}
		patience.Until(t, func() bool { return received() > kept }, "it goes on")
	}
	patience.Until(t, func() bool {
		return testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`document.querySelector('.howmany')?.dataset.all === '%d' && !document.querySelector('.uploads li')`, n))
	}, "all of them arrive")
	got := map[string]int{}
	list, err := rows.DB.Pool.Query(t.Context(), "SELECT sha256 FROM editions")
	require.NoError(t, err)
	defer list.Close()
	for list.Next() {
		var hash string
		require.NoError(t, list.Scan(&hash))
		got[hash]++
	}
	assert.Equal(t, hashes, got)
	return off
}
