package e2e

import (
	"net/http"
	"regexp"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
)

// Editors see where they are signed in, end it elsewhere, and change their
// password; what has ended goes on nowhere.
func TestTheAccount(t *testing.T) {
	h := testkit.Open(t)
	elsewhere, third := h.Editor(t), h.Editor(t)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Do(chromedp.Click(".disc"))
	tab.Until(tab.Ctx, `document.querySelector('h1').textContent === 'Your account' && document.querySelectorAll('.docs tbody tr').length === 3`)
	tab.Accessible(tab.Ctx, "the account")
	assert.Equal(t, 1, testkit.Eval[int](tab, tab.Ctx, `[...document.querySelectorAll('.docs .acts')].filter((a) => a.textContent.includes('this one')).length`))
	// The one that was begun last is listed first, behind this one.
	tab.Do(chromedp.Click(`.docs tbody tr:last-child button`))
	tab.Until(tab.Ctx, `document.querySelector('.said.ok')?.textContent === 'That sign-in has ended.' && document.querySelectorAll('.docs tbody tr').length === 2`)
	first, _, _ := elsewhere.Get("/documents/rows")
	second, _, _ := third.Get("/documents/rows")
	assert.ElementsMatch(t, []int{http.StatusOK, http.StatusUnauthorized}, []int{first, second})

	fill := func(present, password string) {
		tab.Do(chromedp.SendKeys("#present", present), chromedp.SendKeys("#password", password),
			chromedp.Click(`form[action="/account/password"] button`))
	}
	tab.Expect("422")
	fill("not the present one", "another-one-for-the-scrape")
	tab.Until(tab.Ctx, `document.querySelector('[role=alert]')?.textContent.includes('The present password is another one. Nothing was changed.') && document.activeElement.id === 'present'`)
	fill(demo.Password, "another-one-for-the-scrape")
	tab.Until(tab.Ctx, `document.querySelector('.said.ok')?.textContent.startsWith('Your password is a new one') && document.querySelectorAll('.docs tbody tr').length === 1`)
	for _, c := range []*testkit.Client{elsewhere, third} {
		status, _, _ := c.Get("/documents/rows")
		assert.Equal(t, http.StatusUnauthorized, status, "everywhere else it has ended")
	}
	tab.Do(chromedp.Click(`.leave button`))
	tab.Until(tab.Ctx, `document.getElementById('email')`)
	tab.Do(chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", "another-one-for-the-scrape"),
		chromedp.Click(".btn-primary"))
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
}

// A one-time address leads to a password, and in.
func TestAOneTimeAddress(t *testing.T) {
	h := testkit.Open(t)
	token, err := h.Accounts.Add(t.Context(), "A volunteer", "volunteer@harrowmere.example")
	assert.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	tab.Do(chromedp.Navigate(h.URL + "/new-password/" + token))
	tab.Until(tab.Ctx, `document.activeElement.id === 'password'`)
	tab.Accessible(tab.Ctx, "a new password")
	tab.Do(chromedp.SendKeys("#password", "a password for the northern hide"), chromedp.Click(".btn-primary"))
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
	tab.Expect("404")
	tab.Do(chromedp.Navigate(h.URL + "/new-password/" + token))
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Nothing here'`)
}

// Every kind of page has our icon, and the browser that asks for one by itself
// gets it: of the stand-in, too.
func TestIcons(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "tide-table.pdf", nil)
	v := h.Visitor(t)
	icon := regexp.MustCompile(`<link rel="icon"[^>]* href="([^"]+)"`)
	for _, path := range []string{"/sign-in", "/r/" + p.Key, "/r/" + p.Key + "/plain", "/r/nobodynobodynobodyno", "/pages/nothing"} {
		_, body, _ := v.Get(path)
		found := icon.FindAllStringSubmatch(body, -1)
		assert.NotEmpty(t, found, path)
		for _, f := range found {
			status, _, header := v.Get(f[1])
			assert.Equal(t, http.StatusOK, status, f[1])
			assert.Contains(t, header.Get("Content-Type"), "image/", f[1])
		}
	}
	status, body, header := v.Get("/favicon.ico")
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "image/x-icon", header.Get("Content-Type"))
	assert.Equal(t, "\x00\x00\x01\x00", body[:4])
	answer, err := http.Get(h.Website + "/favicon.ico")
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, http.StatusOK, answer.StatusCode)
}
