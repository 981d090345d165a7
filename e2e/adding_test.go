package e2e

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// severalFiles writes some PDFs that differ, of more than one part each, and gives their
// paths and the hashes of their bytes.
func severalFiles(t testing.TB, n, size int) (paths []string, hashes map[string]bool) {
	t.Helper()
	dir := t.TempDir()
	hashes = map[string]bool{}
	for i := range n {
		b := hostile.ManyPages(1 + i)
		// What stands behind the end of a PDF does not matter to who reads it.
		b = append(b, bytes.Repeat([]byte(fmt.Sprintf("%% the %d. of several files\n", i)), size/32)...)
		path := filepath.Join(dir, fmt.Sprintf("survey-%03d.pdf", i))
		require.NoError(t, os.WriteFile(path, b, 0o600))
		paths = append(paths, path)
		hashes[fmt.Sprintf("%x", sha256.Sum256(b))] = true
	}
	return paths, hashes
}

// arrivedWhole has every file there once, as it was.
func arrivedWhole(t testing.TB, h *testkit.House, hashes map[string]bool) {
	t.Helper()
	rows, err := h.DB.Pool.Query(t.Context(), "SELECT sha256, count(*) FROM editions GROUP BY 1")
	require.NoError(t, err)
	defer rows.Close()
	seen := map[string]bool{}
	for rows.Next() {
		var hash string
		var n int
		require.NoError(t, rows.Scan(&hash, &n))
		assert.Equal(t, 1, n, "%s is there once", hash)
		seen[hash] = true
	}
	assert.Equal(t, hashes, seen)
}

// What is larger than may be is not sent; what was refused is not sent again when the screen is
// loaded anew; and what is said at the end adds up.
func TestFilesThatAreRefused(t *testing.T) {
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_MAX_UPLOAD_MB": "1"})
	paths, _ := severalFiles(t, 1, 300_000)
	large, _ := severalFiles(t, 1, 1_600_000)
	none := filepath.Join(t.TempDir(), "notes.pdf")
	require.NoError(t, os.WriteFile(none, []byte("no PDF at all"), 0o600))
	tab := testkit.Browse(t, 1280, 800)
	tab.Expect("/uploads/") // one of them is refused
	signIn(h, tab)
	tab.Until(tab.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
	tab.Do(chromedp.SetUploadFiles("#file", []string{large[0], none, paths[0]}))
	said := `document.querySelector('.whole span').textContent`
	tab.Until(tab.Ctx, said+` === '1 file added. 2 refused.'`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.uploads').textContent`), " MB, and a file may have 1 MB. Nothing of it was sent.")
	sent := `performance.getEntriesByType('resource').filter((r) => r.name.includes('/uploads/')).length`
	assert.Positive(t, testkit.Eval[int](tab, tab.Ctx, sent))
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, said+` === 'Nothing was added. 2 refused.'`)
	assert.Zero(t, testkit.Eval[int](tab, tab.Ctx, sent), "they are not sent again")
	assert.Equal(t, 1, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.docs tbody tr').length`))
}

// Many files arrive, each once and undamaged, though the line is cut and the screen is
// loaded again midway; the browser says what the server has.
func TestManyFilesAtOnce(t *testing.T) {
	h := testkit.Open(t)
	paths, hashes := severalFiles(t, 8, 1_600_000)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Until(tab.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
	tab.Throttle(400_000)
	tab.Do(chromedp.SetUploadFiles("#file", paths))
	tab.Until(tab.Ctx, `[...document.querySelectorAll('.uploads li.going progress')].some((p) => p.value > 0)`)
	tab.Accessible(tab.Ctx, "files on their way")

	// Paused, nothing more goes; resumed, it goes on where it was.
	tab.Do(chromedp.Click(`.arrivals .whole button:nth-of-type(1)`))
	tab.Until(tab.Ctx, `document.querySelectorAll('.uploads li.paused').length === document.querySelectorAll('.uploads li').length`)
	// Loaded again, with what the browser kept.
	tab.Do(chromedp.Reload())
	tab.Throttle(0)
	tab.Until(tab.Ctx, `document.querySelectorAll('.uploads li').length > 0 || document.querySelectorAll('.docs tbody tr').length === 8`)
	tab.Until(tab.Ctx, `document.querySelectorAll('.docs tbody tr').length === 8 && !document.querySelector('.uploads li')`)
	arrivedWhole(t, h, hashes)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.whole span').textContent`), "files added")
	var parts, unfinished int
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM uploads WHERE document_id IS NULL").Scan(&unfinished))
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM upload_parts").Scan(&parts))
	assert.Zero(t, unfinished)
	assert.GreaterOrEqual(t, parts, 8*3, "in parts that pass a proxy")

	// The same bytes are told before they are sent, and added where that is wanted.
	tab.Do(chromedp.Click(`.arrivals .whole button:nth-of-type(3)`), chromedp.SetUploadFiles("#file", []string{paths[0], paths[1]}))
	tab.Until(tab.Ctx, `document.querySelectorAll('.uploads li.known').length === 2`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.uploads .known .ustate').textContent`), "It is here already, as “Survey 00")
	testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.uploads li.known button')].find((b) => b.textContent === 'Add it all the same').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelectorAll('.docs tbody tr').length === 9 && document.querySelectorAll('.uploads li').length === 1`)

	// Cancelled, nothing of it stays.
	tab.Throttle(100_000)
	more, _ := severalFiles(t, 9, 900_000)
	tab.Do(chromedp.SetUploadFiles("#file", more[8:]))
	tab.Until(tab.Ctx, `document.querySelector('.uploads li.going')`)
	testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.uploads li.going button')].find((b) => b.textContent === 'Cancel' && b.checkVisibility()).click(), true)`)
	tab.Until(tab.Ctx, `!document.querySelector('.uploads li.going')`)
	tab.Throttle(0)
	patience.Until(t, func() bool {
		err := h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM uploads WHERE document_id IS NULL").Scan(&unfinished)
		return err == nil && unfinished == 0
	})
	assert.Equal(t, 9, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.docs tbody tr').length`))
}
