package embed_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
)

const (
	ours       = "https://documents.harrowmere.example"
	tides      = "tidestidestidestide1"
	draftKey   = "draftdraftdraftdraf2"
	goneKey    = "gonegonegonegonegon3"
	wide       = "widewidewidewidewid4"
	closedKey  = "closedclosedclosedc5"
	elsewhere  = "elsewhereelsewhereel"
	guardedKey = "guardedguardedguarde"
)

func placedPages() frame.Pages {
	return frame.PagesOf([]sheet.Sheet{{Width: 842, Height: 595}, {Width: 842, Height: 595}})
}

// lookup is the house that the corpus is about.
func lookup(key string) (embed.Placed, bool) {
	p := embed.Placed{Title: "Tide and hide access table", Published: true, Settings: setting.Default(), Pages: placedPages(),
		Tools: toolbar.Set{toolbar.Find, toolbar.FullScreen}}
	switch key {
	case tides:
	case draftKey:
		p.Published = false
	case goneKey:
		p.Published, p.Withdrawn = false, true
	case wide:
		p.ReadableFrom = 600
	case closedKey:
		p.Settings.Download, p.Settings.Print, p.Tools = false, false, toolbar.Set{}
	case guardedKey:
		p.Settings.Guarded = true
	case elsewhere:
		p.Settings.Sites = setting.SiteList{"https://marsh.example"}
	default:
		return embed.Placed{}, false
	}
	return p, true
}

func written(t testing.TB, key string, c embed.Choice) string {
	t.Helper()
	p, ok := lookup(key)
	require.True(t, ok)
	code, err := c.Written(p.Settings, embed.Subject{Address: ours + "/r/" + key, Title: p.Title, Pages: p.Pages, Edition: marked})
	require.NoError(t, err)
	return code
}

func inlined(t testing.TB, key string) string {
	return written(t, key, embed.Choice{Way: embed.Inline})
}

// page is a page of the observatory around something.
func page(content string) string {
	return "<!doctype html>\n<html lang=\"en\"><head><title>Visiting</title></head><body>\n<h1>Visiting Harrowmere</h1>\n<p>" +
		strings.Repeat("The north hides stand on a bank that floods. ", 8) + "</p>\n" + content + "\n<p>See you at the desk.</p></body></html>\n"
}

// frameOf is a frame with an address as it was written, and more attributes.
func frameOf(src, more string) string {
	return fmt.Sprintf(`<iframe src=%s title="Tides" style="width:100%%;height:400px" loading="lazy" allow="fullscreen" %s></iframe>`, src,
		more)
}

const script = `<script async src="` + ours + `/onpage.js"></script>`

var long = "<p>" + strings.Repeat("Counted from the sea wall at high water. ", 200) + "</p>"

// broken pages, each with the finding that names its fault.
func broken(t testing.TB) map[string][2]string {
	good := `"` + ours + "/r/" + tides + `"`
	is := func(name, content string) [2]string { return [2]string{name, page(content)} }
	return map[string][2]string{
		"no such collection":  is("nocollection", frameOf(`"`+ours+"/c/"+wide+`"`, "")),
		"guarded, in a frame": is("guarded", frameOf(`"`+ours+"/r/"+guardedKey+`"`, "")),
		"no such record":      is("norecord", `<incipit-placement record="4711" label="x" style="display:block;height:600px"></incipit-placement><script async src="`+ours+`/onpage.js"></script>`),
		"curly quotes":        is("stray", frameOf("”"+ours+"/r/"+tides+"”", "")),
		"low and high quotes": is("stray", frameOf("„"+ours+"/r/"+tides+"“", "")),
		"single curly quotes": is("stray", frameOf("‘"+ours+"/r/"+tides+"’", "")),
		"entities":            is("stray", frameOf(`"&amp;quot;`+ours+"/r/"+tides+`&amp;quot;"`, "")),
		"percent quotes":      is("wrongkey", frameOf(`"`+ours+"/r/"+tides+`x%22y"`, "")),
		"backslashes":         is("stray", frameOf(`\"`+ours+"/r/"+tides+`\"`, "")),
		"a space before":      is("spaces", frameOf(`" `+ours+"/r/"+tides+`"`, "")),
		"a line after":        is("spaces", frameOf("\""+ours+"/r/"+tides+"\n\"", "")),
		"a hard space":        is("stray", frameOf("\"\u00a0"+ours+"/r/"+tides+"\"", "")),
		"doubled quotes":      is("quotes", frameOf(`""`+ours+"/r/"+tides+`""`, "")),
		"code as text":        is("shown", "<p>"+strings.NewReplacer("<", "&lt;", ">", "&gt;").Replace(inlined(t, tides))+"</p>"),
		"code as text in pieces": is("shown", "<pre><code>"+strings.NewReplacer("<", "&lt;", ">",
			"&gt;").Replace(written(t, tides, embed.Choice{Way: embed.Element}))+"</code></pre>"),
		"code with typed quotes":  is("shown", `<p>&lt;iframe src=“`+ours+"/r/"+tides+`” title=“Tides”&gt;&lt;/iframe&gt;</p>`),
		"no key":                  is("nokey", frameOf(`"`+ours+`/r/"`, "")),
		"half a key":              is("wrongkey", frameOf(`"`+ours+`/r/tidestides"`, "")),
		"a key with capitals":     is("wrongkey", frameOf(`"`+ours+"/r/"+strings.ToUpper(tides)+`"`, "")),
		"somebody else's key":     is("unknown", frameOf(`"`+ours+`/r/nobodynobodynobodyno"`, "")),
		"a draft":                 is("unpublished", frameOf(`"`+ours+"/r/"+draftKey+`"`, "")),
		"withdrawn":               is("withdrawn", frameOf(`"`+ours+"/r/"+goneKey+`"`, "")),
		"withdrawn behind a link": is("withdrawn", `<a href="`+ours+"/r/"+goneKey+`">Tides</a>`),
		"http":                    is("insecure", frameOf(`"http://documents.harrowmere.example/r/`+tides+`"`, "")),
		"http script": is("insecurescript", written(t, tides, embed.Choice{Way: embed.Element})[:0]+
			strings.ReplaceAll(written(t, tides, embed.Choice{Way: embed.Element}), `src="https:`, `src="http:`)),
		"two schemes":               is("scheme", frameOf(`"https://`+ours+"/r/"+tides+`"`, "")),
		"no scheme":                 is("scheme", frameOf(`"documents.harrowmere.example/r/`+tides+`"`, "")),
		"an address of the desk":    is("desk", frameOf(`"`+ours+`/stage/7"`, "")),
		"the bench's address":       is("desk", frameOf(`"`+ours+`/placements/7"`, "")),
		"sandbox":                   is("sandbox", frameOf(good, `sandbox`)),
		"sandbox without downloads": is("sandbox", frameOf(good, `sandbox="allow-scripts allow-same-origin allow-popups"`)),
		"no full screen":            is("fullscreen", strings.Replace(frameOf(good, ""), ` allow="fullscreen"`, "", 1)),
		"a policy for frames": is("framepolicy", `<meta http-equiv="Content-Security-Policy" content="frame-src 'self'">`+
			frameOf(good, "")),
		"a policy for scripts": is("scriptpolicy", `<meta http-equiv="Content-Security-Policy" content="script-src 'self'; frame-src *">`+
			written(t, tides, embed.Choice{Way: embed.Element})),
		"a policy for styles": is("stylepolicy", `<meta http-equiv="Content-Security-Policy" content="style-src 'self'">`+
			inlined(t, tides)),
		"a policy with a nonce": is("stylepolicy", `<meta http-equiv="Content-Security-Policy" content="default-src *; style-src 'unsafe-inline' 'nonce-x'">`+inlined(t, tides)),
		"a policy by default": is("framepolicy", `<meta http-equiv="Content-Security-Policy" content="default-src 'self'">`+
			frameOf(good, "")),
		"no title":              is("untitled", strings.Replace(frameOf(good, ""), ` title="Tides"`, "", 1)),
		"an empty title":        is("untitled", strings.Replace(frameOf(good, ""), `title="Tides"`, `title=" "`, 1)),
		"no height":             is("noheight", strings.Replace(frameOf(good, ""), `;height:400px`, "", 1)),
		"height 0":              is("zero", strings.Replace(frameOf(good, ""), `height:400px`, "height:0", 1)),
		"height 0 by attribute": is("zero", strings.Replace(frameOf(good, `height="0"`), `;height:400px`, "", 1)),
		"height of nothing":     is("percent", strings.Replace(frameOf(good, ""), `height:400px`, "height:100%", 1)),
		"wider than its column": is("wide", `<div style="width:300px">`+strings.Replace(frameOf(good, ""), "width:100%", "width:640px", 1)+
			`</div>`),
		"wider by attribute": is("wide", `<div style="max-width:320px"><iframe src=`+good+
			` title="Tides" width="640" height="400" loading="lazy" allow="fullscreen"></iframe></div>`),
		"too narrow for the type": is("narrow", `<div style="width:300px">`+inlined(t, wide)+`</div>`),
		"two ids":                 is("ids", frameOf(good, `id="tides"`)+`<p id="tides">Tides</p>`),
		"lazy at the top":         {"lazytop", "<h1>Visiting</h1>" + inlined(t, tides) + long},
		"eager far below":         is("eager", long+strings.Replace(inlined(t, tides), ` loading="lazy"`, "", 1)),
		"only a download":         is("download", `<a href="/files/tides-2026.pdf">Tide table</a>`),
		"only our file":           is("download", `<a href="`+ours+"/r/"+tides+`/file">Tide table</a>`),
		"an old embed":            is("old", `<embed src="/files/tides.pdf" width="600" height="400">`),
		"an old object":           is("old", `<object data="/files/tides.pdf" type="application/pdf"></object>`),
		"a bare PDF":              is("bare", `<iframe src="/files/tides.pdf" title="Tides" height="400"></iframe>`),
		"the script twice":        is("twice", written(t, tides, embed.Choice{Way: embed.Element})+script),
		"the script for nothing":  is("idle", script+inlined(t, tides)),
		"no script":               is("noscript", strings.Replace(written(t, tides, embed.Choice{Way: embed.Element}), script, "", 1)),
		"no script over the page": is("noscript", `<a href="`+ours+"/r/"+tides+`" data-incipit="over">Tides</a>`),
		"a link without room": is("noheight", `<a href="`+ours+"/r/"+tides+`" data-incipit="here">Tides</a><script async src="`+ours+
			`/onpage.js"></script>`),
		"an unknown attribute":     is("attribute", `<a href="`+ours+"/r/"+tides+`" data-incipit="popup">Tides</a>`),
		"a page that is not there": is("nopage", frameOf(`"`+ours+"/r/"+tides+`#page=9"`, "")),
		"search that is closed":    is("nofind", frameOf(`"`+ours+"/r/"+closedKey+`#search=tide"`, "")),
		"a zoom out of bounds":     is("nozoom", frameOf(`"`+ours+"/r/"+tides+`#zoom=4"`, "")),
		"earlier settings":         is("older", strings.ReplaceAll(inlined(t, tides), `height="486"`, `height="905"`)),
		"code of an earlier kind": is("older", `<div style="container-type:inline-size"><iframe src="`+ours+"/r/"+tides+
			`" title="Tides" style="width:100cqw;height:calc(70cqw + 90px)" loading="lazy" allow="fullscreen"></iframe></div>`),
		"an address as text":       is("plain", "<p>The tides: "+ours+"/r/"+tides+".</p>"),
		"not shown":                is("hidden", `<div style="display:none">`+inlined(t, tides)+"</div>"),
		"not shown by attribute":   is("hidden", "<section hidden>"+inlined(t, tides)+"</section>"),
		"a style sheet for frames": is("styled", "<style>main iframe, video { aspect-ratio: 16/9; height: auto }</style>"+inlined(t, tides)),
		"a style sheet that hides": is("styled", "<style>@media (max-width:600px){iframe{display:none}}</style>"+inlined(t, tides)),
		"collapsing in a float":    is("collapses", `<div style="float: left"><div style="container-type:inline-size;width:100%"><iframe src="`+ours+"/r/"+tides+`" title="Tides" style="width:100cqw;height:calc(70cqw + 90px)" loading="lazy" allow="fullscreen"></iframe></div></div>`),
		"http in pasted source":    is("insecure", frameOf(`"http://`+strings.TrimPrefix(ours, "https://")+"/r/"+tides+`"`, "")),
		"a website not allowed":    is("site", inlined(t, elsewhere)),
		"started by another script": is("lazyscript", `<iframe data-src="`+ours+"/r/"+tides+
			`" title="Tides" style="height:400px" loading="lazy" allow="fullscreen"></iframe>`),
		"an element without a key": is("scheme", `<incipit-placement of="tides" label="Tides" style="height:400px"></incipit-placement>`+script),
	}
}

// sound pages, in which nothing is wrong.
func sound(t testing.TB) map[string]string {
	good := `"` + ours + "/r/" + tides + `"`
	return map[string]string{
		"inline":              page(inlined(t, tides)),
		"inline, at a page":   page(written(t, tides, embed.Choice{Way: embed.Inline, Page: 2})),
		"element":             page(written(t, tides, embed.Choice{Way: embed.Element})),
		"element, on a press": page(written(t, tides, embed.Choice{Way: embed.Element, Starts: embed.Press, Words: "Read the tides"})),
		"element, follows":    page(written(t, tides, embed.Choice{Way: embed.Element, Follow: true, Page: 2})),
		"element by its key":  page(strings.Replace(written(t, tides, embed.Choice{Way: embed.Element}), ours+"/r/"+tides+`"`, tides+`"`, 1)),
		"link over the page":  page(written(t, tides, embed.Choice{Way: embed.Link})),
		"link, same window":   page(written(t, tides, embed.Choice{Way: embed.Link, Opens: embed.Here})),
		"link, new window":    page(written(t, tides, embed.Choice{Way: embed.Link, Opens: embed.New, Search: "spring tide"})),
		"button":              page(written(t, tides, embed.Choice{Way: embed.Button, Zoom: 120})),
		"cover":               page(written(t, tides, embed.Choice{Way: embed.Cover, Cover: 2})),
		"own cover": page(written(t, tides, embed.Choice{Way: embed.Cover, Alt: "Reeds at \"dusk\"",
			Own: &embed.OwnPicture{Address: ours + "/pictures/3/abcdef012345/480", Width: 1200, Height: 675}})),
		"upgraded link":         page(written(t, tides, embed.Choice{Way: embed.Upgrade})),
		"two of one":            page(inlined(t, tides) + inlined(t, wide)),
		"a viewer and its file": page(inlined(t, tides) + `<a href="` + ours + "/r/" + tides + `/file">The file</a>`),
		"a policy that allows": page(`<meta http-equiv="Content-Security-Policy" content="default-src 'self'; frame-src ` + ours +
			`; script-src ` + ours + `">` + written(t, tides, embed.Choice{Way: embed.Element})),
		"styles are allowed": page(`<meta http-equiv="Content-Security-Policy" content="default-src 'self'; frame-src ` + ours +
			`; style-src 'self' 'unsafe-inline'">` + inlined(t, tides)),
		"a wide column": page(`<div style="width:900px">` + inlined(t, wide) + `</div>`),
		"percent of something": page(`<div style="height:500px">` + strings.Replace(frameOf(good, ""), "height:400px", "height:100%", 1) +
			`</div>`),
		"far below, lazy":       page(long + inlined(t, tides)),
		"a sandbox that fits":   page(frameOf(`"`+ours+"/r/"+closedKey+`"`, `sandbox="allow-scripts allow-same-origin allow-popups"`)),
		"no documents at all":   page(`<a href="/visit">Visit</a><iframe src="https://maps.example/harrowmere" title="Map"></iframe>`),
		"a collection":          page(gathered(t, embed.Inline)),
		"a collection, element": page(gathered(t, embed.Element)),
		"a guarded record":      page(`<incipit-placement record="survey 2026/14" label="The file attached" style="display:block;height:600px"></incipit-placement><script async src="` + ours + `/onpage.js"></script>`),
		"code in a script":      page(`<script>const code = "<iframe src=` + ours + `/r/x>";</script>`),
	}
}

func gathered(t testing.TB, w embed.Way) string {
	t.Helper()
	code, err := embed.Collection{Address: ours + "/c/" + tides, Name: "Surveys & reports", Height: 640}.Code(w)
	require.NoError(t, err)
	return code
}

func where(t testing.TB) embed.Where {
	t.Helper()
	return embed.Where{Ours: ours, Address: "https://www.harrowmere.example/visiting", Lookup: lookup,
		Gathers: func(key string) bool { return key == tides }, Record: func(record string) (string, bool) {
			if record == "survey 2026/14" {
				return tides, true
			}
			return "", false
		}}
}

func TestTheCheckFindsEveryFault(t *testing.T) {
	all := broken(t)
	assert.GreaterOrEqual(t, len(all), 40)
	for name, c := range all {
		found := embed.Check(c[1], where(t))
		var names []string
		for _, f := range found {
			names = append(names, f.Name)
			assert.Contains(t, []string{embed.Must, embed.Care}, f.Level, name)
			assert.NotEmpty(t, f.Title, name)
			assert.Positive(t, f.Line, name)
			assert.NotContains(t, f.Text, "%!", name)
		}
		assert.Contains(t, names, c[0], "%s", name)
	}
}

func TestTheCheckLeavesSoundPagesAlone(t *testing.T) {
	all := sound(t)
	assert.GreaterOrEqual(t, len(all), 20)
	for name, source := range all {
		assert.Empty(t, embed.Check(source, where(t)), name)
	}
}

// An address alone is a way of its own while a page is being written, and a fault where
// readers see it.
func TestAnAddressAlone(t *testing.T) {
	source := page("<p>" + ours + "/r/" + tides + "</p>")
	w := where(t)
	w.Address = ""
	assert.Empty(t, embed.Check(source, w))
	w.Address = "https://www.harrowmere.example/visiting"
	found := embed.Check(source, w)
	require.Len(t, found, 1)
	assert.Equal(t, "plain", found[0].Name)
	assert.Contains(t, found[0].Code, "<iframe")
}

// What the check offers instead of broken code is sound.
func TestMendedCodeIsSound(t *testing.T) {
	mended := 0
	for name, c := range broken(t) {
		for _, f := range embed.Check(c[1], where(t)) {
			if f.Code == "" || f.Name == "shown" || strings.HasPrefix(f.Code, "<script") {
				continue
			}
			mended++
			assert.Empty(t, embed.Check(page(f.Code), where(t)), "%s: %s", name, f.Name)
		}
	}
	assert.Greater(t, mended, 20)
}

// The line of a finding is the line of the source.
func TestFindingsHaveLines(t *testing.T) {
	found := embed.Check("<p>\n\n<iframe src=\"/a.pdf\" height=\"9\">\n", where(t))
	require.Len(t, found, 1)
	assert.Equal(t, 3, found[0].Line)
}

// marked is the edition that code is written for.
const marked = "0123456789abcdef"

// Code comes back out of a page as it went in: its way, its address, its place.
func TestCodeIsReadAsItWasWritten(t *testing.T) {
	kinds := map[embed.Way]embed.Kind{embed.Inline: embed.KindFrame, embed.Element: embed.KindElement, embed.Link: embed.KindOver,
		embed.Button: embed.KindOver, embed.Cover: embed.KindOver, embed.Upgrade: embed.KindHere}
	r := rand.New(rand.NewPCG(5, 11))
	words := []string{"", "Read it", `Terns & "waders" <2026>`, "قراءة", "潮汐表", `' onload='x`}
	for range 400 {
		c := embed.Choice{Way: embed.Ways()[r.IntN(len(embed.Ways()))], Page: r.IntN(3), Zoom: []int{0, 10, 120, 640}[r.IntN(4)],
			Search: words[r.IntN(len(words))], Words: words[r.IntN(len(words))], Cover: r.IntN(3), Follow: r.IntN(2) == 0}
		require.Empty(t, c.Check(2))
		code := written(t, tides, c)
		var viewers []embed.Found
		for _, f := range embed.Read(page(code), ours).Found {
			if f.Kind != embed.KindScript {
				viewers = append(viewers, f)
			}
		}
		if c.Way == embed.Bare {
			require.Len(t, viewers, 1)
			require.Equal(t, embed.KindPlain, viewers[0].Kind)
			continue
		}
		require.NotEmpty(t, viewers, code)
		f := viewers[0]
		require.Equal(t, kinds[c.Way], f.Kind, code)
		address, place, _ := strings.Cut(f.Address, "#")
		require.Equal(t, ours+"/r/"+tides, address)
		if c.Way == embed.Element {
			place = f.Attr["at"]
		}
		require.Equal(t, c.Place(marked), place, code)
		require.Empty(t, embed.Check(page(code), where(t)), code)
	}
}

func TestChoicesThatCannotStand(t *testing.T) {
	for _, c := range []embed.Choice{{Way: "poster"}, {Way: embed.Element, Starts: "later"}, {Way: embed.Link, Opens: "under"},
		{Way: embed.Link, Page: 3}, {Way: embed.Cover, Cover: 9}, {Way: embed.Link, Zoom: 5},
		{Way: embed.Link, Words: strings.Repeat("x", 201)}} {
		assert.NotEmpty(t, c.Check(2), "%+v", c)
	}
}

// Whatever is pasted, the check ends, and its lines are lines of the source.
func FuzzCheck(f *testing.F) {
	for _, c := range broken(f) {
		f.Add(c[1])
	}
	f.Add("<iframe src=\"\" \x00 <div style=width:px>")
	f.Fuzz(func(t *testing.T, source string) {
		last := strings.Count(source, "\n") + 1
		for _, found := range embed.Check(source, where(t)) {
			if found.Line < 1 || found.Line > last {
				t.Fatalf("line %d of %d: %s", found.Line, last, found.Name)
			}
		}
	})
}

// A page made to cost time and room is looked at in part, and says so.
func TestACheckIsBounded(t *testing.T) {
	long := strings.Repeat("x", 100_000)
	for name, source := range map[string]string{
		"frames": strings.Repeat(`<iframe src=”https://documents.harrowmere.example/r/tidestidestidestide1” id="a"></iframe>`, 16_000),
		"links":  strings.Repeat(`<a href="/a.pdf">a</a>`, 60_000),
		"shown":  strings.Repeat(`<p>&lt;iframe src="https://documents.harrowmere.example/r/tidestidestidestide1"&gt;</p>`, 16_000),
		"long":   `<iframe src="https://documents.harrowmere.example/r/` + long + `"></iframe><a href="/` + long + `.pdf">` + long + `</a>`,
		"deep": strings.Repeat(`<div style="width:300px">`, 20_000) +
			`<iframe src="https://documents.harrowmere.example/r/tidestidestidestide1"></iframe>`,
	} {
		asked := 0
		all := embed.Check(source, embed.Where{Ours: ours, Address: "https://www.example.org/",
			Lookup: func(string) (embed.Placed, bool) { asked++; return embed.Placed{}, false }})
		assert.Less(t, asked, 2000, name)
		b, err := json.Marshal(all)
		require.NoError(t, err)
		assert.Less(t, len(b), 600_000, name)
		if name == "frames" || name == "links" {
			assert.True(t, slices.ContainsFunc(all, func(f embed.Finding) bool { return f.Name == "more" }), name)
		}
	}
}
