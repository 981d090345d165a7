package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// A file that asks for a password is added with it; readers are asked, and the
// password stays nowhere: in no row, in no kept image, in no address.
func TestADocumentThatAsksForAPassword(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1000, 800)
	signIn(h, tab)
	file := filepath.Join(t.TempDir(), "locked.pdf")
	require.NoError(t, os.WriteFile(file, hostile.Locked(), 0o600))
	tab.Expect("422")
	tab.Expect("/documents")
	tab.Do(chromedp.SetUploadFiles(`input[type=file]`, []string{file}))
	tab.Until(tab.Ctx, `document.querySelector('.uploads input[type=password]')?.checkVisibility() && document.querySelector('.ustate').textContent.includes('asks for a password')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.uploads input[type=password]').focus(), true)`)
	tab.Do(chromedp.KeyEvent(hostile.Password), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('tr[data-id]') && !document.querySelector('.uploads li')`)
	listed := h.Examined(t, "Locked")
	require.Equal(t, library.Ready, listed.State)
	p, err := h.Placing.Place(t.Context(), listed.ID, placing.Start{})
	require.NoError(t, err)
	publish(t, h, p.ID)
	e, err := h.Library.CurrentEdition(t.Context(), listed.ID)
	require.NoError(t, err)
	base := "/r/" + p.Key

	reader := testkit.Browse(t, 900, 700)
	reader.Expect("/open")
	reader.Expect("403")
	reader.Do(chromedp.Navigate(h.URL + base))
	reader.Until(reader.Ctx, `document.activeElement.id === 'password'`)
	reader.Accessible(reader.Ctx, "the reader asking for a password")
	reader.Do(chromedp.KeyEvent("wrong"), chromedp.KeyEvent(kb.Enter))
	reader.Until(reader.Ctx, `document.getElementById('lock-said').textContent.includes('does not open')`)
	focusOn(t, reader, "#password")
	reader.Do(chromedp.KeyEvent(hostile.Password), chromedp.KeyEvent(kb.Enter))
	reader.Until(reader.Ctx, `!document.querySelector('.lock') && document.querySelector('#p1 > img')?.naturalWidth > 0 && document.querySelector('#p1 > img').src.startsWith('blob:')`)
	focusOn(t, reader, "#pages")
	// Who opened it can take text, look closely and print; nothing is asked of the
	// whole, since nothing of it is kept.
	reader.Until(reader.Ctx, `document.querySelector('#p1 .layer .words text')`)
	words := testkit.Eval[string](reader, reader.Ctx, `document.querySelector('#p1 .layer .words text').textContent`)
	testkit.Eval[bool](reader, reader.Ctx, `(document.getElementById('pages').focus(), true)`)
	reader.Do(chromedp.KeyEvent("a", chromedp.KeyModifiers(2)))
	var copied []string
	reader.Until(reader.Ctx, `document.getElementById('pages').classList.contains('all')`)
	patience.Until(t, func() bool {
		copied = testkit.Eval[[]string](reader, reader.Ctx, copiedNow)
		return len(copied) > 0 && strings.Contains(copied[0], strings.TrimSpace(words))
	}, "all of it is copied: %v", copied)
	reader.Do(chromedp.KeyEvent(kb.Escape))
	testkit.Eval[bool](reader, reader.Ctx, `(location.hash = '#zoom=640', true)`)
	reader.Until(reader.Ctx, `document.querySelector('#p1 .tiled img')?.naturalWidth > 0 && document.querySelector('#p1 .tiled img').src.startsWith('blob:')`)
	reader.Do(chromedp.Click(`[data-do=print]`))
	reader.Do(chromedp.Click(`#print .main`))
	reader.Until(reader.Ctx, `document.querySelector('#print .count').textContent === 'Ready to print'`)
	assert.Equal(t, "false false false", testkit.Eval[string](reader, reader.Ctx,
		`['find', 'text', 'about'].map((n) => Boolean(document.querySelector('[data-do=' + n + ']'))).join(' ')`))
	assert.False(t, testkit.Eval[bool](reader, reader.Ctx, fmt.Sprintf(`performance.getEntries().some((e) => e.name.includes(%q))`,
		hostile.Password)))

	// Without the seal, or with one that is made up, nobody gets a page.
	v := h.Visitor(t)
	for _, route := range []string{"/page/" + e.SHA256[:16] + "/1/800", "/layer/" + e.SHA256[:16] + "/1", "/links/" + e.SHA256[:16] + "/1",
		"/leaf/" + e.SHA256[:16] + "/1", "/tile/" + e.SHA256[:16] + "/1/4800/0/0", "/place/" + e.SHA256[:16] + "?name=x", "/flow/" +
			e.SHA256[:16] + "/1", "/taken/" + e.SHA256[:16] + "/1/1"} {
		status, _, _ := v.Get(base + route)
		assert.Equal(t, http.StatusUnauthorized, status, route)
	}
	status, body, _ := v.Send("POST", base+"/open", "application/json", fmt.Sprintf(`{"password":%q}`, hostile.Password))
	require.Equal(t, http.StatusOK, status)
	assert.NotContains(t, body, hostile.Password)
	tries := 0
	for range 12 {
		if status, _, _ := v.Send("POST", base+"/open", "application/json", `{"password":"guess"}`); status == http.StatusTooManyRequests {
			tries++
		}
	}
	assert.Positive(t, tries, "guessing is slowed down")

	// Nothing was kept.
	var rows string
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), `SELECT coalesce(string_agg(e::text, ' '), '') || (SELECT coalesce(string_agg(args::text, ' '), '') FROM river_job) FROM editions e`).Scan(&rows))
	assert.NotContains(t, rows, hostile.Password)
	kept := 0
	require.NoError(t, filepath.WalkDir(strings.TrimPrefix(h.Config.BlobURL, "file://"), func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && (strings.Contains(path, "/pages/") || strings.Contains(path, "/tiles/") || strings.Contains(path,
			"/layers-2/")) {
			kept++
		}
		return err
	}))
	assert.Zero(t, kept, "nothing made of a page is on disk")
}

// A new edition that asks for a password is asked for it; a wrong one is told, the right one
// leads to what can be said of it, and readers are asked once it is theirs.
func TestANewEditionThatAsksForAPassword(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "leaflet-welcome.pdf", nil)
	tab := testkit.Browse(t, 1000, 800)
	signIn(h, tab)
	file := filepath.Join(t.TempDir(), "next.pdf")
	require.NoError(t, os.WriteFile(file, hostile.Locked(), 0o600))
	tab.Expect("422")
	tab.Expect("/uploads/")
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/documents/%d", h.URL, e.DocumentID)))
	tab.Until(tab.Ctx, `document.readyState === 'complete'`)
	tab.Do(chromedp.SetUploadFiles(`#file`, []string{file}))
	asked := `document.activeElement.id === 'password' && [...document.querySelectorAll('[role=alert]')].some((a) => a.checkVisibility() && a.textContent.includes('%s'))`
	tab.Until(tab.Ctx, fmt.Sprintf(asked, "asks for a password"))
	tab.Accessible(tab.Ctx, "a new edition that asks for a password")
	tab.Do(chromedp.KeyEvent("wrong"), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, fmt.Sprintf(asked, "does not open"))
	tab.Do(chromedp.KeyEvent(hostile.Password), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `location.pathname.endsWith('/editions/2') && document.body.innerText.includes('it cannot be compared') && document.querySelector('.choose .btn-primary')`)
	tab.Do(chromedp.Click(`.choose .btn-primary`))
	tab.Until(tab.Ctx, `!location.pathname.endsWith('/turn') && document.querySelector('.editions')`)
	reader := testkit.Browse(t, 900, 700)
	reader.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	reader.Until(reader.Ctx, `document.activeElement.id === 'password'`)
	now, err := h.Library.CurrentEdition(t.Context(), e.DocumentID)
	require.NoError(t, err)
	assert.True(t, now.Locked)
}

// A document that asks for a password takes nothing from the website it stands on: the
// page stays where it is read, and the focus with it. On the stage it is asked once.
func TestAPasswordTakesNothingFromThePage(t *testing.T) {
	h := testkit.Open(t)
	d, _, err := h.Intake.ReceiveLocked(t.Context(), "locked.pdf", bytes.NewReader(hostile.Locked()), 0, hostile.Password)
	require.NoError(t, err)
	require.Equal(t, library.Ready, h.Examined(t, d.Title).State)
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	publish(t, h, p.ID)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	code, err := embed.Choice{Way: embed.Inline}.Written(setting.Default(),
		embed.Subject{Address: h.URL + "/r/" + p.Key, Title: d.Title, Pages: frame.PagesOf(e.AllSheets())})
	require.NoError(t, err)
	site := testkit.Browse(t, 900, 700)
	for name, source := range map[string]string{
		"in view":   "<h1>Visiting</h1>\n" + code + `<p style="height:3000px">Dogs stay on leads.</p>`,
		"far below": "<h1>Visiting</h1>\n" + `<p style="height:300px">Dogs stay on leads.</p>` + code + `<p style="height:3000px">And quiet.</p>`,
	} {
		require.NoError(t, h.Pages.Save("visiting", source), name)
		site.Do(chromedp.Navigate(h.Website + "/visiting"))
		inside := site.Frame(h.URL + "/r/" + p.Key)
		site.Until(inside, `document.querySelector('.lock')?.checkVisibility()`)
		assert.Equal(t, "BODY 0", testkit.Eval[string](site, site.Ctx, "`${document.activeElement.tagName} ${scrollY}`"), name)
	}

	tab := testkit.Browse(t, 1280, 800)
	onPlacement := fmt.Sprintf("%s/placements/%d", h.URL, p.ID)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(onPlacement))
	const stage = `document.getElementById('now').contentDocument`
	tab.Until(tab.Ctx, stage+`?.querySelector('.lock')?.checkVisibility()`)
	assert.Equal(t, "BODY", testkit.Eval[string](tab, tab.Ctx, `document.activeElement.tagName`))
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`((d) => { d.getElementById('password').value = %q; d.querySelector('.lock').requestSubmit(); return true; })(%s)`, hostile.Password, stage))
	const shown = stage + `?.body && 'ready' in ` + stage + `.body.dataset && !` + stage + `.querySelector('.lock') && ` + stage +
		`.querySelector('#p1 > img')?.naturalWidth > 0`
	tab.Until(tab.Ctx, shown)
	testkit.Eval[bool](tab, tab.Ctx, `(window.before = document.getElementById('now').contentDocument, true)`)
	tab.Do(chromedp.Click(`label[for=bar_place-bottom]`))
	tab.Until(tab.Ctx, `window.before !== document.getElementById('now').contentDocument && `+shown)
	tab.Do(chromedp.Navigate(onPlacement))
	tab.Until(tab.Ctx, shown)
}
