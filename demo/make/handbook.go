package main

import (
	_ "embed"
	"fmt"
	"html"
	"regexp"
	"strings"
)

//go:embed handbook.txt
var handbookText string

type section struct {
	chapter, number int // number within the chapter; 0 opens it
	title           string
	paragraphs      []string
	page            int // in the body, from 1
}

func (s section) id() string { return fmt.Sprintf("s%d-%d", s.chapter, s.number) }

// sections reads the text: # chapter, ## section, a paragraph a line.
func sections() []section {
	var out []section
	chapter, number := 0, 0
	for _, line := range strings.Split(strings.TrimSpace(handbookText), "\n") {
		switch {
		case strings.HasPrefix(line, "# "):
			chapter, number = chapter+1, 0
			out = append(out, section{chapter: chapter, title: line[2:], page: len(out) + 1})
		case strings.HasPrefix(line, "## "):
			number++
			out = append(out, section{chapter: chapter, number: number, title: line[3:], page: len(out) + 1})
		default:
			last := &out[len(out)-1]
			last.paragraphs = append(last.paragraphs, line)
		}
	}
	return out
}

var crossLink = regexp.MustCompile(`section \{(\d+)\.(\d+)\}`)

func paragraph(text string) string {
	return "<p>" + crossLink.ReplaceAllString(html.EscapeString(text), `<a href="#s$1-$2">section $1.$2</a>`) + "</p>"
}

func handbook(b *browser) ([]byte, error) {
	all := sections()
	var body strings.Builder
	body.WriteString(`<section class="page title"><p class="over">Harrowmere Bird Observatory</p><h1>Volunteer handbook</h1><p class="under">Ninth edition, 2026</p></section>`)
	body.WriteString(`<section class="page front"><p><b>Harrowmere Bird Observatory</b><br>The Sluice House, Harrowmere</p><p>Written by wardens and volunteers since 1948. This edition was put in order by Maren Oakes and read by the count leaders.</p><p>Corrections are welcome: leave a note in the green file or write to <a href="mailto:warden@harrowmere.example">warden@harrowmere.example</a>. The newest edition is always on <a href="https://harrowmere.example/volunteering">our website</a>.</p><p>In an emergency on the marsh call on radio channel 4 and say “sluice”. See <a href="#s2-7">section 2.7</a>.</p><p class="no">ii</p></section>`)
	half := len(all)
	for i, s := range all {
		if s.chapter == 4 && s.number == 0 {
			half = i
		}
	}
	for part, span := range [][]section{all[:half], all[half:]} {
		fmt.Fprintf(&body, `<section class="page front"><h2 class="contents">Contents%s</h2><ol class="toc">`,
			map[int]string{1: ", continued"}[part])
		for _, s := range span {
			class, number := "in", fmt.Sprintf("%d.%d", s.chapter, s.number)
			if s.number == 0 {
				class, number = "ch", fmt.Sprint(s.chapter)
			}
			fmt.Fprintf(&body, `<li class="%s"><a href="#%s"><span>%s</span><span>%s</span><span>%d</span></a></li>`, class, s.id(), number,
				html.EscapeString(s.title), s.page)
		}
		fmt.Fprintf(&body, `</ol><p class="no">%s</p></section>`, []string{"iii", "iv"}[part])
	}
	chapter := ""
	for _, s := range all {
		if s.number == 0 {
			chapter = s.title
			fmt.Fprintf(&body, `<section class="page opener"><p class="big">%d</p><h1 id="%s">%s</h1><p class="no">%d</p></section>`, s.chapter,
				s.id(), html.EscapeString(s.title), s.page)
			continue
		}
		fmt.Fprintf(&body, `<section class="page"><p class="running">%d · %s</p><h2 id="%s">%s</h2>`, s.chapter, html.EscapeString(chapter),
			s.id(), html.EscapeString(s.title))
		for _, p := range s.paragraphs {
			body.WriteString(paragraph(p))
		}
		fmt.Fprintf(&body, `<p class="no">%d</p></section>`, s.page)
	}
	made, err := b.document("Volunteer handbook", "en", `@page{size:A5;margin:0}.page{width:148mm;height:209.9mm;padding:20mm 18mm 20mm 20mm;font-size:11pt;line-height:1.5}
.title{padding-top:62mm}.over,.under{font:12pt Sans;color:#5a5664}.title h1{font-size:30pt}.opener{padding-top:52mm}.opener h1{font-size:24pt}.big{font-size:54pt;color:#9c2a24;margin:0;line-height:1}
.running{font-style:italic;color:#5a5664;font-size:10pt;margin:0 0 7mm}h2{font-size:16pt}.front{font-size:10.5pt}.no{position:absolute;bottom:9mm;left:0;right:0;text-align:center;font:9.5pt Sans;margin:0}
.contents{font-size:15pt}.toc{list-style:none;margin:0;padding:0;font:9.4pt/1.38 Sans}.toc a{display:grid;grid-template-columns:8mm 1fr auto;color:#23222b}.toc .ch{font-weight:600;margin-top:1.6mm}`, body.String())
	if err != nil {
		return nil, err
	}
	a, err := amend(made)
	if err != nil {
		return nil, err
	}
	// Front matter i to iv, then from 1 (ISO 32000-2, 12.4.2).
	a.enter(a.root, "/PageLabels <</Nums [0 <</S /r>> 4 <</S /D>>]>>")
	return a.bytes(), nil
}
