// Package embed writes the piece of HTML that sets a placement on a web page.
//
// The code is plain HTML: an inline frame whose height follows the column it
// stands in, exactly, by CSS alone; nothing on the page moves when the document
// arrives. Where a website strips styles, the frame's height attribute stays;
// where it strips frames, the line below it still leads to the document.
package embed

import (
	"bytes"
	"fmt"
	"html/template"
	"strings"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
)

// Subject is what is set on the page.
type Subject struct {
	Address string // of the reader: PUBLIC/r/KEY
	Title   string
	Pages   frame.Pages
}

// html/template escapes each value for where it stands; the styles are made of
// numbers and units alone.
var code = template.Must(template.New("code").Parse(
	`<div style="container-type:inline-size;width:100%">` +
		`<iframe src="{{.Address}}" title="{{.Title}}" width="100%" height="{{.Style.Fallback}}" ` +
		`style="display:block;box-sizing:border-box;border:0;width:{{.PlainWidth}};width:{{.Width}};height:{{.PlainHeight}};height:{{.Height}};margin:{{.Margin}};{{.Dress}}" ` +
		`loading="lazy" allow="fullscreen" referrerpolicy="no-referrer-when-downgrade"></iframe>` +
		`<p style="width:{{.PlainWidth}};height:{{.Caption}}px;margin:{{.Margin}};overflow:hidden;font-size:13px;line-height:{{.Caption}}px;white-space:nowrap">` +
		`<a href="{{.Address}}" target="_blank" rel="noopener">Open in its own window</a></p></div>` + "\n"))

// Code gives the HTML for a placement with settings s.
func Code(s setting.Settings, subject Subject) (string, error) {
	style := frame.CSS(s, subject.Pages)
	var b bytes.Buffer
	if err := code.Execute(&b, map[string]any{
		"Address": subject.Address, "Title": subject.Title, "Style": style,
		"Width": template.CSS(style.Width), "PlainWidth": template.CSS(style.PlainWidth), "PlainHeight": template.CSS(style.PlainHeight), "Height": template.CSS(style.Height), "Margin": template.CSS(style.Margin), "Dress": template.CSS(style.Dress),
		"Caption": int(frame.Caption),
	}); err != nil {
		return "", fmt.Errorf("write the embed code: %w", err)
	}
	// The escaper writes a plus sign as &#43;, which is right and hard to read.
	return strings.ReplaceAll(b.String(), "&#43;", "+"), nil
}

// Gathered is a collection that is set on a page.
type Gathered struct {
	Address string // PUBLIC/c/KEY
	Name    string
	Height  int // CSS px
}

var gathered = template.Must(template.New("").Parse(`
{{- define "inline"}}<iframe src="{{.Address}}" title="{{.Name}}" width="100%" height="{{.Height}}" style="display:block;box-sizing:border-box;border:0;width:100%;height:{{.Height}}px" loading="lazy" allow="fullscreen" referrerpolicy="no-referrer-when-downgrade"></iframe>
{{end}}
{{- define "element"}}<incipit-placement of="{{.Address}}" label="{{.Name}}" style="display:block;width:100%;height:{{.Height}}px"><a href="{{.Address}}">{{.Name}}</a></incipit-placement>
<script async src="{{.Script}}"></script>
{{end}}`))

// Code gives the HTML for a collection: as an inline frame, or as an element
// with script, which keeps what is chosen in the page's address.
func (g Gathered) Code(w Way) (string, error) {
	var b bytes.Buffer
	if err := gathered.ExecuteTemplate(&b, string(w), map[string]any{"Address": g.Address, "Name": g.Name, "Height": g.Height, "Script": origin(g.Address) + "/onpage.js"}); err != nil {
		return "", fmt.Errorf("write the code of a collection: %w", err)
	}
	return b.String(), nil
}
