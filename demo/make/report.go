package main

import (
	"fmt"
	"strings"
)

// report has pages of three sizes, and one that is stored upright and turned
// by /Rotate.
func report(b *browser) ([]byte, error) {
	var bars strings.Builder
	peaks := []struct {
		name string
		n    int
	}{{"Knot", 8700}, {"Dunlin", 4120}, {"Wigeon", 3380}, {"Lapwing", 2960}, {"Oystercatcher", 2210}, {"Brent Goose", 1740},
		{"Redshank", 655}, {"Black-tailed Godwit", 612}, {"Grey Plover", 331}, {"Curlew", 287}, {"Turnstone", 96}, {"Sanderling", 74}}
	for i, p := range peaks {
		fmt.Fprintf(&bars, `<text x="58" y="%d" text-anchor="end">%s</text><rect x="60" y="%d" width="%.1f" height="7" fill="#1f4a38"/><text x="%.1f" y="%d">%d</text>`, 12+i*11, p.name, 6+i*11, float64(p.n)/60, 62+float64(p.n)/60, 12+i*11, p.n)
	}
	var months strings.Builder
	names := strings.Fields("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec")
	shape := []float64{1, .92, .64, .3, .12, .08, .2, .46, .62, .78, .9, .97}
	for _, p := range peaks {
		fmt.Fprintf(&months, "<tr><th>%s</th>", p.name)
		for m := range names {
			fmt.Fprintf(&months, "<td>%d</td>", int(float64(p.n)*shape[(m+len(p.name)%3)%12])/5*5)
		}
		months.WriteString("</tr>")
	}
	body := `<section class="page a4 first"><p class="over">Harrowmere Bird Observatory</p><h1>Annual report 2025</h1><p>The ninety-fourth year of the observatory</p></section>
<section class="page a4"><h1>The year in short</h1><p>2025 was a year of water. Eleven tides passed 5.0 m at the boardwalk post, the most since readings began; the path to the north hides was closed for 402 hours of daylight. The boards held.</p><p>Twelve counts were made, as in every year since 1954. One hundred and sixty-three volunteers gave 9,870 hours, of which a little over a third went into counting and the rest into boards, reed, hay, children and soup.</p><p>Eighteen pairs of Lapwing bred on the grazing marsh, the most since 1988, and fledged twenty-two young. Redshank held at forty pairs. Knot reached 8,700 in January; Dunlin went on falling.</p><h2>What we owe</h2><p>To the parish, for closing the upper drove to motor cycles. To the grazier, who moved his cattle twice because a Lapwing had not. To the family of E. Thackeray, warden from 1949 to 1971, for his notebooks.</p></section>
<section class="page wide"><h1>Highest counts of 2025</h1><svg viewBox="0 0 230 142" width="212mm" font-family="Sans" font-size="5.5">` + bars.String() + `</svg></section>
<section class="page a4"><h1>Money</h1><p>Income was 84,310 and spending 81,760, in round figures of the parish's currency. The largest single cost was larch for the north bank (17,400), the smallest a mousetrap (3).</p><table><tr><th>Entrance and desk</th><td>31,220</td></tr><tr><th>Members</th><td>28,540</td></tr><tr><th>Grants</th><td>19,900</td></tr><tr><th>Reed and hay</th><td>4,650</td></tr></table><p>The reserve stands at fourteen months of ordinary spending. The trustees would like to see eighteen before the next surge.</p></section>
<section class="page a3"><h1>Counts by month</h1><table class="m"><thead><tr><th></th>` + cells("th", names) + `</tr></thead><tbody>` + months.String() + `</tbody></table><p>The largest of the three counts of each month, rounded to five. Months without a figure would be empty; there were none.</p></section>
<section class="page a4 turned"><div><h1>The boardwalk post</h1><p>Readings of the post at daylight high waters, against the table. The mean difference was 0.11 m, the largest 0.63 m on the second of February with a north-easterly gale. This page is stored upright and turned by the file itself, because the chart it was cut from hangs sideways in the Sluice House.</p></div></section>
<section class="page a4"><h1>The year ahead</h1><p>The landward path will be raised by 30 cm between gates 4 and 5. The scrape hide gets a shutter that opens without waking the Teal. We hope for a dry May.</p><p>Come and count: <a href="https://harrowmere.example/surveys">harrowmere.example/surveys</a>.</p></section>`
	made, err := b.document("Annual report 2025", "en", `@page{size:A4;margin:0}@page wide{size:A4 landscape;margin:0}@page fold{size:A3 landscape;margin:0}
.page{padding:24mm 22mm}.a4{width:210mm;height:296.9mm}.wide{page:wide;width:297mm;height:209.9mm}.a3{page:fold;width:420mm;height:296.9mm}.first{padding-top:90mm}.first h1{font-size:34pt}.turned{padding:0}.turned div{width:297mm;height:210mm;padding:24mm 22mm;transform-origin:0 0;transform:translateY(297mm) rotate(-90deg)}.over{font:12pt Sans;color:#5a5664}h1{font-size:22pt}h2{font-size:14pt;margin-top:6mm}p{font-size:11.5pt;max-width:150mm}
table{border-collapse:collapse;font:11pt Sans;margin:4mm 0 6mm;min-width:90mm}th{text-align:left;font-weight:400}th,td{border-bottom:.2mm solid #d9cfba;padding:1.4mm 3mm 1.4mm 0}td{text-align:right;font-variant-numeric:tabular-nums}.m{width:100%;font-size:13pt}.m thead th{text-align:right;font-weight:600}`, body)
	if err != nil {
		return nil, err
	}
	a, err := amend(made)
	if err != nil {
		return nil, err
	}
	a.enter(a.pages()[5], "/Rotate 90")
	return a.bytes(), nil
}

func cells(tag string, texts []string) string {
	return "<" + tag + ">" + strings.Join(texts, "</"+tag+"><"+tag+">") + "</" + tag + ">"
}
