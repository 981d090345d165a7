package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// scripted is a page of scripts.pdf: how it is set, and its paragraphs, which are
// what a reading of it must give, in their order. HTML stands in html where a
// paragraph's text alone does not make it.
type scripted struct {
	Name   string   `json:"name"`
	Wanted []string `json:"wanted"`
	Words  bool     `json:"words,omitempty"` // they are asked for in any order
	lang   string
	style  string
	html   string
}

const people = "Counts are made by people who agree. Two observers stand at each hide from two hours before high water until the flock has settled, and each writes a number before either speaks. The numbers are compared, and where they differ by more than a tenth the flock is counted again."

const tides = "A tide of 5.1 m covers the north path. Ask at the office when it closes; the warden will tell you the time of high water, and how long the boards stay wet after it."

// pagesInScripts are sentences of the observatory in the scripts that readers
// come with, set in the ways that hurt.
func pagesInScripts() []scripted {
	rtl := "direction:rtl;"
	three := strings.Split(people+" "+tides+" "+people, ". ")
	columns := strings.Join(three, ". ")
	return []scripted{
		{Name: "Persian with figures and Latin words", lang: "fa", style: rtl + "font-family:'Noto Naskh Arabic'", Wanted: []string{
			"در سال ۱۴۰۵ از ۲۴۸ پرنده در تالاب Harrowmere شمارش شد.", "برای دیدن فهرست به www.harrowmere.example (بخش Tides) بروید؛ نسخه 2.5 آن تازه است."}},
		{Name: "Arabic with marks and brackets", lang: "ar", style: rtl + "font-family:'Noto Naskh Arabic'", Wanted: []string{
			"المستنقع مفتوح من 08:30 إلى 17:45 كل يوم (ما عدا الاثنين).",
			"يُرجى البقاء على الممرات، فالطين عميق والمدّ يأتي أسرع مما يستطيع الإنسان أن يمشي."}},
		{Name: "Hebrew with English in brackets", lang: "he", style: rtl + "font-family:'Noto Serif Hebrew'", Wanted: []string{
			"ספירת הציפורים (bird count) נעשית ב-14 במאי 2026, עם שחר.", "שאלו את השומרת [Maren Oakes] מתי נסגר השביל הצפוני: 5.1 מטר."}},
		{Name: "Urdu", lang: "ur", style: rtl + "font-family:'Noto Naskh Arabic'", Wanted: []string{
			"دلدل میں پرندوں کی گنتی ہر ماہ کی پہلی اتوار کو ہوتی ہے۔", "سنہ 2026 میں 1200 پرندے گنے گئے۔"}},
		{Name: "Hebrew words in an English line", lang: "en", style: "font-family:Literata,'Noto Serif Hebrew'", Wanted: []string{
			"The sign at the gate says שלום לכם in blue letters, and 7 more words."}},
		{Name: "Hindi", lang: "hi", style: "font-family:'Noto Serif Devanagari'", Wanted: []string{
			"दलदल में पक्षियों की गिनती हर महीने होती है।", "कृपया लकड़ी के रास्ते पर ही चलें, कीचड़ गहरा है।"}},
		{Name: "Thai", lang: "th", style: "font-family:'Noto Serif Thai'", Wanted: []string{
			"นกชายเลนมาถึงหนองน้ำในฤดูหนาว เราใช้กล้องนับนก"}},
		{Name: "Korean", lang: "ko", style: "font-family:NanumMyeongjo", Wanted: []string{
			"갯벌의 새를 세는 날은 매달 첫 일요일입니다.", "북쪽 길은 밀물 때 물에 잠깁니다(5.1 m)."}},
		{Name: "Japanese in vertical lines", lang: "ja", style: "writing-mode:vertical-rl;font-family:IPAexMincho;height:150mm", Wanted: []string{
			"三月になると、湿地の水は少しずつ引いていきます。タゲリが草地の上で声をあげ、アカアシシギが杭の上に立ちます。", "潮の高い日には、北の道が水につかります。"}},
		{Name: "Japanese with ruby", lang: "ja", style: "font-family:IPAexMincho;line-height:2.2", Wanted: []string{
			"三月になると、湿地の水は少しずつ引いていきます。", "潮の高い日には、北の道が水につかります。"},
			html: `<p><ruby>三月<rt>さんがつ</rt></ruby>になると、<ruby>湿地<rt>しっち</rt></ruby>の水は少しずつ引いていきます。</p><p><ruby>潮<rt>しお</rt></ruby>の高い日には、北の道が水につかります。</p>`},
		{Name: "Japanese in vertical lines with ruby", lang: "ja", style: "writing-mode:vertical-rl;font-family:IPAexMincho;height:150mm;line-height:2.2", Wanted: []string{
			"三月になると、湿地の水は少しずつ引いていきます。", "潮の高い日には、北の道が水につかります。"},
			html: `<p><ruby>三月<rt>さんがつ</rt></ruby>になると、<ruby>湿地<rt>しっち</rt></ruby>の水は少しずつ引いていきます。</p><p><ruby>潮<rt>しお</rt></ruby>の高い日には、北の道が水につかります。</p>`},
		{Name: "with a formula", lang: "en", style: "font-family:Literata",
			Wanted: []string{people, "N = n × (1 + α) − β ÷ 2", "where β is what two observers saw twice."},
			html:   `<p>` + people + `</p><p style="text-align:center">N = n × (1 + α) − β ÷ 2</p><p>where β is what two observers saw twice.</p>`},
		{Name: "justified in narrow lines", lang: "en", style: "text-align:justify;width:52mm;hyphens:none;font-size:9.5pt",
			Wanted: []string{people}},
		{Name: "set tightly", lang: "en", style: "word-spacing:-.04em;letter-spacing:-.02em", Wanted: []string{tides}},
		{Name: "letterspaced", lang: "en", style: "letter-spacing:.16em", Wanted: []string{tides}},
		{Name: "kerned", lang: "en", style: "font-size:19pt;font-kerning:normal",
			Wanted: []string{"WAVY TOYS. Ty To Va We AVOCET, LAPWING. Yes: Tern, Tide."}},
		{Name: "with accents", lang: "fr", Wanted: []string{"Élodie préfère l’été à Noël; où êtes-vous, garçon? Çà et là, Œuvre, naïve, Åse, Žižka, ő."}},
		{Name: "in three columns", lang: "en", style: "columns:3;column-gap:5mm;font-size:8pt;text-align:left", Wanted: []string{columns}},
		{Name: "beside a margin note", lang: "en", Wanted: []string{people, "Bring boots: the path floods."},
			html: fmt.Sprintf(`<div style="position:absolute;left:18mm;width:70mm">%s</div><div style="position:absolute;left:98mm;width:26mm;top:20mm;font-size:8pt">Bring boots: the path floods.</div>`, people)},
		{Name: "authors beside each other", Words: true, lang: "en", Wanted: []string{"Ines Calloway Harrowmere", "Tomas Brandt Saltwick",
			"Maren Oakes Northstead", people},
			html: `<div style="display:flex;text-align:center;margin-bottom:6mm"><div style="flex:1">Ines Calloway<br>Harrowmere</div><div style="flex:1">Tomas Brandt<br>Saltwick</div><div style="flex:1">Maren Oakes<br>Northstead</div></div><p>` + people + `</p>`},
		{Name: "with raised and lowered letters", lang: "en", Wanted: []string{"Of H2O and CO2 we took 103 samples; E=mc2 holds, as Brandt1 says, and x1+x2=y."},
			html: `<p>Of H<sub>2</sub>O and CO<sub>2</sub> we took 10<sup>3</sup> samples; E=mc<sup>2</sup> holds, as Brandt<sup>1</sup> says, and x<sub>1</sub>+x<sub>2</sub>=y.</p>`},
		{Name: "in words of two fonts", lang: "en", Wanted: []string{"The Avocet nests here, unlike the lapwings."},
			html: `<p>The <b>A</b>vocet <i>nests</i> h<b>er</b>e, <b>un</b>like the lap<span style="font-size:13pt">wings</span>.</p>`},
		{Name: "printed twice", lang: "en", Wanted: []string{"Seen from the tower"},
			html: `<p style="position:absolute;left:20.2mm;top:30.2mm;color:#999;font-size:18pt">Seen from the tower</p><p style="position:absolute;left:20mm;top:30mm;font-size:18pt">Seen from the tower</p>`},
	}
}

// scripts writes the pages and what is wanted of them.
func scripts(b *browser, dir string) error {
	pages := pagesInScripts()
	var body strings.Builder
	for _, p := range pages {
		html := p.html
		if html == "" {
			html = "<p>" + strings.Join(p.Wanted, "</p><p>") + "</p>"
		}
		fmt.Fprintf(&body, `<section class="page" lang="%s"><div style="%s">%s</div></section>`, p.lang, p.style, html)
	}
	made, err := b.document("In many scripts", "en", `@page{size:148mm 210mm;margin:0}.page{width:148mm;height:209.9mm;padding:18mm}`,
		body.String())
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, "scripts.pdf"), made, 0o644); err != nil {
		return err
	}
	wanted, err := json.MarshalIndent(pages, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "scripts.json"), append(wanted, '\n'), 0o644)
}
