package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/testkit"
)

// TestReaderScreenshots takes the pictures of the reader, where INCIPIT_SHOTS
// names the folder: make screenshots.
func TestReaderScreenshots(t *testing.T) {
	dir := os.Getenv("INCIPIT_SHOTS")
	if dir == "" {
		t.Skip("INCIPIT_SHOTS is not set")
	}
	press := func(name string) string {
		return fmt.Sprintf(`document.querySelector('[data-do=%s]').click()`, name)
	}
	goTo := func(page int) string {
		return fmt.Sprintf(`(() => { const e = document.getElementById('number'); e.value = %d; e.dispatchEvent(new Event('change')); })()`, page)
	}
	for _, c := range []struct {
		name, file, lang string
		width, height    int64
		change           func(*setting.Settings)
		do, until        string
	}{
		{name: "reader-desktop", file: "volunteer-handbook.pdf", width: 1280, height: 800, do: goTo(9),
			until: `document.querySelector('#p9 > img')?.naturalWidth > 0`},
		{name: "reader-phone", file: "volunteer-handbook.pdf", width: 390, height: 844, do: goTo(9),
			until: `document.querySelector('#p9 > img')?.naturalWidth > 0 && document.getElementById('note-small')`},
		{name: "reader-from-right", file: "leaflet-welcome.pdf", lang: "ar", width: 1280, height: 800,
			change: func(s *setting.Settings) { s.Tools = toolbar.Set(toolbar.All()) },
			do:     press("find") + `; setTimeout(() => { const i = document.getElementById('words-find'); i.value = 'المد'; i.dispatchEvent(new Event('input')); }, 600)`, until: `document.querySelector('.hits rect.now')`},
		{name: "reader-find", file: "volunteer-handbook.pdf", width: 1280, height: 800,
			do: press("find") + `; setTimeout(() => { const i = document.getElementById('words-find'); i.value = 'tide'; i.dispatchEvent(new Event('input')); }, 600)`, until: `document.querySelectorAll('.hitlist li').length > 3 && document.querySelector('.hits rect.now')`},
		{name: "reader-text", file: "survey-paper.pdf", width: 390, height: 844, do: press("text"),
			until: `document.querySelectorAll('.flowing p').length > 4`},
	} {
		h, p, first := opened(t, c.file, 600, 400, func(s *setting.Settings) {
			s.Tools = setting.Default().Tools
			if c.change != nil {
				c.change(s)
			}
		})
		first.Do(chromedp.Navigate("about:blank"))
		tab := testkit.Browse(t, c.width, c.height)
		if c.lang != "" {
			agent := testkit.Eval[string](tab, tab.Ctx, `navigator.userAgent`)
			_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride,
				emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: c.lang})
			require.NoError(t, err)
		}
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		tab.Until(tab.Ctx, readerReady)
		testkit.Eval[bool](tab, tab.Ctx, `(() => { `+c.do+`; return true; })()`)
		tab.Until(tab.Ctx, c.until)
		tab.Until(tab.Ctx, `document.fonts.status === 'loaded'`)
		painted(tab, tab.Ctx, `document`)
		tab.Shot(filepath.Join(dir, c.name+".png"))
	}
}
