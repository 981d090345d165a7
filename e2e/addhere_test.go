package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
)

// Where a document is chosen, one can be added, without leaving what is being made.
func TestADocumentIsAddedWhereItIsChosen(t *testing.T) {
	h := testkit.Open(t)
	b, err := demo.PDF("trail-map.pdf")
	require.NoError(t, err)
	good, bad := filepath.Join(t.TempDir(), "trail-map.pdf"), filepath.Join(t.TempDir(), "notes.pdf")
	require.NoError(t, os.WriteFile(good, b, 0o600))
	require.NoError(t, os.WriteFile(bad, []byte("no PDF"), 0o600))
	tab := testkit.Browse(t, 1280, 900)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL+"/collections"), chromedp.SendKeys(`#name`, "For visitors"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.addhere input')`)
	tab.Expect("422")
	tab.Do(chromedp.SetUploadFiles(".addhere input", []string{bad}))
	tab.Until(tab.Ctx, `document.querySelector('.addhere .must')?.textContent.includes('does not begin like a PDF')`)
	tab.Do(chromedp.SetUploadFiles(".addhere input", []string{good}))
	tab.Until(tab.Ctx, `document.querySelector('[data-item="1"]') && document.querySelector('.addhere small').textContent.includes('was added')`)
	tab.Accessible(tab.Ctx, "a document added to a collection")
	focusOn(t, tab, ".addhere button")

	// On a web page it is the document of the block that is chosen.
	w, err := h.Publishing.AddWebPage(t.Context(), "visiting", webpage.New("Visiting"), "Maren Oakes")
	require.NoError(t, err)
	onStage(h, tab, w.ID)
	tab.Do(chromedp.Click(`#palette [data-add="placement"]`))
	tab.Until(tab.Ctx, `document.getElementById('doc').offsetParent`)
	assert.Equal(t, "Trail map (not published)", testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('#doc optgroup[label="Used lately"] option')].map((o) => o.textContent).join()`),
		"what was used last is at hand")
	tab.Do(chromedp.SetUploadFiles(".addhere input", []string{good}))
	tab.Until(tab.Ctx, `document.getElementById('doc').value === '2' && document.querySelector('.addhere small').textContent.includes('was added')`)
	tab.Do(chromedp.Navigate(h.URL + "/collections/1"))
	tab.Until(tab.Ctx, `document.querySelector('#gadd optgroup[label="Used lately"] option')?.value === '2' && document.querySelectorAll('#gadd option').length === 2`)
	all, err := h.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, all, 2)
}
