package main

import (
	"fmt"

	"incipit/internal/pdf/xmp"
)

// rights is a packet of metadata (XMP) that states a licence.
const rights = `<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?>
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmpRights="` + xmp.Management + `">
<xmpRights:WebStatement>https://creativecommons.org/licenses/by/4.0/</xmpRights:WebStatement>
<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">Creative Commons Attribution 4.0</rdf:li></rdf:Alt></dc:rights>
</rdf:Description></rdf:RDF>
<?xpacket end="r"?>`

// paper is a short paper in two columns with a summary across both, running
// heads, page numbers, words divided at line ends and a table; its metadata name
// its licence.
func paper(b *browser) ([]byte, error) {
	made, err := columns(b)
	if err != nil {
		return nil, err
	}
	a, err := amend(made)
	if err != nil {
		return nil, err
	}
	packet := a.add(fmt.Sprintf("<</Type /Metadata /Subtype /XML /Length %d>>\nstream\n%s\nendstream", len(rights), rights))
	a.enter(a.root, fmt.Sprintf("/Metadata %d 0 R", packet))
	return a.bytes(), nil
}

func columns(b *browser) ([]byte, error) {
	head := func(n string) string {
		return `<p class="head">Harrowmere Survey Papers 14 · 2026</p><p class="foot">` + n + `</p>`
	}
	return b.document("Where the Knot went", "en", `@page{size:A4;margin:0}.page{width:210mm;height:296.9mm;padding:24mm 20mm 20mm}
.head,.foot{position:absolute;left:20mm;right:20mm;margin:0;font:8.5pt Sans;color:#5a5664}.head{top:12mm;border-bottom:.2mm solid #b9ae97;padding-bottom:1mm}.foot{bottom:10mm;text-align:center}
h1{font-size:21pt;margin-bottom:3mm}h2{font-size:12.5pt;margin:5mm 0 2mm}h2:first-child{margin-top:0}.by{font:10pt Sans;margin-bottom:5mm}.short{font-size:10pt;padding:0 8mm;margin-bottom:6mm}
.cols{columns:2;column-gap:8mm;column-fill:auto;text-align:justify;font-size:9.5pt;line-height:1.42}.cols p{margin:0;text-indent:4mm}.cols h2+p,.cols p.flush{text-indent:0}
table{border-collapse:collapse;font:9pt Sans;width:100%;margin:3mm 0}th{text-align:left;font-weight:600}td,th{padding:.8mm 2mm .8mm 0;border-bottom:.2mm solid #d9cfba}td+td,th+th{text-align:right}
ol{margin:2mm 0;padding-left:6mm}`, `<section class="page">`+head("1")+`<h1>Where the Knot went</h1><p class="by">Ines Calloway and Tomas Brandt, Harrowmere Bird Observatory</p>
<p class="short">Between 2014 and 2026 the count of Knot at the evening roost fell by a third, while the count on the flats at low water did not. We compare twelve winters of counts with the height of the tide and find that birds have moved to the outer bank on the highest tides. The roost is not in decline; it has two addresses.</p>
<div class="cols" style="height:140mm"><h2>What was counted</h2><p>Every winter since 1954 volun&shy;teers have counted the waders that gather on the scrape at high water. The method has changed little: three people count the same flock at the same moment, and the middle figure stands. Over the twelve winters used here one hundred and sixty-three ob&shy;servers took part, and two of them in every count.</p>
<p>A roost count is a count of birds that have no&shy;where else to be. When the flats are cov&shy;ered, Knot stand close to&shy;gether on the nearest dry ground, and a flock of eight thou&shy;sand takes up no more room than a tennis court. This makes them easy to count and easy to miss: a flock that stands behind the outer bank is in&shy;visible from every hide.</p>
<h2>The height of the tide</h2><p>Tide heights are read at the board&shy;walk post twice a day. We di&shy;vide the counts into three groups: neaps, when high water stays below 4.1 m; ordi&shy;nary tides; and springs above 5.0 m, when the scrape itself is under water and the birds must leave it.</p>
<p>On neaps the count has not changed. On ordi&shy;nary tides it has fallen slowly. On springs it has col&shy;lapsed, from a mean of five thou&shy;sand in the first four winters to fewer than nine hundred in the last four. If birds were dying or leav&shy;ing the estu&shy;ary, all three groups would fall to&shy;gether; they do not.</p>
<h2>Looking behind the bank</h2><p>In the winter of 2025 we put a second ob&shy;server on the sea&shy;wall, where the back of the outer bank can be seen. On eleven spring tides the ob&shy;server found be&shy;tween two and six thou&shy;sand Knot stand&shy;ing there in long lines, facing the wind. The earliest record of the habit is a note by the warden of the day, who wrote in his log&shy;book that the birds “went over the bank like smoke” on a tide of 5.3 m. He did not count them.</p><p>The outer bank was raised by half a metre in 2016. Before that year it was cov&shy;ered on the highest tides and offered no roost. It is since then that the counts on springs have fallen, and the fall is steep&shy;est in the two winters after the work.</p>
<h2>What we propose</h2><p>We propose that spring tide counts be made from both places at once and that the two fig&shy;ures be added. The long series need not be broken: neap tide counts can be com&shy;pared over the whole period.</p><ol><li>Two ob&shy;servers on every tide above 5.0 m.</li><li>A radio be&shy;tween them, so that birds in the air are counted once.</li><li>The fig&shy;ures kept apart in the log&shy;book, so that nobody adds them twice.</li></ol></div></section>
<section class="page">`+head("2")+`<div class="cols" style="height:120mm"><h2>Mean counts</h2><table><tr><th>Winters</th><th>Neaps</th><th>Ordinary</th><th>Springs</th></tr><tr><td>2014–2018</td><td>6,120</td><td>5,840</td><td>5,010</td></tr><tr><td>2018–2022</td><td>6,240</td><td>5,310</td><td>2,470</td></tr><tr><td>2022–2026</td><td>6,090</td><td>4,980</td><td>880</td></tr></table>
<p class="flush">The table gives means of three counts in each of the months from Novem&shy;ber to Febru&shy;ary. Counts in fog are left out, as are two counts on which the ob&shy;servers disagreed by more than a quarter.</p>
<h2>Doubts</h2><p>Two things could mislead us. Birds that stand in lines are easier to over&shy;estimate than birds in a mass, and the sea&shy;wall ob&shy;server was the same person on nine of eleven tides. We asked four others to count from photo&shy;graphs; their fig&shy;ures were within a tenth of hers.</p><p>The second doubt is weather. All eleven tides came with a westerly wind, and we do not know where the birds stand in an easterly. The bank gives no shelter then. It may be that the flock has a third address that nobody has looked for.</p>
<h2>Thanks</h2><p>We thank everyone who stood in the cold. Without their pa&shy;tience there would be no series to argue about.</p></div></section>`)
}
