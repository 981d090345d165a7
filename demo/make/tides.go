package main

import (
	"fmt"
	"math"
	"strings"
	"time"
)

// The tide at the Sluice House, as two constituents (period in hours,
// amplitude in metres) over a mean level: enough for springs and neaps.
const (
	meanLevel = 3.05
	m2Period  = 12.4206012
	m2        = 1.55
	s2        = 0.58
)

func level(hours float64) float64 {
	return meanLevel + m2*math.Cos(2*math.Pi*(hours-3.1)/m2Period) + s2*math.Cos(2*math.Pi*(hours-4.6)/12) +
		0.12*math.Cos(2*math.Pi*(hours-9)/25.82)
}

type highWater struct {
	at     time.Time
	height float64
}

// highWaters lists the high waters of a day.
func highWaters(day time.Time) []highWater {
	epoch := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	from := day.Sub(epoch).Hours()
	var out []highWater
	for m := 0; m < 24*60; m++ {
		h := from + float64(m)/60
		if a, b, c := level(h-1.0/60), level(h), level(h+1.0/60); b >= a && b > c {
			out = append(out, highWater{day.Add(time.Duration(m) * time.Minute), b})
		}
	}
	return out
}

// closing says when a path that floods at a height is closed: from two hours
// before to two hours after high water.
func closing(hw []highWater, floods float64) string {
	var out []string
	for _, h := range hw {
		if h.height >= floods {
			out = append(out, h.at.Add(-2*time.Hour).Format("15:04")+"–"+h.at.Add(2*time.Hour).Format("15:04"))
		}
	}
	if len(out) == 0 {
		return "open"
	}
	return strings.Join(out, ", ")
}

func tideTable(b *browser) ([]byte, error) {
	var body strings.Builder
	for half := range 2 {
		first := time.Date(2027, time.Month(4+3*half), 1, 0, 0, 0, 0, time.UTC)
		fmt.Fprintf(&body, `<section class="page"><h1>Tide and hide access, %s to %s 2027</h1><p class="lead">High water at the Sluice House in metres above chart datum, times in GMT. The bank to the <b>north hides</b> floods at 4.1 m, the <b>scrape path</b> at 4.6 m: each is closed from two hours before high water to two hours after. Wind from the north-east can add 0.4 m.</p><div class="months">`,
			first.Format("January"), first.AddDate(0, 2, 0).Format("January"))
		for m := range 3 {
			month := first.AddDate(0, m, 0)
			fmt.Fprintf(&body, `<table><caption>%s</caption><thead><tr><th>Day</th><th>HW</th><th>m</th><th>HW</th><th>m</th><th>North hides closed</th><th>Scrape path closed</th></tr></thead><tbody>`, month.Format("January"))
			for day := month; day.Month() == month.Month(); day = day.AddDate(0, 0, 1) {
				hw := highWaters(day)
				cells := ""
				for i := range 2 {
					if i < len(hw) {
						cells += fmt.Sprintf("<td>%s</td><td>%.1f</td>", hw[i].at.Format("15:04"), hw[i].height)
					} else {
						cells += "<td>–</td><td></td>"
					}
				}
				north, scrape := closing(hw, 4.1), closing(hw, 4.6)
				fmt.Fprintf(&body, `<tr class="%s"><th>%s</th>%s<td class="%s">%s</td><td class="%s">%s</td></tr>`,
					day.Format("Mon"), day.Format("Mon 2"), cells, strings.Fields(north)[0], north, strings.Fields(scrape)[0], scrape)
			}
			body.WriteString("</tbody></table>")
		}
		fmt.Fprintf(&body, `</div><p class="foot">Harrowmere Bird Observatory · page %d of 2 · Computed from two tidal constituents for this made-up shore; not for navigation. If the water reaches the second rail, turn back.</p></section>`, half+1)
	}
	return b.document("Tide and hide access table", "en", `@page{size:A4 landscape;margin:0}
.page{width:297mm;height:209.9mm;padding:9mm 10mm}h1{font-size:15pt;margin:0 0 1mm}.lead{font:7.4pt/1.35 Sans;margin:0 0 2.5mm}
.months{display:grid;grid-template-columns:repeat(3,1fr);gap:5mm}table{border-collapse:collapse;width:100%;font:6.3pt/1.2 Sans;font-variant-numeric:tabular-nums}
caption{font:600 9pt Literata;text-align:left;padding-bottom:1mm}th,td{padding:.82mm .8mm;text-align:left;border-bottom:.2mm solid #d9cfba;white-space:nowrap}thead th{border-bottom:.3mm solid #23222b;font-weight:600}tbody th{font-weight:400}.Sun th,.Sun td{background:#f1ece0}
td.open{color:#256b5c}td:not(.open):nth-last-child(-n+2){color:#9c2a24}.foot{position:absolute;left:10mm;bottom:5mm;font:6.4pt Sans;margin:0;color:#5a5664}`, body.String())
}
