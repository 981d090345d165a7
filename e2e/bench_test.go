package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// onBench opens the bench of a demo document.
func onBench(t *testing.T, h *testkit.House, tab *testkit.Tab, file string) {
	t.Helper()
	_, p := placed(t, h, file)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset`)
}

func ctrl(p *input.DispatchKeyEventParams) { p.Modifiers |= 2 }

func TestBenchUndoesAndRefuses(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onBench(t, h, tab, "tide-table.pdf")
	step := func(n int) { t.Helper(); tab.Until(tab.Ctx, fmt.Sprintf(`document.body.dataset.revision === '%d'`, n)) }

	// By keyboard: a number is stepped with the arrows, and left with Tab.
	tab.Do(chromedp.Focus("#open_at"), chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.Tab))
	step(1)
	tab.Until(tab.Ctx, `document.getElementById('now').contentDocument.body.dataset.open === '2'`)

	// What cannot stand is said beside the field; the earlier value is kept.
	tab.Expect("422")
	tab.Do(chromedp.Focus("#width"), chromedp.KeyEvent("a", ctrl), chromedp.SendKeys("#width", "5"), chromedp.KeyEvent(kb.Tab))
	tab.Until(tab.Ctx, `document.getElementById('problem-width').textContent.includes('from 10 to 100') && document.getElementById('width').value === '100'`)

	// Radio buttons move with the arrows; undo and redo by key and button.
	tab.Do(chromedp.Focus("#align-centre"), chromedp.KeyEvent(kb.ArrowRight))
	step(2)
	tab.Until(tab.Ctx, `document.getElementById('align-right').checked && document.getElementById('held').style.margin === '0px 0px 0px auto'`)
	tab.Do(chromedp.KeyEvent("z", ctrl))
	step(3)
	tab.Until(tab.Ctx, `document.getElementById('align-centre').checked`)
	tab.Do(chromedp.Click(`[aria-label="Undo"]`))
	step(4)
	tab.Until(tab.Ctx, `document.querySelector('[aria-label="Undo"]').disabled && document.getElementById('open_at').value === '1'`)
	tab.Do(chromedp.Click(`[aria-label="Redo"]`))
	step(5)

	// A setting of its own goes back to house style.
	tab.Do(chromedp.Click(`.set.own .reset`))
	step(6)
	tab.Until(tab.Ctx, `!document.querySelector('.set.own') && document.getElementById('open_at').value === '1'`)

	// The label of a number can be dragged: four pixels a step.
	at := middle(tab, "label[for=width]")
	tab.Do(chromedp.DragAndDropXY(at[0]+20, at[1], at[0]-20, at[1]))
	tab.Until(tab.Ctx, `document.getElementById('width').value === '90'`)
	step(7)

	// The column changes the stage, not the draft.
	enter(tab, "#column", "328")
	tab.Until(tab.Ctx, `document.getElementById('column-box').style.width === '328px' && document.getElementById('held').style.width === '295px' && document.getElementById('page').value === '360'`)
	step(7)

	// A column that cannot be shown is said, and the earlier one stays.
	enter(tab, "#column", "12")
	tab.Until(tab.Ctx, `document.querySelector('.said.wide').textContent.includes('from 160 to 2400 px') && document.getElementById('column').value === '328'`)

	// Two presses that come close together are each kept.
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('tool-print').click(), document.getElementById('tool-find').click(), true)`)
	step(9)
	assert.Equal(t, "false false", testkit.Eval[string](tab, tab.Ctx,
		`['print', 'find'].map((t) => document.getElementById('tool-' + t).getAttribute('aria-pressed') ?? document.getElementById('tool-' + t).checked).join(' ')`))

	// The keys are listed on "?".
	tab.Do(chromedp.Focus(`[aria-label="Undo"]`), chromedp.KeyEvent("?"))
	tab.Until(tab.Ctx, `document.getElementById('keys').open`)
}

// middle is the middle of an element on the screen.
func middle(tab *testkit.Tab, selector string) []float64 {
	return testkit.Eval[[]float64](tab, tab.Ctx, fmt.Sprintf(`(() => { const b = document.querySelector(%q).getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2]; })()`, selector))
}

// enter types a value into a field in place of what it holds.
func enter(tab *testkit.Tab, field, value string) {
	tab.Do(chromedp.Focus(field), chromedp.KeyEvent("a", ctrl), chromedp.SendKeys(field, value+kb.Enter))
}

// The facts of a document keep coming in while it is read.
func TestBenchFollowsAnExamination(t *testing.T) {
	h := testkit.Open(t)
	h.Rest(t.Context()) // nobody examines for now
	_, e, err := h.Intake.Receive(t.Context(), "minutes.pdf", bytes.NewReader(hostile.ManyPages(40)), 0)
	require.NoError(t, err)
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.querySelector('.facts')?.textContent.includes('Still being examined: 1 of 40 pages')`)
	require.NoError(t, h.Work(t.Context()))
	tab.Until(tab.Ctx, `document.querySelector('.facts').textContent.includes('no text')`)
	tab.Until(tab.Ctx, `'ready' in (document.getElementById('now')?.contentDocument?.body?.dataset ?? {})`)
}

func TestDocumentsScreen(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	h.Add(t, "leaflet-welcome.pdf")
	signIn(h, tab)
	tab.Until(tab.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)

	// A refused file says why, and the list is as it was.
	fake := filepath.Join(t.TempDir(), "<b>tides<\u200b.pdf")
	require.NoError(t, os.WriteFile(fake, hostile.HTML(), 0o644))
	tab.Expect("422")
	tab.Do(chromedp.SetUploadFiles("#file", []string{fake}))
	tab.Until(tab.Ctx, `document.querySelector('.uploads .refused .ustate')`)
	assert.Equal(t, "The file does not begin like a PDF. Nothing was kept. Save or export it as PDF first.",
		testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.uploads .refused .ustate').textContent`))
	assert.EqualValues(t, 1, testkit.Eval[float64](tab, tab.Ctx, `document.querySelectorAll('.docs tbody tr').length`))

	// So it is for a large one, which is refused before it has been sent, and
	// for one above the limit.
	for content, want := range map[string]string{"no PDF at all": "does not begin like a PDF",
		"%PDF-1.7 and far too much": "larger than 20 MB"} {
		h.Intake.MaxBytes = 20 << 20
		large := filepath.Join(t.TempDir(), "large.pdf")
		require.NoError(t, os.WriteFile(large, append([]byte(content), make([]byte, 60<<20)...), 0o644))
		if content == "no PDF at all" {
			require.NoError(t, os.Truncate(large, 19<<20))
		}
		tab.Do(chromedp.SetUploadFiles("#file", []string{large}))
		tab.Until(tab.Ctx, fmt.Sprintf(`[...document.querySelectorAll('.uploads li.refused .ustate')].some((u) => u.textContent.includes(%q))`, want))
	}

	// Rename in place.
	tab.Do(chromedp.Click(`[data-rename]`), chromedp.KeyEvent("a", ctrl), chromedp.SendKeys(".retitle", "A <i>welcome</i>"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.dtitle')?.textContent === 'A <i>welcome</i>'`)

	// Remove, and think better of it; then for good.
	remove := func() {
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('[data-remove]').click(), true)`)
		tab.Until(tab.Ctx, `!document.querySelector('.docs tbody tr') && document.querySelector('.toastline').textContent.includes('welcome')`)
	}
	remove()
	tab.Do(chromedp.Click(`#undo`))
	tab.Until(tab.Ctx, `document.querySelector('.docs tbody tr') && document.querySelector('.toastline').textContent.includes('Undone')`)
	remove()
	all, err := h.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, all)
	// For good is after 30 days: until then it can be put back from its own list.
	tab.Do(chromedp.Navigate(h.URL + "/documents/removed"))
	tab.Accessible(tab.Ctx, "what was removed")
	tab.Do(chromedp.Click(`.acts button`))
	tab.Until(tab.Ctx, `document.querySelector('.dossier h1')?.textContent === 'A <i>welcome</i>'`)
}

// House style is thought of first: what a change does is told, then it is
// applied to drafts, or at once, or dropped.
func TestHouseStyleScreen(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	_, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/house-style"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.sample .drawn').length === 4`)
	house := func() setting.Settings {
		s, err := h.Placing.HouseStyle(t.Context())
		require.NoError(t, err)
		return s
	}
	before := testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.sample figcaption').textContent`)
	press := func(selector string) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector(%q).click(), true)`, selector))
	}
	press("#toolbar-off")
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('.sample figcaption').textContent !== %q && document.querySelector('.tools').disabled && document.querySelector('.effects').textContent.includes('Tide and hide access table')`, before))
	assert.True(t, house().Toolbar, "nothing is applied yet")
	tab.Do(chromedp.Click(`[aria-label="Undo"]`))
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('.sample figcaption').textContent === %q && document.querySelector('.thought').style.display === 'none'`, before))

	press("#flow-turn")
	tab.Until(tab.Ctx, `document.querySelector('.effects .turn.better')?.textContent.includes('A scroll inside a scroll')`)
	press("#dropIt")
	tab.Until(tab.Ctx, `document.getElementById('flow-down').checked && document.querySelector('.thought').style.display === 'none'`)
	press("#flow-turn")
	tab.Until(tab.Ctx, `document.getElementById('atOnce').textContent === 'Apply and publish 1 placement'`)
	press("#toDrafts")
	tab.Until(tab.Ctx, `document.querySelector('[role=status]').textContent.includes('Drafts follow now')`)
	assert.Equal(t, setting.Turn, house().Flow)
	seen := func() setting.Settings {
		p, err := h.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		v, err := h.Placing.PublishedVersion(t.Context(), p)
		require.NoError(t, err)
		return v.Settings
	}
	assert.Equal(t, setting.Down, seen().Flow)
	press("#download-no")
	tab.Until(tab.Ctx, `document.querySelectorAll('.effects li').length === 1`)
	tab.Expect("422")
	press("#atOnce")
	tab.Until(tab.Ctx, `document.getElementById('musts').open`)
	press("#anyway")
	tab.Until(tab.Ctx, `document.querySelector('[role=status]').textContent.includes('1 placement was published')`)
	assert.False(t, seen().Download)
	assert.Equal(t, setting.Down, seen().Flow, "what was applied to drafts alone stays unseen")

	// The budget and the websites.
	enter(tab, "#budget", "50")
	tab.Until(tab.Ctx, `document.querySelector('[role=status]').textContent.includes('Proofs go by it')`)
	press("#addSite")
	tab.Until(tab.Ctx, `document.querySelectorAll('.sites tbody tr').length === 2`)
	tab.Expect("422")
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const f = document.querySelectorAll('.sites .name input')[1]; f.value = 'Website'; return f.dispatchEvent(new Event('change')); })()`)
	tab.Until(tab.Ctx, `document.querySelector('.said.wide').textContent.includes('two websites named')`)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const f = document.querySelectorAll('.sites input[aria-label="Widest column"]')[1]; f.value = '704'; return f.dispatchEvent(new Event('change')); })()`)
	patience.Until(t, func() bool {
		stored, err := h.Placing.House(t.Context())
		return err == nil && stored.Terms.Budget == 50_000 && len(stored.Sites) == 2 && stored.Sites[1].Column == 704
	})
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d?site=1", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('column')?.value === '704' && document.querySelector('#gloss-load')?.classList.contains('care')`)
}

// Publish counts what was written a moment before, also where readers saw all
// there was until then: the press that ends the writing is not lost.
func TestPublishRightAfterWriting(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onBench(t, h, tab, "leaflet-welcome.pdf")
	tab.Do(chromedp.Click("#publish"))
	tab.Until(tab.Ctx, `document.getElementById('publish').ariaDisabled === 'true'`)
	for i, width := range []string{"80", "70"} {
		tab.Do(chromedp.Focus("#width"), chromedp.KeyEvent("a", ctrl), chromedp.SendKeys("#width", width), chromedp.Click("#publish"))
		kept := `document.getElementById('publish').ariaDisabled === 'true' && document.body.dataset.revision === '` + fmt.Sprint(i+1) + `'`
		// So narrow, its type is asked about on a phone.
		tab.Until(tab.Ctx, `document.getElementById('musts').open || `+kept)
		testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('musts').open && document.getElementById('anyway').click(), true)`)
		tab.Until(tab.Ctx, kept)
		p, err := h.Placing.Placement(t.Context(), 1)
		require.NoError(t, err)
		live, err := h.Placing.PublishedVersion(t.Context(), p)
		require.NoError(t, err)
		assert.Equal(t, width, setting.Number(live.Settings.Width.Value))
	}
}

// On a phone no screen of the desk moves sideways.
func TestTheDeskFitsAPhone(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "leaflet-welcome.pdf")
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 390, 844)
	signIn(h, tab)
	for _, path := range []string{"/documents", "/placements", fmt.Sprintf("/placements/%d", p.ID),
		fmt.Sprintf("/placements/%d/starters", p.ID), fmt.Sprintf("/placements/%d/ways", p.ID), "/check", "/house-style", "/collections",
		"/web-pages", "/signing-keys"} {
		tab.Do(chromedp.Navigate(h.URL + path))
		tab.Until(tab.Ctx, `document.readyState === 'complete' && document.fonts.status === 'loaded'`)
		assert.LessOrEqual(t, testkit.Eval[float64](tab, tab.Ctx, `document.documentElement.scrollWidth - innerWidth`), 0.0, path)
	}
}
