package e2e

import (
	"fmt"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// Where there is more to choose from than a list holds, it says so, and what is not in it
// is found by words of its title.
func TestChoosingAmongMany(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "trail-map.pdf")
	for _, sql := range []string{
		fmt.Sprintf(`INSERT INTO documents (title) SELECT 'Register, part ' || n FROM generate_series(1, 150) n WHERE %d > 0`, d.ID),
		`INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, measured, sheets)
			SELECT d.id, 1, e.sha256, e.bytes, e.file_name, e.blob_key || d.id, 1, 1, 'ready', true, '[{"width":595,"height":842,"label":"1"}]' FROM documents d, (SELECT * FROM editions LIMIT 1) e WHERE d.title LIKE 'Register%'`,
		`INSERT INTO placements (key, document_id) SELECT lpad(id::text, 20, 'a'), id FROM documents WHERE title LIKE 'Register%'`,
		`INSERT INTO draft_steps (kind, subject, revision, content) SELECT 'placement', id, 0, '{"settings":{}}' FROM placements`,
	} {
		_, err := h.DB.Pool.Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	c, err := h.Publishing.AddCollection(t.Context(), collection.New("Registers"))
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	find := func(set, words, want string) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`/^10[01] of 150 are in the list: those changed last/.test(document.querySelector('%s').closest('.set').querySelector('.offer small')?.textContent)`, set))
		input := fmt.Sprintf(`document.querySelector('%s').closest('.set').querySelector('.offer input')`, set)
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(%s.focus(), true)`, input))
		tab.Do(chromedp.KeyEvent(words))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('%s').closest('.set').querySelector('.offer small').textContent === %q`,
			set, want))
	}
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/collections/%d", h.URL, c.ID)))
	find("#gadd", "part 3", "11 are in the list.")
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.getElementById('gadd'); s.value = [...s.options].find((o) => o.textContent.startsWith('Register, part 3 ')).value; document.querySelector('.add button').click(); return true; })()`)
	tab.Until(tab.Ctx, `document.querySelector('ol.items')?.textContent.includes('Register, part 3')`)
	tab.Accessible(tab.Ctx, "choosing among many")
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, `document.querySelector('ol.items')?.textContent.includes('Register, part 3')`)

	page, err := webpage.New("Registers").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "registers", page, "Maren Oakes")
	require.NoError(t, err)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d", h.URL, w.ID)))
	tab.Until(tab.Ctx, `document.querySelector('#rows .block.placement')`)
	tab.Do(chromedp.Click(`#rows .block.placement`))
	tab.Until(tab.Ctx, `document.getElementById('doc').checkVisibility()`)
	find("#doc", "nothing of this", "No title has these words.")
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const e = document.querySelector('#doc').closest('.set').querySelector('.offer input'); e.value = 'part 7'; e.dispatchEvent(new Event('input')); return true; })()`)
	tab.Until(tab.Ctx, `[...document.getElementById('doc').options].some((o) => o.textContent.startsWith('Register, part 7 '))`)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.getElementById('doc'); s.value = [...s.options].find((o) => o.textContent.startsWith('Register, part 7 ')).value; s.dispatchEvent(new Event('change')); return true; })()`)
	patience.Until(t, func() bool {
		draft, err := h.Publishing.WebPageDraft(t.Context(), w.ID)
		return err == nil && slices.ContainsFunc(draft.Content.Blocks(),
			func(b webpage.Block) bool { return b.Kind == webpage.Placement && b.Of > 0 })
	})
}
