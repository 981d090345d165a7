package main

import (
	"fmt"
	"strings"

	"github.com/chromedp/chromedp"
)

var countSpecies = []string{"Oystercatcher", "Grey Plover", "Lapwing", "Knot", "Sanderling", "Dunlin", "Black-tailed Godwit", "Curlew",
	"Redshank", "Turnstone", "Brent Goose", "Wigeon"}

// surveyForm prints the form and lays AcroForm fields (ISO 32000-2, 12.7) over
// the boxes that carry data-field.
func surveyForm(b *browser) ([]byte, error) {
	field := func(kind, name, class string) string {
		return fmt.Sprintf(`<i class="%s %s" data-field="%s" data-kind="%s"></i>`, class, kind, name, kind)
	}
	var rows strings.Builder
	for i, s := range countSpecies {
		fmt.Fprintf(&rows, `<tr><th>%s</th><td>%s</td><td>%s</td><td>%s</td><td class="c">%s</td></tr>`, s,
			field("text", fmt.Sprintf("count1.%d", i+1), "num"), field("text", fmt.Sprintf("count2.%d", i+1), "num"),
			field("text", fmt.Sprintf("count3.%d", i+1), "num"), field("check", fmt.Sprintf("estimate.%d", i+1), "tick"))
	}
	body := `<section class="page"><p class="over">Harrowmere Bird Observatory</p><h1>Wader count form</h1><p class="lead">Second Sunday of the month, two hours either side of high water. Hand it in on the day, even when the count is nought.</p>
<div class="grid"><label>Date` + field("text", "date", "") + `</label><label>Sector` + field("choice", "sector", "") + `</label><label>Counters` + field("text", "counters", "") + `</label><label>Tide expected, m` + field("text", "tide_expected", "") + `</label><label>Tide met, m` + field("text", "tide_met", "") + `</label><label>Wind, direction and force` + field("text", "wind", "") + `</label></div>
<p class="radio"><b>Visibility</b> ` + field("radio", "visibility=good", "dot") + ` good ` + field("radio", "visibility=fair", "dot") + ` fair ` + field("radio", "visibility=poor", "dot") + ` poor <span class="gap"></span>` + field("check", "whole_sector", "tick") + ` all the sector could be seen</p>
<table><thead><tr><th>Species</th><th>First count</th><th>Second count</th><th>Third count</th><th>Estimate</th></tr></thead><tbody>` + rows.String() + `</tbody></table>
<label class="wide">What put birds up, when, and how many flew` + field("text", "disturbance", "big") + `</label><p class="foot">A figure without a cross under “Estimate” says that every bird was counted. Leave no line empty: a nought says you looked.</p></section>`
	css := `@page{size:A4;margin:0}.page{width:210mm;height:296.9mm;padding:16mm 18mm}.over{font:10pt Sans;color:#5a5664;margin:0}h1{font-size:22pt}.lead{margin-bottom:5mm}
.grid{display:grid;grid-template-columns:repeat(3,1fr);gap:3mm 5mm;font:9pt Sans}label{display:block}i{display:block;border:.25mm solid #8a8271;background:#fffdf6;height:7mm;margin-top:1mm}.radio{margin:5mm 0;font:10pt Sans}.dot,.tick{display:inline-block;width:4.4mm;height:4.4mm;margin:0 1mm;vertical-align:-1mm}.dot{border-radius:50%}.gap{display:inline-block;width:12mm}
table{width:100%;border-collapse:collapse;font:9.5pt Sans;margin-bottom:5mm}th{text-align:left;font-weight:400;padding:.6mm 0}thead th{font-weight:600;border-bottom:.3mm solid #23222b}td{padding:.6mm 2mm .6mm 0;width:30mm}td i{margin:0;height:6.4mm}td .tick{height:4.4mm}.wide{font:9pt Sans}.big{height:22mm}.foot{font:8.5pt Sans;color:#5a5664;margin-top:4mm}`
	made, err := b.document("Wader count form", "en", css, body)
	if err != nil {
		return nil, err
	}
	type box struct {
		Name, Kind               string
		Left, Top, Width, Height float64
	}
	boxes, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]box](`[...document.querySelectorAll('[data-field]')].map(e => { const r = e.getBoundingClientRect(); return { Name: e.dataset.field, Kind: e.dataset.kind, Left: r.left, Top: r.top + scrollY, Width: r.width, Height: r.height } })`))
	if err != nil {
		return nil, err
	}
	a, err := amend(made)
	if err != nil {
		return nil, err
	}
	page := a.pages()[0]
	font := a.add("<</Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding>>")
	marks := a.add("<</Type /Font /Subtype /Type1 /BaseFont /ZapfDingbats>>")
	var annots, fields []string
	radios := map[string][]int{}
	var order []string
	for _, f := range boxes {
		// CSS px to points, and y up from the bottom of A4.
		x, y, w, h := f.Left*.75, 841.89-(f.Top+f.Height)*.75, f.Width*.75, f.Height*.75
		rect := fmt.Sprintf("[%.2f %.2f %.2f %.2f]", x, y, x+w, y+h)
		common := fmt.Sprintf("/Type /Annot /Subtype /Widget /F 4 /P %d 0 R /Rect %s", page, rect)
		appearance := func(mark string) (on, off int) {
			stream := fmt.Sprintf("q BT /ZaDb %.1f Tf 0 g %.2f %.2f Td (%s) Tj ET Q", h*.8, w*.18, h*.22, mark)
			head := fmt.Sprintf("<</Type /XObject /Subtype /Form /BBox [0 0 %.2f %.2f] /Resources <</Font <</ZaDb %d 0 R>>>> /Length %%d>>\nstream\n%%s\nendstream", w, h, marks)
			return a.add(fmt.Sprintf(head, len(stream), stream)), a.add(fmt.Sprintf(head, 0, ""))
		}
		var n int
		switch f.Kind {
		case "check":
			on, off := appearance("4")
			n = a.add(fmt.Sprintf("<<%s /FT /Btn /T (%s) /V /Off /AS /Off /AP <</N <</Yes %d 0 R /Off %d 0 R>>>>>>", common, f.Name, on, off))
		case "radio":
			group, value, _ := strings.Cut(f.Name, "=")
			on, off := appearance("l")
			n = a.add(fmt.Sprintf("<<%s /AS /Off /AP <</N <</%s %d 0 R /Off %d 0 R>>>> /MK <</CA (l)>> /Parent PARENT-%s>>", common, value, on,
				off, group))
			if radios[group] == nil {
				order = append(order, group)
			}
			radios[group] = append(radios[group], n)
		case "choice":
			n = a.add(fmt.Sprintf("<<%s /FT /Ch /Ff 131072 /T (%s) /V (A1) /Opt [(A1) (A2) (B1) (B2) (C1) (C2) (D1)] /DA (/Helv 10 Tf 0 g)>>",
				common, f.Name))
		default:
			flags := ""
			if f.Name == "disturbance" {
				flags = " /Ff 4096"
			}
			n = a.add(fmt.Sprintf("<<%s /FT /Tx /T (%s)%s /DA (/Helv 10 Tf 0 g)>>", common, f.Name, flags))
		}
		annots = append(annots, fmt.Sprintf("%d 0 R", n))
		if f.Kind != "radio" {
			fields = append(fields, fmt.Sprintf("%d 0 R", n))
		}
	}
	for _, group := range order {
		var kids []string
		for _, k := range radios[group] {
			kids = append(kids, fmt.Sprintf("%d 0 R", k))
		}
		parent := a.add(fmt.Sprintf("<</FT /Btn /Ff 49152 /T (%s) /V /Off /Kids [%s]>>", group, strings.Join(kids, " ")))
		for _, k := range radios[group] {
			a.objects[k] = []byte(strings.ReplaceAll(string(a.objects[k]), "PARENT-"+group, fmt.Sprintf("%d 0 R", parent)))
		}
		fields = append(fields, fmt.Sprintf("%d 0 R", parent))
	}
	a.enter(page, "/Annots ["+strings.Join(annots, " ")+"]")
	a.enter(a.root, fmt.Sprintf("/AcroForm <</Fields [%s] /NeedAppearances true /DA (/Helv 10 Tf 0 g) /DR <</Font <</Helv %d 0 R /ZaDb %d 0 R>>>>>>", strings.Join(fields, " "), font, marks))
	return a.bytes(), nil
}
