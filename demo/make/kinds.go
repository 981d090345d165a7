package main

import (
	"fmt"
	"strings"
)

// kinds makes a document with the parts that a text view must know: contents with
// dots, lists in lists, notes at the foot, a figure with its name, formulas, code,
// and a table with a head of its own.
func kinds(b *browser) ([]byte, error) {
	entry := func(in int, title string, page int) string {
		dots := strings.Repeat(" .", 40-2*in-len(title)/2)
		return fmt.Sprintf(`<p style="margin:2px 0 2px %dmm;white-space:nowrap">%s%s %d</p>`, 6*in, title, dots, page)
	}
	pages := []string{
		`<h1>The warden’s companion</h1><h2>Contents</h2>` + entry(0, "1 Before you go out", 2) + entry(1, "1.1 What to bring", 2) +
			entry(1, "1.2 What the marsh is like in spring", 3) + entry(0, "2 How we count", 4),
		`<h2>1 Before you go out</h2><h3>1.1 What to bring</h3><ul><li>A lamp<ul style="list-style-type:'– '"><li>and a spare one</li><li>and cells for both</li></ul></li><li>Boots</li></ul>
		<ol><li>Sign the book.<ol style="list-style-type:lower-alpha"><li>with your name</li><li>with the hour</li></ol></li><li>Take the key.</li></ol>`,
		`<h3>1.2 What the marsh is like in spring</h3><p>` + people + `</p><svg width="260" height="150" viewBox="0 0 260 150"><path d="M10 140V20M10 140H250" stroke="#333" fill="none"/><path d="M10 120L60 90L110 100L160 50L210 60L250 20" stroke="#24467a" fill="none"/><circle cx="60" cy="90" r="4"/><circle cx="110" cy="100" r="4"/><circle cx="160" cy="50" r="4"/><circle cx="210" cy="60" r="4"/><circle cx="250" cy="20" r="4"/><path d="M20 130l4 4l4-4" stroke="#333" fill="none"/></svg>
		<p style="font-size:9pt">Figure 1: Lapwings at dawn, by week</p><p>` + tides + `</p>`,
		`<h2>2 How we count</h2><p>Two observers count at once,<sup>1</sup> and what neither sees is guessed from what both do:<sup>2</sup></p><p style="text-align:center">N = n × m ÷ b ± ε</p><p>where b is what both saw, on 4 km<sup>2</sup> of marsh.</p>
		<pre>count --hide north \
    --tide 5.1
saved: 248 birds</pre>
		<table><tr><th>Hide</th><th>March</th><th>May</th></tr><tr><td>North</td><td>41</td><td>7</td></tr><tr><td>Tower</td><td>120</td><td>33</td></tr><tr><td>Bank</td><td>8</td><td>2</td></tr></table>
		<div style="position:absolute;bottom:16mm;font-size:8pt;line-height:1.3"><p style="margin:0"><sup>1</sup> They do not speak while they count.</p><p style="margin:0"><sup>2</sup> After a custom older than the observatory.</p></div>`,
	}
	var body strings.Builder
	for _, p := range pages {
		fmt.Fprintf(&body, `<section class="page">%s</section>`, p)
	}
	return b.document("The warden’s companion", "en", `@page{size:148mm 210mm;margin:0}.page{position:relative;width:148mm;height:209.9mm;padding:18mm;font:10.5pt/1.45 Literata;break-after:page}h1{font-size:22pt}h2{font-size:16pt}h3{font-size:13pt}td,th{padding:2px 28px 2px 0;text-align:left}th{font-weight:700}sup{line-height:0;font-size:.65em}pre{font:9pt/1.4 monospace}`, body.String())
}
