package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
)

// plainly signs in where no script runs.
func plainly(h *testkit.House, tab *testkit.Tab) {
	tab.Expect("401")
	tab.Do(chromedp.Navigate(h.URL+"/"), chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password),
		chromedp.Click(".btn-primary"), chromedp.WaitVisible(`form[action="/sign-out"]`))
}

// The plain form takes all files that it lets one choose, and says of each that was not
// added why.
func TestThePlainFormTakesAllFiles(t *testing.T) {
	h := testkit.Open(t)
	dir := t.TempDir()
	var files []string
	for name, b := range map[string][]byte{"tide-table.pdf": nil, "trail-map.pdf": nil, "half.odt": []byte("PK\x03\x04 and no more"), "list.pdf": []byte("Sanderling, 12")} {
		if b == nil {
			var err error
			b, err = demo.PDF(name)
			require.NoError(t, err)
		}
		files = append(files, filepath.Join(dir, name))
		require.NoError(t, os.WriteFile(files[len(files)-1], b, 0o600))
	}
	tab := testkit.BrowseWithoutScript(t, 1280, 800)
	plainly(h, tab)
	tab.Do(chromedp.Navigate(h.URL+"/documents"), chromedp.SetUploadFiles("#file", files))
	tab.Expect("422")
	tab.Do(chromedp.Click("noscript button"), chromedp.WaitVisible("#work li"))
	text, err := chromedp.Run(tab.Ctx, chromedp.Text("#work"))
	require.NoError(t, err)
	assert.Contains(t, text, "2 files were added. Not added:")
	assert.Contains(t, text, "half.odt: ")
	assert.Contains(t, text, "list.pdf: ")
	all, err := h.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, all, 2)
	tab.Do(chromedp.Navigate(h.URL+"/documents"), chromedp.SetUploadFiles("#file", files[:0]), chromedp.Click("noscript button"), chromedp.WaitVisible("#work h1"))
	text, err = chromedp.Run(tab.Ctx, chromedp.Text("#work"))
	require.NoError(t, err)
	assert.Contains(t, text, "No file arrived.")
}
