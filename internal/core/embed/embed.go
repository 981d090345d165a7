// Package embed writes the piece of HTML that sets a placement on a web page.
//
// The code is plain HTML that a person could have written: a frame over an empty
// element whose padding keeps the room, in percent of the column, so that nothing on
// the page moves when the document arrives (CSS Box 3, 4.1; CSS Grid 2, 7.2). The
// frame is in the flow, and gives boxes that shrink to what they hold a width. What
// else belongs to a placement stands in the frame's own page. Where a website strips
// styles, the frame's width and height attributes stay.
package embed

import (
	"bytes"
	"fmt"
	"html/template"
	"strings"

	addr "incipit/internal/core/address"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
)

// Subject is what is set on the page.
type Subject struct {
	Address string // of the reader: PUBLIC/r/KEY
	Title   string
	Pages   frame.Pages
	Edition string // whose pages those are, by its mark (see library.Edition); "" is not told
}

// box holds the styles of an outer box.
type box struct {
	Width    template.CSS // of what shows the document
	Room     template.CSS // of what keeps its room; "" where the height is fixed
	Fixed    template.CSS
	Dress    template.CSS // a shadow, which no frame's own page can throw
	Margin   template.CSS
	Low      bool // the room may be less than the 150 px that an empty frame has
	Fallback int
}

// An empty frame is 150 px tall (CSS 2, 10.6.2); narrowest is the width at which it is
// asked whether the room is less.
const (
	emptyFrame = 150
	narrowest  = 200
)

func boxOf(s setting.Settings, p frame.Pages) box {
	style := frame.CSS(s, p)
	out := box{Width: template.CSS(style.Across), Room: template.CSS(style.Down), Fixed: template.CSS(style.Fixed), Fallback: style.Fallback}
	if !strings.HasPrefix(style.Across, "round(down,100%,") {
		out.Width = template.CSS(style.PlainAcross + ";width:" + style.Across)
		out.Margin = template.CSS(style.Margin)
	}
	out.Low = frame.Layout(s, p, narrowest, 800).Height < emptyFrame
	if s.Shadow != setting.NoShadow {
		out.Dress = template.CSS(style.Dress)
	}
	return out
}

// html/template escapes each value for where it stands; the styles are made of
// numbers and units alone.
var code = template.Must(template.New("code").Parse(`
{{- define "rest"}};border:0{{with .Box.Margin}};margin:{{.}}{{end}}{{with .Box.Dress}};{{.}}{{end}}" loading="lazy" allowfullscreen referrerpolicy="no-referrer-when-downgrade"></iframe>{{end}}
{{- define "inline"}}{{if .Box.Room}}<div style="display:grid;width:100%"><b style="grid-area:1/1;padding-bottom:{{.Box.Room}}"></b>{{end}}<iframe src="{{.Address}}" title="{{.Title}}" width="100%" height="{{.Box.Fallback}}" style="{{if .Box.Room}}grid-area:1/1;width:{{.Box.Width}};{{if .Box.Low}}height:0;min-height:100%{{else}}height:100%{{end}}{{else}}display:block;width:{{.Box.Width}};height:{{.Box.Fixed}}{{end}}{{template "rest" .}}{{if .Box.Room}}</div>{{end}}
{{end}}`))

// Code gives the HTML for a placement with settings s.
func Code(s setting.Settings, subject Subject) (string, error) {
	return written(code, "inline", map[string]any{"Address": subject.Address, "Title": subject.Title, "Box": boxOf(s, subject.Pages)})
}

func written(t *template.Template, name string, data any) (string, error) {
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		return "", fmt.Errorf("write the code (%s): %w", name, err)
	}
	// The escaper writes a plus sign as &#43;, which is right and hard to read.
	return strings.ReplaceAll(b.String(), "&#43;", "+"), nil
}

// Collection is a collection that is set on a page.
type Collection struct {
	Address string // PUBLIC/c/KEY
	Name    string
	Height  int // CSS px
}

var collectionCode = template.Must(template.New("").Parse(`
{{- define "inline"}}<iframe src="{{.Address}}" title="{{.Name}}" width="100%" height="{{.Height}}" style="display:block;border:0;width:100%;height:{{.Height}}px" loading="lazy" allowfullscreen referrerpolicy="no-referrer-when-downgrade"></iframe>
{{end}}
{{- define "element"}}<incipit-placement of="{{.Address}}" label="{{.Name}}" choice="shown" style="display:block;width:100%;height:{{.Height}}px"><a href="{{.Address}}">{{.Name}}</a></incipit-placement>
<script async src="{{.Script}}"></script>
{{end}}`))

// Code gives the HTML for a collection: as an inline frame, or as an element
// with script, which keeps what is chosen in the page's address.
func (c Collection) Code(w Way) (string, error) {
	return written(collectionCode, string(w), map[string]any{"Address": c.Address, "Name": c.Name, "Height": c.Height,
		"Script": origin(c.Address) + addr.Script})
}
