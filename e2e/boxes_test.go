package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// boxes are what a website may set code into: the source around it, and the column
// that it gives, CSS px; 0 is a box that shrinks to what it holds.
var kindsOfBox = []struct {
	name, before, after string
	column              float64
}{
	{"block", `<div style="width:612px">`, `</div>`, 612},
	{"flex", `<div style="display:flex;width:612px">`, `</div>`, 612},
	{"flex beside another", `<div style="display:flex;width:800px"><p style="flex:0 0 200px;margin:0">x</p><div style="flex:1">`,
		`</div></div>`, 600},
	{"flex without basis", `<div style="display:flex;width:700px"><div>`, `</div></div>`, 0},
	{"grid", `<div style="display:grid;grid-template-columns:1fr 200px;width:700px"><div>`, `</div></div>`, 500},
	{"grid auto", `<div style="display:grid;grid-template-columns:auto;justify-content:start;width:700px">`, `</div>`, 0},
	{"float", `<div style="float:left">`, `</div><br style="clear:both">`, 0},
	{"inline-block", `<div style="display:inline-block">`, `</div>`, 0},
	{"table cell", `<table><tr><td>`, `</td></tr></table>`, 0},
	{"aspect-ratio box", `<div style="width:640px;aspect-ratio:1/1.2">`, `</div>`, 640},
	{"max-width rules", `<style>#m *{max-width:100%;height:auto}</style><div id="m" style="width:500px">`, `</div>`, 500},
	{"border-box rules", `<style>#b *{box-sizing:border-box}</style><div id="b" style="width:500.5px;padding:0 20px;box-sizing:content-box">`, `</div>`, 500.5},
	{"right to left", `<div dir="rtl" style="width:480px">`, `</div>`, 480},
	{"dark", `<div style="color-scheme:dark;background:#111;width:520px">`, `</div>`, 520},
	{"zoomed", `<div style="zoom:1.25;width:400px">`, `</div>`, 400},
	{"narrow", `<div style="width:220px">`, `</div>`, 220},
	{"narrow float", `<div style="width:220px"><div style="float:left">`, `</div></div>`, 0},
}

// Code of every way has a size in every kind of box, the proof's where the box gives a
// column, and hangs over no edge.
func TestCodesInEveryKindOfBox(t *testing.T) {
	p := paste(t)
	placements, err := p.Placing.PlacementsOf(t.Context(), 1)
	assert.NoError(t, err)
	e, err := p.Library.CurrentEdition(t.Context(), placements[0].DocumentID)
	assert.NoError(t, err)
	pages := frame.PagesOf(e.AllSheets())
	for _, way := range []embed.Way{embed.Inline, embed.Element, embed.Upgrade, embed.Link, embed.Button, embed.Cover} {
		source := ""
		for i, k := range kindsOfBox {
			source += fmt.Sprintf(`<section id="k%d" style="width:900px;margin:0 0 20px">%s%s%s</section>`, i, k.before,
				p.code(embed.Choice{Way: way}), k.after)
		}
		p.on(t, source)
		shows := map[embed.Way]string{embed.Inline: "iframe", embed.Element: "incipit-placement", embed.Upgrade: "incipit-placement"}[way]
		if shows == "" {
			shows = "a[href]"
		} else if way != embed.Inline {
			p.tab.Until(p.tab.Ctx, fmt.Sprintf(`document.querySelectorAll(%q).length === %d`, shows, len(kindsOfBox)))
		}
		got := testkit.Eval[[][]float64](p.tab, p.tab.Ctx, fmt.Sprintf(`[...document.querySelectorAll('section')].map((s) => {
			const e = s.querySelector(%q);
			const b = e.getBoundingClientRect(); const z = e.currentCSSZoom ?? 1;
			const around = e.closest('td') ?? s.querySelector('div');
			s.scrollIntoView();
			const r = e.getBoundingClientRect();
			const hit = document.elementFromPoint(r.left + Math.min(r.width, 100) / 2, r.top + Math.min(r.height, 100) / 2);
			return [b.width / z, b.height / z, b.right - Math.max(around.getBoundingClientRect().right, s.firstElementChild.getBoundingClientRect().right), Number(hit === e || e.contains(hit))]; })`, shows))
		for i, k := range kindsOfBox {
			what := fmt.Sprintf("%s in %s: %v", way, k.name, got[i])
			assert.Positive(t, got[i][0], what)
			assert.Positive(t, got[i][1], what)
			assert.LessOrEqual(t, got[i][2], 1.0, "hangs over: %s", what)
			if shows == "a[href]" {
				continue
			}
			assert.InDelta(t, 1, got[i][3], 0, "something lies over it: %s", what)
			column := k.column
			if column == 0 {
				column = got[i][0] // it is as wide as it is, and as tall as that asks for
			}
			b := frame.Layout(setting.Default(), pages, column, 800)
			assert.InDelta(t, b.Width, got[i][0], 1, what)
			assert.InDelta(t, b.Height, got[i][1], 1.2, what)
		}
		// Nothing reaches out of the page on a phone, either.
		p.tab.Do(chromedp.EmulateViewport(390, 844))
		testkit.Eval[bool](p.tab, p.tab.Ctx, `([...document.querySelectorAll('section')].forEach((s) => { s.style.width = 'auto'; s.querySelectorAll('div').forEach((d) => { d.style.maxWidth = '100%'; }); }), true)`)
		assert.Empty(t, testkit.Eval[[]string](p.tab, p.tab.Ctx, fmt.Sprintf(`[...document.querySelectorAll(%q)].filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest('#b')).map((e) => e.closest('section').id)`, shows)), "%s", way)
		p.tab.Do(chromedp.EmulateViewport(1280, 800))
	}
}
