package e2e

import (
	"bytes"
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// On paper each page lies the way it is: a wide one fills a sheet that lies, also
// between tall ones. What the browser prints is read by the engine.
func TestPrintedPagesLieAsTheyAre(t *testing.T) {
	for file, want := range map[string]string{
		"annual-report.pdf": "tall tall wide tall wide wide tall",
		"tide-table.pdf":    "wide wide",
	} {
		h := testkit.Open(t)
		_, p := placed(t, h, file)
		publish(t, h, p.ID)
		tab := testkit.Browse(t, 800, 600)
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "/print"))
		tab.Until(tab.Ctx, `document.images.length && [...document.images].every((i) => i.complete && i.naturalWidth > 0)`)
		var paper []byte
		tab.Do(func(ctx context.Context, target *chromedp.Target) (none chromedp.Void, err error) {
			paper, err = chromedp.PrintToPDF(chromedp.PDFPaper(chromedp.PaperA4))(ctx, target)
			return none, err
		})
		engine := testkit.Engine(t)
		src := pdf.Source{ID: "paper of " + file, Size: int64(len(paper)), Bytes: bytes.NewReader(paper)}
		cover, err := engine.Cover(t.Context(), src)
		require.NoError(t, err)
		sheets, err := engine.Sheets(t.Context(), src, 1, cover.Pages)
		require.NoError(t, err)
		got := ""
		for i, s := range sheets {
			if i > 0 {
				got += " "
			}
			got += map[bool]string{true: "wide", false: "tall"}[s.Width > s.Height]
			assert.InDelta(t, 595*842, s.Width*s.Height, 2000, "A4")
		}
		assert.Equal(t, want, got, file)
	}
}

// Some pages are written as people write them, in the digits of their language;
// what cannot be followed is said, and printing it is offered again.
func TestSomePagesArePrinted(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")
	tab.Do(chromedp.Click(`[data-do=print]`))
	tab.Until(tab.Ctx, `document.getElementById('print-pages')`)
	print := func(pages string) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById('print-pages'); f.value = %q; f.dispatchEvent(new Event('input')); document.querySelector('#print .main').click(); return true; })()`, pages))
	}
	tab.Expect("/print?pages=")
	tab.Expect("404")
	for _, wrong := range []string{"60", "x", ""} {
		print(wrong)
		tab.Until(tab.Ctx, `document.querySelector('#print .count').textContent === 'Write a page from 1 to 52.' && document.activeElement.id === 'print-pages' && document.activeElement.ariaInvalid === 'true' && !document.querySelector('#print .main').disabled`)
	}
	print("٢–٣، 5")
	tab.Until(tab.Ctx, `document.querySelector('#print .count').textContent === 'Ready to print'`)
	assert.Equal(t, "2 3 5", testkit.Eval[string](tab, tab.Ctx, `[...document.getElementById('printing').contentDocument.images].map((i) => i.dataset.page).join(' ')`))
}
