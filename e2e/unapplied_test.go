package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// inSight says that a control is where somebody sees and reaches it.
const inSight = `((e) => { const b = e.getBoundingClientRect(); const top = document.elementFromPoint(b.x + b.width / 2, b.y + b.height / 2);
	return b.height > 0 && (e === top || e.contains(top)); })(document.getElementById(%q))`

// pressed has what is laid out anew while it is drawn pressed, wherever it stands just then.
func pressed(tab *testkit.Tab, selector string) {
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector(%q).click(), true)`, selector))
}

// A change of house style that was not applied stays in sight wherever one scrolls, and is
// asked about when one leaves; what readers would have to bear is asked about once, for all.
func TestAChangeThatWasNotApplied(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "spring-notes.pdf")
	h.Measured(t, d.ID)
	publish(t, h, p.ID)
	for _, size := range [][2]int64{{1280, 800}, {390, 844}} {
		tab := testkit.Browse(t, size[0], size[1])
		asked := make(chan bool, 1) // and the answer was taken
		answers := make(chan bool, 1)
		require.NoError(t, chromedp.Listen(tab.Ctx, func(event any) {
			if _, is := event.(*page.EventJavascriptDialogOpening); is {
				go func() {
					_, err := chromedp.Call(tab.Ctx, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: <-answers})
					asked <- err == nil
				}()
			}
		}))
		signIn(h, tab)
		tab.Do(chromedp.Navigate(h.URL + "/house-style"))
		tab.Until(tab.Ctx, `document.querySelectorAll('.sample .drawn').length === 4`)
		assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `document.querySelector('.pending').checkVisibility()`))
		enter(tab, "#min_width", "400")
		for _, to := range []string{"0", "document.body.scrollHeight / 2", "document.body.scrollHeight"} {
			tab.Until(tab.Ctx, `document.querySelector('.pending').checkVisibility()`)
			testkit.Eval[bool](tab, tab.Ctx, `(scrollTo(0, `+to+`), true)`)
			for _, id := range []string{"toDrafts", "atOnce", "dropIt"} {
				tab.Until(tab.Ctx, fmt.Sprintf(inSight, id))
			}
		}

		// Leaving is asked about, and staying keeps what was thought of.
		answers <- false
		pressed(tab, ".brand")
		assert.True(t, <-asked)
		tab.Until(tab.Ctx, `location.pathname === '/house-style' && document.getElementById('min_width').value === '400'`)

		// What readers would have to bear is asked about; nothing is done before the answer.
		tab.Expect("422")
		pressed(tab, "#atOnce")
		tab.Until(tab.Ctx, `document.getElementById('musts').open && document.activeElement.textContent === 'Not yet'`)
		assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.getElementById('musts').innerText`), "The frame sticks out")
		pressed(tab, "#musts .btn-primary")
		tab.Until(tab.Ctx, `!document.getElementById('musts').open && document.getElementById('toDrafts').checkVisibility()`)
		house, err := h.Placing.HouseStyle(t.Context())
		require.NoError(t, err)
		assert.Equal(t, setting.Default().LeastWidth, house.LeastWidth)

		answers <- true
		pressed(tab, ".brand")
		assert.True(t, <-asked)
		tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
	}

	// Published all the same; and where nothing waits, nobody is asked.
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/house-style"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.sample .drawn').length === 4`)
	enter(tab, "#min_width", "400")
	tab.Until(tab.Ctx, `document.querySelector('.pending').checkVisibility()`)
	tab.Expect("422")
	pressed(tab, "#atOnce")
	tab.Until(tab.Ctx, `document.getElementById('musts').open`)
	pressed(tab, "#anyway")
	tab.Until(tab.Ctx, `document.querySelector('[role=status]').textContent.includes('1 placement was published') && !document.querySelector('.pending').checkVisibility()`)
	pressed(tab, ".brand")
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
}

// Many are published after one question about all that has to be fixed.
func TestManyArePublishedAfterOneQuestion(t *testing.T) {
	h := testkit.Open(t)
	for _, name := range []string{"spring-notes.pdf", "leaflet-welcome.pdf"} {
		d, p := placed(t, h, name)
		h.Measured(t, d.ID)
		require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, p.Step, setting.PatchOf(setting.LeastWidth, 400.0)))
	}
	seen := func() (n int) {
		all, err := h.Library.Documents(t.Context(), "")
		require.NoError(t, err)
		for _, d := range all {
			placements, err := h.Placing.PlacementsOf(t.Context(), d.ID)
			require.NoError(t, err)
			for _, p := range placements {
				if p.Published != nil {
					n++
				}
			}
		}
		return n
	}
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	pressed(tab, "[data-every]")
	tab.Until(tab.Ctx, `document.querySelector('.together').checkVisibility()`)
	const publishes = "#publishchosen"
	tab.Expect("422")
	pressed(tab, publishes)
	tab.Until(tab.Ctx, `document.getElementById('musts').open && document.activeElement.textContent === 'Not yet'`)
	assert.Equal(t, 2, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('#musts li').length`))
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.getElementById('musts').innerText`), "The frame sticks out")
	pressed(tab, "#musts .btn-primary")
	tab.Until(tab.Ctx, `!document.getElementById('musts').open`)
	assert.Zero(t, seen())
	pressed(tab, publishes)
	tab.Until(tab.Ctx, `document.getElementById('musts').open`)
	pressed(tab, "#anyway")
	tab.Until(tab.Ctx, `document.querySelector('.toastline').innerText.includes('2 documents published')`)
	assert.Equal(t, 2, seen())
}
