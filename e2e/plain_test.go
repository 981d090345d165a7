package e2e

import (
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
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

// Five forms of the desk, with script and without: the session ends, whoever typed signs in,
// finds what was typed, sends it, and it is kept.
func TestFormsGoOnAfterSigningIn(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "tide-table.pdf")
	ctx := t.Context()
	body := func(path string) string {
		_, b, _ := h.Editor(t).Get(path)
		return b
	}
	forms := []struct{ page, field, form, others, kept string }{
		{fmt.Sprintf("/documents/%d/said", d.ID), "[name=description]", fmt.Sprintf("/documents/%d/said", d.ID), "", fmt.Sprintf("/documents/%d/said", d.ID)},
		{"/collections", "#name", "/collections", "", "/collections"},
		{"/web-pages", "#newtitle", "/web-pages", "#newpath", "/web-pages"},
		{fmt.Sprintf("/documents/%d", d.ID), fmt.Sprintf("#name-%d", p.ID), fmt.Sprintf("/placements/%d/name", p.ID), "", fmt.Sprintf("/documents/%d", d.ID)},
		{"/signing-keys", "#name", "/signing-keys", "", "/signing-keys"},
	}
	for _, browser := range []string{"with script", "without script"} {
		var tab *testkit.Tab
		if browser == "with script" {
			tab = testkit.Browse(t, 1280, 800)
			tab.Expect("401")
			signIn(h, tab)
		} else {
			tab = testkit.BrowseWithoutScript(t, 1280, 800)
			plainly(h, tab)
		}
		for n, f := range forms {
			typed := fmt.Sprintf("Counted “%s” & %d", browser, n)
			tab.Do(chromedp.Navigate(h.URL+f.page), chromedp.WaitReady(f.field), chromedp.SetValue(f.field, typed))
			if f.others != "" {
				tab.Do(chromedp.SetValue(f.others, fmt.Sprintf("counted-%d", len(browser))))
			}
			signedOut(t, h)
			tab.Do(chromedp.Submit(f.field), chromedp.WaitVisible("#password"),
				chromedp.SetValue("#email", demo.Email), chromedp.SetValue("#password", demo.Password), chromedp.Click(".btn-primary"),
				chromedp.WaitVisible(".again .btn-primary"))
			shown, err := chromedp.Run(tab.Ctx, chromedp.OuterHTML(".again form"))
			require.NoError(t, err)
			assert.Contains(t, shown, html.EscapeString(typed[:7]), "%s: %s", browser, f.form)
			assert.NotContains(t, body(f.kept), html.EscapeString(typed), "it is not sent yet")
			tab.Do(chromedp.Click(".again .btn-primary"))
			patience.Until(t, func() bool { return ctx.Err() == nil && strings.Contains(body(f.kept), html.EscapeString(typed)) }, "%s: %s", browser, f.form)
		}
	} // A file is in the browser alone: it leads back to the page where it was chosen.
	tab := testkit.BrowseWithoutScript(t, 1280, 800)
	plainly(h, tab)
	page := fmt.Sprintf("/documents/%d", d.ID)
	file := filepath.Join(t.TempDir(), "tides.pdf")
	require.NoError(t, os.WriteFile(file, []byte("%PDF-1.7"), 0o600))
	tab.Do(chromedp.Navigate(h.URL+page), chromedp.SetUploadFiles("#file", []string{file}))
	signedOut(t, h)
	tab.Do(chromedp.Submit("#file"), chromedp.WaitVisible("#password"),
		chromedp.SetValue("#email", demo.Email), chromedp.SetValue("#password", demo.Password), chromedp.Click(".btn-primary"),
		chromedp.WaitVisible(".again .btn-primary"), chromedp.Click(".again .btn-primary"), chromedp.WaitReady("#file"))
	tab.Until(tab.Ctx, fmt.Sprintf("location.pathname === %q", page))
}
