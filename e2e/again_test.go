package e2e

import (
	"fmt"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/collection"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// signedOut ends every session of the demo's editor, as if their time were over.
func signedOut(t *testing.T, h *testkit.House) {
	t.Helper()
	_, err := h.DB.Pool.Exec(t.Context(), "DELETE FROM sessions")
	require.NoError(t, err)
}

// The session ends while an editor works: whoever has script signs in on the same screen and
// what they did goes on, on every screen that keeps by itself; whoever has none finds the
// form again behind the sign-in.
func TestASessionEndsWhileSomebodyTypes(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "tide-table.pdf")
	c, err := h.Publishing.AddCollection(t.Context(), collection.New("Surveys"))
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	tab.Expect("401")
	tab.Expect("422")
	tab.Expect("404") // of the stage, which is for editors
	signIn(h, tab)
	enter := func(password string) {
		tab.Until(tab.Ctx, `document.querySelector('dialog.enter')?.open && document.activeElement.id === 'enterEmail'`)
		tab.Do(chromedp.SetValue("#enterEmail", demo.Email), chromedp.SetValue("#enterPassword", password), chromedp.Click("dialog.enter [type=submit]"))
	}
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.readyState === 'complete' && document.querySelector('#stage') !== undefined && document.querySelector('input[type=checkbox]')`)
	signedOut(t, h)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const b = [...document.querySelectorAll('input[type=checkbox]')].find((b) => b.checkVisibility()); b.click(); return true; })()`)
	enter("not the password at all")
	tab.Until(tab.Ctx, `document.querySelector('dialog.enter [role=alert]').textContent.includes('do not go together')`)
	if dir := os.Getenv("INCIPIT_LOOK"); dir != "" {
		tab.Shot(dir + "/session.png")
	}
	enterAgain := func() {
		tab.Do(chromedp.SetValue("#enterPassword", demo.Password), chromedp.Click("dialog.enter [type=submit]"))
		tab.Until(tab.Ctx, `!document.querySelector('dialog.enter')`)
	}
	enterAgain()
	patience.Until(t, func() bool {
		now, err := h.Placing.Placement(t.Context(), p.ID)
		return err == nil && now.Step > p.Step
	}, "the change is kept")

	// A collection keeps by itself as well.
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/collections/%d", h.URL, c.ID)))
	tab.Until(tab.Ctx, `document.readyState === 'complete' && document.querySelector('main input[type=text], main input:not([type])')`)
	signedOut(t, h)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const f = [...document.querySelectorAll('main input')].find((i) => i.value === 'Surveys'); f.focus(); f.value = 'Surveys and counts'; f.dispatchEvent(new Event('input', { bubbles: true })); f.dispatchEvent(new Event('change', { bubbles: true })); return true; })()`)
	enter(demo.Password)
	patience.Until(t, func() bool {
		now, err := h.Publishing.Collection(t.Context(), c.ID)
		return err == nil && now.Content.Name == "Surveys and counts"
	}, "its name is kept")

	plain := testkit.BrowseWithoutScript(t, 1280, 800)
	plain.Expect("401")
	plain.Do(chromedp.Navigate(h.URL+"/"), chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password), chromedp.Click(".btn-primary"), chromedp.WaitVisible(`form[action="/sign-out"]`))
	for n, said := range []string{"Counted by the wardens each Saturday of the winter, from the sea wall.", "Counted from the hide."} {
		plain.Do(chromedp.Navigate(fmt.Sprintf("%s/documents/%d/said", h.URL, d.ID)))
		plain.Do(chromedp.SetValue("[name=description]", said))
		signedOut(t, h)
		plain.Do(chromedp.Click("form[method=post] [type=submit].btn-primary"))
		plain.Do(chromedp.WaitVisible("#password"))
		if dir := os.Getenv("INCIPIT_LOOK"); dir != "" && n == 0 {
			plain.Shot(dir + "/ended.png")
		}
		plain.Do(chromedp.SetValue("#email", demo.Email), chromedp.SetValue("#password", demo.Password), chromedp.Click(".btn-primary"))
		plain.Do(chromedp.WaitVisible(".again .btn-primary"))
		if dir := os.Getenv("INCIPIT_LOOK"); dir != "" && n == 0 {
			plain.Shot(dir + "/again.png")
		}
		plain.Do(chromedp.Click(".again .btn-primary"))
		plain.Do(chromedp.WaitVisible(".mendform"))
		patience.Until(t, func() bool {
			now, err := h.Library.Document(t.Context(), d.ID)
			return err == nil && now.Description == said
		}, "it is kept")
	}
	assert.NotEmpty(t, d.Title)
}
