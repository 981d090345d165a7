package e2e

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
)

// A file is replaced: its editor sees what that changes before readers do; a page of
// another website shows the new one without a change of its code, at the page that its
// opening page has become; who is reading is offered it, at the page that theirs has
// become; and going back gives the bytes of before.
func TestReplacingAFile(t *testing.T) {
	h := testkit.Open(t)
	first := paper.Leaves(false, paper.Waders()...)
	p, e, reader := received(t, h, "term", first, 900, 700)
	s := setting.Default()
	s.OpenAt = 5
	s.Download = true
	h.Publish(t, p.ID, s)
	code, err := embed.Code(s, embed.Subject{Address: h.URL + "/r/" + p.Key, Title: "Term", Pages: frame.PagesOf(e.AllSheets())})
	require.NoError(t, err)
	require.NoError(t, h.Pages.Add("term", "<h1>Term</h1>"+code))
	placed, err := embed.Choice{Way: embed.Inline, Page: 7}.Written(s, embed.Subject{Address: h.URL + "/r/" + p.Key, Title: "Term", Pages: frame.PagesOf(e.AllSheets()), Edition: e.Mark()})
	require.NoError(t, err)
	require.NoError(t, h.Pages.Add("place", "<h1>Term</h1>"+placed))
	_, before, _ := h.Visitor(t).Get("/r/" + p.Key + "/file")
	reader.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	reader.Until(reader.Ctx, readerReady+` && document.getElementById('number').value === '5'`)

	// Page 2 is gone, page 4 retyped, and two pages are new before page 5.
	next := paper.Waders()
	next[3].Words = strings.Replace(next[3].Words, "godwit", "ruff", 3)
	next = slices.Insert(next, 4, paper.Leaf{Words: strings.Repeat("The hides are open from sunrise and the key hangs at the desk. ", 6)},
		paper.Leaf{Words: strings.Repeat("Boots are cleaned at the sluice before and after every walk on the marsh. ", 6)})
	next = slices.Delete(next, 1, 2)
	file := filepath.Join(t.TempDir(), "term 2.pdf")
	require.NoError(t, os.WriteFile(file, paper.Leaves(true, next...), 0o600))

	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Until(tab.Ctx, `document.querySelector('.docs')?.dataset.reading === 'false'`)
	tab.Do(chromedp.Click(`.docs .dtitle`))
	tab.Until(tab.Ctx, `document.querySelector('.editions tbody tr .ok')?.textContent === 'in force'`)
	tab.Until(tab.Ctx, `document.querySelector('.shape .found')?.textContent.includes('The file is not tagged')`)
	tab.Accessible(tab.Ctx, "a document's screen")
	// What cannot be opened changes nothing.
	bad := filepath.Join(t.TempDir(), "bad.pdf")
	require.NoError(t, os.WriteFile(bad, hostile.HTML(), 0o600))
	tab.Expect("422")
	tab.Do(chromedp.SetUploadFiles(`#file`, []string{bad}))
	tab.Until(tab.Ctx, `document.querySelector('.said.must[role=alert]')?.textContent.includes('Nothing was kept')`)
	tab.Do(chromedp.SetUploadFiles(`#file`, []string{file}))
	tab.Until(tab.Ctx, `document.querySelector('.outcome')`)
	said := testkit.Eval[string](tab, tab.Ctx, `document.querySelector('main').innerText`)
	assert.Contains(t, said, "1 page changed, 2 pages new, 1 page gone; 6 pages the same.")
	assert.Contains(t, said, "It has 9 pages, and had 8.")
	assert.Contains(t, said, "It opens at page 5, which is page 6 now.")
	assert.Contains(t, said, "Page 4 has changed, and is page 3")
	tab.Do(chromedp.Click(`#change-4-3 [data-over]`))
	tab.Until(tab.Ctx, `document.activeElement.matches('[data-slide]') && [...document.querySelectorAll('#change-4-3 img')].every((i) => i.naturalWidth > 0) && document.querySelector('#change-4-3 rect')`)
	tab.Accessible(tab.Ctx, "what an edition changes")
	list := h.Editor(t)
	_, rows, _ := list.Get("/documents")
	assert.Contains(t, rows, "Edition 2 waits: see what it changes")
	_, still, _ := h.Visitor(t).Get("/r/" + p.Key + "/file")
	assert.Equal(t, before, still, "readers have not seen it")

	tab.Do(chromedp.Click(`.choose .btn-primary`))
	tab.Until(tab.Ctx, `document.querySelector('.editions tbody tr .ok')?.closest('tr').textContent.includes('Edition 2') && document.querySelector('.plainlist .ok')?.textContent === 'readers see edition 2'`)

	site := testkit.Browse(t, 1280, 800)
	site.Do(chromedp.Navigate(h.Website + "/term"))
	inside := site.Frame(h.URL + "/r/" + p.Key)
	site.Until(inside, readerReady+` && document.getElementById('number').value === '6' && document.querySelectorAll('.sheet').length === 9`)

	// What was pasted with a place leads to where its content went, and so does a picture.
	site.Do(chromedp.Navigate(h.Website + "/place"))
	inside = site.Frame(h.URL + "/r/" + p.Key)
	site.Until(inside, readerReady+` && document.getElementById('number').value === '8' && !document.getElementById('note-beyond')`)
	visitor := h.Visitor(t)
	_, pictured, _ := visitor.Get("/r/" + p.Key + "/cover/7/480?of=" + e.Mark())
	_, itsNow, _ := visitor.Get("/r/" + p.Key + "/cover/8/480")
	_, other, _ := visitor.Get("/r/" + p.Key + "/cover/7/480")
	assert.Equal(t, itsNow, pictured)
	assert.NotEqual(t, other, pictured)

	testkit.Eval[bool](reader, reader.Ctx, `(document.dispatchEvent(new Event('visibilitychange')), true)`)
	reader.Until(reader.Ctx, `document.getElementById('note-newer')?.textContent.includes('newer edition')`)
	assert.Equal(t, 8, testkit.Eval[int](reader, reader.Ctx, `document.querySelectorAll('.sheet').length`), "it is not forced")
	reader.Do(chromedp.Click(`#note-newer .plain`))
	reader.Until(reader.Ctx, `document.querySelectorAll('.sheet').length === 9 && document.getElementById('number').value === '6'`)

	tab.Do(chromedp.Click(`.editions tr:nth-child(2) .acts a`))
	tab.Until(tab.Ctx, `document.querySelector('.outcome') && document.querySelector('.choose .btn-primary').textContent === 'Go back to this edition'`)
	tab.Do(chromedp.Click(`.choose .btn-primary`))
	tab.Until(tab.Ctx, `document.querySelector('.editions tbody tr .ok')?.closest('tr').textContent.includes('Edition 1')`)
	_, back, _ := h.Visitor(t).Get("/r/" + p.Key + "/file")
	assert.Equal(t, before, back)
	shown, err := h.Placing.ShownByKey(t.Context(), p.Key)
	require.NoError(t, err)
	assert.Equal(t, 5, shown.Version.Settings.OpenAt)
	w, err := h.Placing.Whole(t.Context(), p.ID)
	require.NoError(t, err)
	drafted, err := w.Settings()
	require.NoError(t, err)
	assert.Equal(t, 5, drafted.OpenAt)

	// Somebody else was faster.
	require.ErrorIs(t, h.Placing.TurnTo(t.Context(), w.Document.ID, 2, 1, 0, "Tamsin Reed", func(page int) (int, bool) { return page, true }),
		placing.ErrStale)
}
