package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/heapprofiler"
	"github.com/chromedp/chromedp"
	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/embed"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// told notes every event of ours, with all that is in its detail.
const told = `<script>window.told = []; for (const name of ['ready', 'page', 'end', 'error', 'download', 'chosen', 'token']) document.addEventListener('incipit-' + name, (e) => window.told.push(name + ' ' + JSON.stringify(e.detail)));</script>`

const (
	theElement = `document.querySelector('incipit-placement')`
	itsFrame   = theElement + `?.shadowRoot?.querySelector('iframe')`
)

func placementTag(p pasted, attributes, inside string) string {
	return fmt.Sprintf(`<incipit-placement of="%s" style="display:block;height:500px" %s>%s</incipit-placement><script async src="%s/onpage.js"></script>`, p.address, attributes, inside, p.URL)
}

// Events come in order, each once, with what is documented and nothing else; the end
// of a document is told once; what can be read of the element is what is read.
func TestTheElementTells(t *testing.T) {
	p := paste(t)
	tab := p.tab
	p.on(t, told+placementTag(p, `starts="now"`, `<p>Tides, as text</p>`))
	tab.Until(tab.Ctx, `window.told.length >= 2`)
	element := testkit.Eval[string](tab, tab.Ctx, `(() => { const e = `+theElement+
		`; return [e.page, e.count, e.name, e.children.length, e.textContent, e.attributes.length].join('|'); })()`)
	assert.Equal(t, "1|2|Tide and hide access table|1|Tides, as text|3", element, "nothing inside it was touched")
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.go(2), `+theElement+`.go(2), true)`)
	tab.Until(tab.Ctx, `window.told.at(-1).startsWith('end')`)
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.go('page=1'), true)`)
	tab.Until(tab.Ctx, theElement+`.page === 1`)
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.go(2), true)`)
	tab.Until(tab.Ctx, theElement+`.page === 2`)
	assert.Equal(t, []string{
		`ready {"pages":2,"name":"Tide and hide access table"}`, `page {"page":1,"of":2,"label":"1"}`, `page {"page":2,"of":2,"label":"2"}`,
		`end {"page":2,"of":2,"label":"2"}`,
		`page {"page":1,"of":2,"label":"1"}`, `page {"page":2,"of":2,"label":"2"}`,
	}, testkit.Eval[[]string](tab, tab.Ctx, `window.told`))
	past := testkit.Eval[int](tab, tab.Ctx, `history.length`)
	inside := tab.Frame(p.URL + "/r/")
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.find('Neap'), true)`)
	tab.Until(inside, `document.getElementById('words-find')?.value === 'Neap'`)
	testkit.Eval[bool](tab, inside, `(document.querySelector('#find .shut').click(), true)`)
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.find('Neap'), `+theElement+`.zoom(150), true)`)
	tab.Until(inside, `document.getElementById('words-find')?.value === 'Neap' && document.getElementById('zoom').textContent.startsWith('150')`)
	assert.Equal(t, past, testkit.Eval[int](tab, tab.Ctx, `history.length`), "what a page asks for makes no steps")

	// A document of one page has its end.
	_, leaflet := placed(t, p.House, "survey-form.pdf")
	publish(t, p.House, leaflet.ID)
	e, err := p.Placing.Placement(t.Context(), leaflet.ID)
	require.NoError(t, err)
	edition, err := p.Library.CurrentEdition(t.Context(), e.DocumentID)
	require.NoError(t, err)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(window.told.length = 0, %s.open(%q, 'page=%d'), true)`, theElement, leaflet.Key,
		edition.Pages))
	tab.Until(tab.Ctx, `window.told.at(-1)?.startsWith('end')`)
	tab.Until(tab.Ctx, itsFrame+`.title === `+theElement+`.name`)

	// Its name follows.
	testkit.Eval[bool](tab, tab.Ctx, `(`+theElement+`.setAttribute('label', 'The form'), true)`)
	tab.Until(tab.Ctx, itsFrame+`.title === 'The form'`)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const e = %s; window.was = e.shadowRoot.querySelector('iframe'); e.setAttribute('label', 'Tides'); e.setAttribute('at', 'page=2'); e.setAttribute('of', %q); return true; })()`, theElement, p.address))
	tab.Until(tab.Ctx, itsFrame+` !== window.was && `+itsFrame+`.title === 'Tides' && `+theElement+`.page === 2`)
	// Through a shadow root of the page's own.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { window.told.length = 0; const box = document.body.appendChild(document.createElement('div')); box.attachShadow({ mode: 'open' }).innerHTML = '<incipit-placement of="%s" starts="now" style="height:300px"></incipit-placement>'; return true; })()`, p.address))
	tab.Until(tab.Ctx, `window.told.some((e) => e.startsWith('ready'))`)
}

// Whatever keeps a document from showing is told with its reason, also at the first
// opening, and readers see what happened.
func TestTheElementTellsWhatFailed(t *testing.T) {
	p := paste(t)
	tab := p.tab
	for _, trouble := range []string{"/r/", "404", "403", "/record/", "/enter", "ERR_", "frame-ancestors"} {
		tab.Expect(trouble)
	}
	_, guarded := placed(t, p.House, "survey-paper.pdf")
	require.NoError(t, p.Placing.Redraft(t.Context(), guarded.ID, 0, setting.PatchOf(setting.Guarded, true)))
	publish(t, p.House, guarded.ID)
	_, elsewhere := placed(t, p.House, "leaflet-welcome.pdf")
	require.NoError(t, p.Placing.Redraft(t.Context(), elsewhere.ID, 0, setting.PatchOf(setting.Sites,
		[]string{"https://www.harrowmere.example"})))
	publish(t, p.House, elsewhere.ID)
	require.NoError(t, p.Placing.SetRecord(t.Context(), elsewhere.ID, "leaflet"))
	placements, err := p.Placing.PlacementsOf(t.Context(), 1)
	require.NoError(t, err)
	require.NoError(t, p.Placing.SetRecord(t.Context(), placements[0].ID, "tides"))
	for _, c := range []struct{ attributes, reason string }{
		{`of="` + p.URL + `/r/nonenonenonenonenone"`, "not-found"},
		{`of="https://elsewhere.example/r/nonenonenonenonenone"`, "address"},
		{`of="` + p.URL + "/r/" + guarded.Key + `"`, "token"},
		{`of="` + p.URL + "/r/" + elsewhere.Key + `"`, "website"},
		{`record="nobody"`, "record"},
	} {
		p.on(t, told+`<incipit-placement `+c.attributes+` starts="now" style="display:block;height:300px"></incipit-placement><script async src="`+p.URL+`/onpage.js"></script>`)
		tab.Until(tab.Ctx, `window.told.length > 0`)
		assert.Equal(t, []string{fmt.Sprintf(`error {"reason":%q}`, c.reason)}, testkit.Eval[[]string](tab, tab.Ctx, `window.told`), c.attributes)
	}
	known := func(record string) bool {
		return testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`customElements.get('incipit-placement').has(%q)`, record))
	}
	assert.True(t, known("tides"))
	assert.False(t, known("leaflet"), "not on this website")
	assert.False(t, known("nobody"))
}

// A token that ends is asked for in time; without another one readers are told, and
// with one they read on where they were.
func TestATokenThatEnds(t *testing.T) {
	t.Parallel() // it waits more than it works
	p := paste(t)
	tab := p.tab
	_, guarded := placed(t, p.House, "volunteer-handbook.pdf")
	require.NoError(t, p.Placing.Redraft(t.Context(), guarded.ID, 0, setting.PatchOf(setting.Guarded, true)))
	publish(t, p.House, guarded.ID)
	key, err := p.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	token := func(lasts time.Duration) string {
		made := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"doc": guarded.Key, "exp": time.Now().Add(lasts).Unix()})
		made.Header["kid"] = fmt.Sprint(key.ID)
		out, err := made.SignedString(key.Secret)
		require.NoError(t, err)
		return out
	}
	tab.Expect("/r/")
	tab.Expect("403")
	p.on(t, told+`<script src="`+p.URL+`/onpage.js"></script><div id="one"></div><div id="two"></div>`)
	// An element is told what to show before it stands anywhere.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const e = document.createElement('incipit-placement'); e.style.cssText = 'display:block;height:500px'; e.open(%q, 'page=9', %q); document.getElementById('one').append(e); return true; })()`, guarded.Key, token(12*time.Second)))
	tab.Until(tab.Ctx, theElement+`.page === 9`)
	// Moved, it keeps its place and what its token opened.
	testkit.Eval[bool](tab, tab.Ctx, `(window.was = `+itsFrame+`, document.getElementById('two').append(`+theElement+`), true)`)
	tab.Until(tab.Ctx, theElement+`.page === 9 && `+itsFrame+` !== window.was`)
	tab.Until(tab.Frame(p.URL+"/r/"+guarded.Key+"~"), readerReady)
	tab.Until(tab.Ctx, `window.told.some((e) => e.startsWith('token {"seconds":'))`)
	tab.Until(tab.Ctx, `window.told.some((e) => e === 'error {"reason":"token-ended"}')`)
	tab.Until(tab.Frame(p.URL+"/r/"+guarded.Key+"~"), `document.getElementById('note-ended')?.textContent.includes('Your access has ended')`)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(window.told.length = 0, %s.renew(%q), true)`, theElement, token(time.Minute)))
	tab.Until(tab.Ctx, `window.told.some((e) => e.startsWith('page {"page":9,'))`)
	// Over the page, with a token, too.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(window.told.length = 0, customElements.get('incipit-placement').over(%q, 'page=3', %q, 'The handbook'))`, guarded.Key, token(time.Minute)))
	tab.Until(tab.Ctx, fmt.Sprintf(`window.told.some((e) => e.startsWith('page {"page":3,') && e.includes('"key":%q'))`, guarded.Key))
}

// A viewer that follows is as tall as its page, from the first one on and when its
// column changes.
func TestAHeightThatFollows(t *testing.T) {
	p := paste(t)
	tab := p.tab
	p.on(t, `<div id="column" style="width:700px">`+p.code(embed.Choice{Way: embed.Element, Starts: embed.Now, Follow: true})+`</div>`)
	fits := func() {
		t.Helper()
		tab.Until(tab.Frame(p.URL+"/r/"), readerReady)
		// All of page 1, and none of the next.
		tab.Until(tab.Frame(p.URL+"/r/"), `(() => { const p = document.getElementById('pages').getBoundingClientRect(); const s = document.getElementById('p1').getBoundingClientRect(); return s.bottom <= p.bottom && p.bottom - s.bottom < 20; })()`)
	}
	fits()
	tall := testkit.Eval[float64](tab, tab.Ctx, theElement+`.offsetHeight`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('column').style.width = '500px', true)`)
	tab.Until(tab.Ctx, fmt.Sprintf(`%s.offsetHeight < %v - 60`, theElement, tall))
	fits()
}

// A framework that renders, renders again, hydrates and takes away finds its own tree
// as it left it, and what is taken away is garbage.
func TestInsideAFramework(t *testing.T) {
	p := paste(t)
	tab := p.tab
	scripts := ""
	for _, name := range []string{"react.production.min.js", "react-dom.production.min.js",
		"react-dom-server-legacy.browser.production.min.js"} {
		b, err := os.ReadFile(filepath.Join("testdata", "react", name))
		require.NoError(t, err)
		scripts += "<script>" + strings.ReplaceAll(string(b), "</script", "<\\/script") + "</script>\n"
	}
	p.on(t, told+scripts+`<div id="app"></div><div id="served"></div><script src="`+p.URL+`/onpage.js"></script>
<script>
window.faults = [];
addEventListener('error', (e) => window.faults.push(e.message));
const h = React.createElement;
window.view = ({ n, label }) => h('main', null, h('incipit-placement', { of: '`+p.address+`', label, starts: 'now', style: { display: 'block', height: '300px' } }, n % 2 ? h('a', { href: '`+p.address+`' }, 'Tides ' + n) : null, n > 1 ? h('p', null, 'more') : null), h('p', { id: 'n' }, String(n)));
window.app = ReactDOM.createRoot(document.getElementById('app'));
window.render = (n, label = 'Tides') => ReactDOM.flushSync(() => app.render(h(view, { n, label })));
</script>`)
	testkit.Eval[bool](tab, tab.Ctx, `(render(1), true)`)
	tab.Until(tab.Ctx, `window.told.some((e) => e.startsWith('ready'))`)
	testkit.Eval[bool](tab, tab.Ctx, `(window.was = `+itsFrame+`, render(2), render(3), render(4, 'Low water'), render(5, 'Low water'), true)`)
	assert.Equal(t, "5", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('n').textContent`))
	tab.Until(tab.Ctx, itsFrame+`=== window.was && window.was.title === 'Low water'`)
	testkit.Eval[bool](tab, tab.Ctx, `(ReactDOM.flushSync(() => app.render(null)), true)`)
	assert.Zero(t, testkit.Eval[int](tab, tab.Ctx, `document.getElementById('app').childNodes.length`))
	// Served by the framework's server, filled by us, hydrated then.
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('served').innerHTML = ReactDOMServer.renderToString(h(view, { n: 3, label: 'Tides' })), true)`)
	tab.Until(tab.Ctx, `document.querySelector('#served incipit-placement').count === 2`)
	testkit.Eval[bool](tab, tab.Ctx, `(ReactDOM.hydrateRoot(document.getElementById('served'), h(view, { n: 3, label: 'Tides' }), { onRecoverableError: (e) => window.faults.push(String(e)) }), true)`)
	testkit.Eval[bool](tab, tab.Ctx, `new Promise((r) => requestIdleCallback(() => r(true)))`)
	assert.Empty(t, testkit.Eval[[]string](tab, tab.Ctx, `window.faults`))
	assert.Equal(t, 2, testkit.Eval[int](tab, tab.Ctx, `document.querySelector('#served incipit-placement').count`), "it goes on where it was")

	// A hundred that came and went are gone.
	testkit.Eval[bool](tab, tab.Ctx, `(async () => { window.refs = []; for (let i = 0; i < 100; i++) { render(i); refs.push(new WeakRef(document.querySelector('#app incipit-placement')), new WeakRef(document.querySelector('#app incipit-placement').shadowRoot.querySelector('iframe'))); ReactDOM.flushSync(() => app.render(null)); if (i % 10 === 9) await new Promise((r) => setTimeout(r)); } return true; })()`)
	patience.Until(t, func() bool {
		_, err := chromedp.Call(tab.Ctx, heapprofiler.CollectGarbage, cdp.Empty{})
		require.NoError(t, err)
		return testkit.Eval[int](tab, tab.Ctx, `window.refs.filter((r) => r.deref()).length`) <= 2 // React keeps the last it rendered
	}, "%d are alive", testkit.Eval[int](tab, tab.Ctx, `window.refs.filter((r) => r.deref()).length`))
}

// The script is also a module, and one copy serves the addresses of two hosts.
func TestTheScriptAsAModule(t *testing.T) {
	p := paste(t)
	p.on(t, told+`<incipit-placement of="`+strings.TrimPrefix(p.address, p.URL+"/r/")+
		`" starts="now" style="display:block;height:300px"></incipit-placement><script type="module" src="`+p.URL+`/onpage.js"></script>`)
	p.tab.Until(p.tab.Ctx, `window.told.some((e) => e.startsWith('ready'))`)
	other := strings.Replace(p.URL, "127.0.0.1", "localhost", 1)
	p.on(t, told+placementTag(p, `starts="now"`, "")+`<script src="`+other+`/onpage.js"></script><incipit-placement of="`+
		strings.Replace(p.address, p.URL, other, 1)+`" starts="now" style="display:block;height:300px"></incipit-placement>`)
	p.tab.Until(p.tab.Ctx, `window.told.filter((e) => e.startsWith('ready')).length === 2`)
}

// A host that answers with something else, or not at all, is told and said, and can be
// tried again.
func TestAHostThatIsAway(t *testing.T) {
	t.Parallel() // it waits more than it works
	p := paste(t)
	away := true
	host := through(t, p.House, func(w http.ResponseWriter, r *http.Request) bool {
		if away && strings.HasPrefix(r.URL.Path, "/r/") {
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte("<!doctype html><title>A captive portal</title>"))
			return true
		}
		return false
	})
	p.on(t, told+`<div lang="de"><incipit-placement of="`+strings.Replace(p.address, p.URL, host,
		1)+`" starts="now" style="display:block;height:300px"></incipit-placement></div><script src="`+host+`/onpage.js"></script>`)
	p.tab.Until(p.tab.Ctx, `window.told[0] === 'error {"reason":"host-away"}'`)
	p.tab.Until(p.tab.Ctx, theElement+`.shadowRoot.querySelector('.said').textContent.includes('gerade nicht erreichbar')`)
	away = false
	testkit.Eval[bool](p.tab, p.tab.Ctx, `(`+theElement+`.shadowRoot.querySelector('.said a').click(), true)`)
	p.tab.Until(p.tab.Ctx, `window.told.some((e) => e.startsWith('ready'))`)
	assert.True(t, testkit.Eval[bool](p.tab, p.tab.Ctx, `!`+theElement+`.shadowRoot.querySelector('.said')`))
}

// Two collections keep their choices beside a router that lives in the fragment, each
// in a parameter of its own; without a name the fragment is left alone.
func TestCollectionsBesideARouter(t *testing.T) {
	p := paste(t)
	tab := p.tab
	var placed2 []int64
	for _, file := range []string{"survey-form.pdf", "leaflet-welcome.pdf"} {
		_, pl := placed(t, p.House, file)
		publish(t, p.House, pl.ID)
		placed2 = append(placed2, pl.ID)
	}
	keys := map[int64]string{}
	for _, id := range placed2 {
		pl, err := p.Placing.Placement(t.Context(), id)
		require.NoError(t, err)
		keys[id] = pl.Key
	}
	var made []string
	for _, name := range []string{"Forms", "Leaflets", "Quiet"} {
		c := collection.New(name)
		c.Arrangement, c.Items = collection.List, []collection.Item{{Placement: placed2[0]}, {Placement: placed2[1]}}
		kept, err := p.Publishing.AddCollection(t.Context(), c)
		require.NoError(t, err)
		made = append(made, kept.Key)
	}
	p.on(t, `<script>location.hash = '#/reports'; window.routed = 0; addEventListener('hashchange', () => window.routed++);</script>`+
		fmt.Sprintf(`<incipit-placement of="%[1]s/c/%[2]s" choice="forms" starts="now" style="display:block;height:260px"></incipit-placement><incipit-placement of="%[1]s/c/%[3]s" choice="leaflets" starts="now" style="display:block;height:260px"></incipit-placement><incipit-placement of="%[1]s/c/%[4]s" starts="now" style="display:block;height:260px"></incipit-placement><script src="%[1]s/onpage.js"></script>`, p.URL, made[0], made[1], made[2]))
	choose := func(collection, key string) {
		inside := tab.Frame(p.URL + "/c/" + collection)
		tab.Until(inside, fmt.Sprintf(`document.body.classList.contains('enhanced') && document.querySelector('a[data-key=%q]')`, key))
		testkit.Eval[bool](tab, inside, fmt.Sprintf(`(document.querySelector('a[data-key=%q]').click(), true)`, key))
		tab.Until(inside, fmt.Sprintf(`document.body.dataset.shown === %q`, key))
	}
	choose(made[2], keys[placed2[0]])
	steps := testkit.Eval[int](tab, tab.Ctx, `history.length`)
	assert.Equal(t, "#/reports", testkit.Eval[string](tab, tab.Ctx, `location.hash`), "left alone unless asked")
	choose(made[0], keys[placed2[0]])
	tab.Until(tab.Ctx, fmt.Sprintf(`location.hash === '#/reports?forms=%s'`, keys[placed2[0]]))
	choose(made[1], keys[placed2[1]])
	tab.Until(tab.Ctx, fmt.Sprintf(`location.hash === '#/reports?forms=%s&leaflets=%s'`, keys[placed2[0]], keys[placed2[1]]))
	assert.Equal(t, steps+2, testkit.Eval[int](tab, tab.Ctx, `history.length`), "a step for each choice")
	// Back takes the last choice back, and no other.
	testkit.Eval[bool](tab, tab.Ctx, `(history.back(), true)`)
	tab.Until(tab.Ctx, fmt.Sprintf(`location.hash === '#/reports?forms=%s'`, keys[placed2[0]]))
	tab.Until(tab.Frame(p.URL+"/c/"+made[1]), `!document.body.dataset.shown`)
	assert.Equal(t, keys[placed2[0]], testkit.Eval[string](tab, tab.Frame(p.URL+"/c/"+made[0]), `document.body.dataset.shown`))
}

// Corner and shadow are those of the settings, also when they change.
func TestTheElementsEdge(t *testing.T) {
	p := paste(t)
	code := p.code(embed.Choice{Way: embed.Element, Starts: embed.Now})
	placement, err := p.Placing.PlacementByKey(t.Context(), strings.TrimPrefix(p.address, p.URL+"/r/"))
	require.NoError(t, err)
	for _, c := range []struct {
		corner float64
		shadow string
	}{{12, setting.DeepShadow}, {0, setting.NoShadow}, {3, setting.SoftShadow}} {
		s := setting.Default()
		s.Corner, s.Shadow = c.corner, c.shadow
		p.Publish(t, placement.ID, s)
		p.on(t, code)
		p.tab.Until(p.tab.Frame(p.URL+"/r/"), readerReady)
		p.tab.Until(p.tab.Ctx, fmt.Sprintf(`getComputedStyle(%s).borderRadius === '%gpx' && (getComputedStyle(%s).boxShadow !== 'none') === %v`,
			itsFrame, c.corner, itsFrame, c.shadow != setting.NoShadow))
	}
}
