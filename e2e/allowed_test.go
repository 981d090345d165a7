package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// A website that is not allowed shows the note; on the bench it is listed, one
// press allows it, and once published it shows the document.
func TestAForbiddenWebsite(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.PatchOf(setting.Sites, []string{"https://www.harrowmere.example"})))
	publish(t, h, p.ID)
	require.NoError(t, h.Pages.Save("visiting", fmt.Sprintf(`<h1>Visiting</h1><iframe src="%s/r/%s" title="Tides" width="600" height="400" allow="fullscreen"></iframe>`, h.URL, p.Key)))
	site := testkit.Browse(t, 1280, 800)
	site.Expect("/r/" + p.Key)
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	site.Until(site.Frame(h.URL+"/r/"), `document.querySelector('h1')?.textContent === 'Not on this website' && document.images.length === 0`)

	desk := testkit.Browse(t, 1280, 800)
	signIn(h, desk)
	desk.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, p.ID)))
	desk.Until(desk.Ctx, fmt.Sprintf(`document.querySelector('.refusedsite b')?.textContent === %q`, h.Website))
	testkit.Eval[bool](desk, desk.Ctx, `(document.querySelector('.refusedsite button').click(), true)`)
	desk.Until(desk.Ctx, fmt.Sprintf(`document.getElementById('sites').value === %q && !document.querySelector('.refusedsite')`,
		"https://www.harrowmere.example, "+h.Website))
	publish(t, h, p.ID)
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	site.Until(site.Frame(h.URL+"/r/"), readerReady)
}

// A portal's page hands the element a token of its own server: a guarded
// document opens to that visitor, speaks with the page, follows it, and stays
// shut where no token is shown, however deep it is framed.
func TestAGuardedDocumentOnAPortal(t *testing.T) {
	p := paste(t)
	tab := p.tab
	d, placement := placed(t, p.House, "survey-paper.pdf")
	settings := setting.Default()
	settings.Guarded = true
	require.NoError(t, p.Placing.Redraft(t.Context(), placement.ID, 0, setting.Diff(setting.Default(), settings)))
	publish(t, p.House, placement.ID)
	require.NoError(t, p.Placing.SetRecord(t.Context(), placement.ID, "survey-14"))
	key, err := p.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	token := func(claims jwt.MapClaims) string {
		claims["exp"] = time.Now().Add(time.Minute).Unix()
		made := jwt.NewWithClaims(jwt.SigningMethodHS256, claims)
		made.Header["kid"] = fmt.Sprint(key.ID)
		out, err := made.SignedString(key.Secret)
		require.NoError(t, err)
		return out
	}
	p.on(t, heard+`<incipit-placement label="The survey" style="display:block;height:600px"></incipit-placement><script async src="`+p.URL+
		`/onpage.js"></script>`)
	tab.Until(tab.Ctx, `customElements.get('incipit-placement') && window.heard.at(-1)?.[0] === 'error'`)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('incipit-placement').openRecord('survey-14', 'page=2', %q), true)`,
		token(jwt.MapClaims{"record": "survey-14", "jti": "one"})))
	inside := tab.Frame(p.URL + "/record/survey-14/enter")
	tab.Until(inside, readerReady+` && document.getElementById('number').value === '2'`)
	tab.Until(tab.Ctx, `window.heard.some(([n]) => n === 'ready')`)
	testkit.Eval[bool](tab, inside, `(window.same = true)`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').go(1), true)`)
	tab.Until(inside, `document.getElementById('number').value === '1'`)
	assert.True(t, testkit.Eval[bool](tab, inside, `window.same === true`), "it is not loaded again, for which there is no token")
	addresses := testkit.Eval[string](tab, inside,
		`performance.getEntriesByType('resource').map((r) => r.name).join(' ') + location.href + document.documentElement.outerHTML`)
	assert.NotContains(t, addresses, "eyJ", "the token stands nowhere")
	p.still(t, "a guarded document")

	// A token that was used is worth nothing; the page can hand over another one.
	tab.Expect("403")
	tab.Expect("/enter")
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('incipit-placement').openRecord('survey-14', '', %q), true)`,
		token(jwt.MapClaims{"record": "survey-14", "jti": "one"})))
	tab.Until(tab.Frame(p.URL+"/record/"), `document.querySelector('h1')?.textContent.includes('needs an invitation')`)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('incipit-placement').open(%q, '', %q), true)`, placement.Key,
		token(jwt.MapClaims{"doc": placement.Key})))
	tab.Until(tab.Frame(p.URL+"/r/"), readerReady)
	assert.NotEmpty(t, d.Title)
}

// A website that is not allowed shows nothing, also through frames of another
// website or of ours between it and the document.
func TestFramesWithinFrames(t *testing.T) {
	p := paste(t)
	tab := p.tab
	placements, err := p.Placing.PlacementsOf(t.Context(), 1)
	require.NoError(t, err)
	require.NoError(t, p.Placing.Redraft(t.Context(), placements[0].ID, 0, setting.PatchOf(setting.Sites,
		[]string{"https://www.harrowmere.example"})))
	publish(t, p.House, placements[0].ID)
	c := collection.New("Tides")
	c.Arrangement, c.Items = collection.Chooser, []collection.Item{{Placement: placements[0].ID}}
	kept, err := p.Publishing.AddCollection(t.Context(), c)
	require.NoError(t, err)
	for _, trouble := range []string{"frame-ancestors", "/r/", "403", "ERR_BLOCKED"} {
		tab.Expect(trouble)
	}
	shows := func(frame string) {
		t.Helper()
		p.on(t, frame)
		tab.Until(tab.Ctx, `document.readyState === 'complete'`)
		text := testkit.Eval[string](tab, tab.Frame(p.URL+"/c/"),
			`document.getElementById('viewer').contentDocument?.body?.innerText ?? 'nothing'`)
		assert.NotContains(t, text, "Harrowmere")
	}
	shows(fmt.Sprintf(`<iframe src="%s/c/%s" title="x" width="800" height="600"></iframe>`, p.URL, kept.Key))
	// Through a document that the website writes itself.
	p.on(t, fmt.Sprintf(`<iframe title="x" width="800" height="600" srcdoc='<iframe src="%s" title="y" width="700" height="500"></iframe>'></iframe>`, p.address))
	tab.Until(tab.Ctx, `document.readyState === 'complete'`)
	refused, err := p.Placing.RefusedSites(t.Context(), placements[0].ID)
	require.NoError(t, err)
	require.NotEmpty(t, refused)
	assert.Equal(t, p.Website, refused[0].Origin)
	// The same on our own host is allowed: the desk shows it.
	own := testkit.Browse(t, 900, 700)
	own.Do(chromedp.Navigate(p.URL + "/c/" + kept.Key))
	own.Until(own.Ctx, `document.getElementById('viewer')?.contentDocument?.querySelector('.sheet img')?.naturalWidth > 0`)
}
