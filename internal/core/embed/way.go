package embed

import (
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	addr "incipit/internal/core/address"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
)

// Way is how a placement stands on a web page.
type Way string

// The ways.
const (
	Inline  Way = "inline"  // an inline frame, HTML alone
	Element Way = "element" // an element that a script fills
	Link    Way = "link"    // a line of text that opens it
	Button  Way = "button"  // the same, looking like a button
	Cover   Way = "cover"   // a page as a picture that opens it
	Bare    Way = "bare"    // its address on a line of its own (oEmbed)
	Upgrade Way = "upgrade" // a plain link that a script makes a viewer
)

// Ways are all of them, in the order in which they are offered.
func Ways() []Way { return []Way{Inline, Element, Link, Button, Cover, Bare, Upgrade} }

// When an element starts, and where what opens is opened.
const (
	Near  = "near"  // when it comes near the window
	Press = "press" // when it is pressed; until then page 1 is a picture
	Now   = "now"   // at once

	Over = "over" // over the page
	Here = "here" // in the same window
	New  = "new"  // in a new one
)

// Choice is a way with what belongs to it. The zero value of each field is
// what most people want.
type Choice struct {
	Way    Way
	Starts string // of Element: Near, Press or Now
	Follow bool   // of Element: its height follows the page that is read
	Opens  string // of Link, Button and Cover: Over, Here or New
	Words  string // on the link, the button or the press; the title where empty
	Page   int    // opens here; 0 is where the placement opens
	Zoom   int    // percent; 0 is as the placement opens
	Search string // looked for at opening
	Cover  int    // of Cover: the page on the picture; 0 is the first
	Close  string // what the close button of a document over the page is called
	// Own is a picture of the editor's own for Cover, or nil; Alt says what it
	// shows, where that is not what the link says.
	Own *OwnPicture
	Alt string
}

// OwnPicture is a picture that stands in place of a page.
type OwnPicture struct {
	Address       string // whole
	Width, Height int    // px
}

// Place is the fragment of an address (RFC 8118, 3) for where a choice opens. A page is one
// of an edition, by its mark: in another one it is where its content went.
func (c Choice) Place(edition string) string {
	var parts []string
	if c.Page > 0 {
		if edition != "" {
			parts = append(parts, "edition="+edition)
		}
		parts = append(parts, "page="+strconv.Itoa(c.Page))
	}
	if c.Zoom > 0 {
		parts = append(parts, "zoom="+strconv.Itoa(c.Zoom))
	}
	if c.Search != "" {
		parts = append(parts, "search="+strings.ReplaceAll(url.QueryEscape(c.Search), "+", "%20"))
	}
	return strings.Join(parts, "&")
}

// Check says what is wrong with a choice, in a sentence, or "".
func (c Choice) Check(pages int) string {
	switch {
	case !slices.Contains(Ways(), c.Way):
		return "There is no such way to stand on a page."
	case !slices.Contains([]string{"", Near, Press, Now}, c.Starts):
		return "A viewer starts when it comes near, when it is pressed, or at once."
	case !slices.Contains([]string{"", Over, Here, New}, c.Opens):
		return "A document opens over the page, in the same window or in a new one."
	case c.Page < 0 || c.Page > pages:
		return fmt.Sprintf("The document has pages 1 to %d.", pages)
	case c.Cover < 0 || c.Cover > pages:
		return fmt.Sprintf("The cover is one of pages 1 to %d.", pages)
	case c.Zoom != 0 && (c.Zoom < setting.MinZoom || c.Zoom > setting.MaxZoom):
		return fmt.Sprintf("Zoom is %d to %d %%.", setting.MinZoom, setting.MaxZoom)
	case len(c.Alt) > 400:
		return "What a picture shows is said in at most 400 characters."
	case len(c.Words) > 200, len(c.Search) > 120, len(c.Close) > 40:
		return "That is too long: at most 200 characters on a link, 120 to search for."
	}
	return ""
}

const buttonStyle = "display:inline-block;padding:8px 18px;border-radius:3px;background:#9c2a24;color:#fffdf8;text-decoration:none"

var ways = template.Must(template.New("").Parse(`
{{- define "script"}}<script async src="{{.Script}}"{{with .Close}} data-close="{{.}}"{{end}}></script>{{end}}
{{- define "element"}}<incipit-placement of="{{.Base}}"{{with .Place}} at="{{.}}"{{end}} label="{{.Title}}"{{with .Starts}} starts="{{.}}"{{end}}{{if .Follow}} height="follows"{{end}}{{if .Words}} words="{{.Words}}"{{end}} style="display:grid;width:{{.Box.Width}}{{with .Box.Fixed}};height:{{.}}{{end}}{{with .Box.Margin}};margin:{{.}}{{end}}"><a href="{{.Address}}"{{with .Inside}} style="height:0;padding-bottom:{{.}}"{{end}}>{{.Title}}</a></incipit-placement>
{{template "script" .}}
{{end}}
{{- define "a"}}<a href="{{.Address}}"{{if eq .Opens "over"}} data-incipit="over"{{else if eq .Opens "new"}} target="_blank" rel="noopener"{{end}}{{if .Differs}} title="{{.Title}}"{{end}}{{end}}
{{- define "link"}}{{template "a" .}}>{{.Said}}</a>{{if eq .Opens "over"}}
{{template "script" .}}{{end}}
{{end}}
{{- define "button"}}{{template "a" .}} style="{{.ButtonStyle}}">{{.Said}}</a>{{if eq .Opens "over"}}
{{template "script" .}}{{end}}
{{end}}
{{- define "cover"}}{{template "a" .}}><img src="{{.CoverAddress}}" alt="{{.Alt}}" width="{{.CoverWidth}}" height="{{.CoverHeight}}" loading="lazy" style="max-width:100%;height:auto;box-shadow:0 0 0 1px #d9cfba"></a>{{if eq .Opens "over"}}
{{template "script" .}}{{end}}
{{end}}
{{- define "bare"}}{{.Address}}
{{end}}
{{- define "upgrade"}}<a href="{{.Address}}" data-incipit="here" style="display:block;width:{{.Box.Width}};height:{{if .Box.Room}}0;padding-bottom:{{.Box.Room}}{{else}}{{.Box.Fixed}}{{end}}{{with .Box.Margin}};margin:{{.}}{{end}}">{{.Title}}</a>
{{template "script" .}}
{{end}}`))

// coverWidth is how wide a cover stands, in CSS px; its picture is twice as wide.
const coverWidth = 240

// Written gives the code for a choice.
func (c Choice) Written(s setting.Settings, subject Subject) (string, error) {
	address := subject.Address
	if place := c.Place(subject.Edition); place != "" {
		address += "#" + place
	}
	if c.Way == Inline {
		return Code(s, Subject{Address: address, Title: subject.Title, Pages: subject.Pages})
	}
	cover := max(c.Cover, 1)
	first := subject.Pages.Sheets[cover-1]
	said, opens := c.Words, c.Opens
	if said == "" {
		said = subject.Title
	}
	if opens == "" {
		opens = Over
	}
	starts := c.Starts
	if starts == Near {
		starts = ""
	}
	coverAddress, coverHeight := fmt.Sprintf("%s/cover/%d/480", subject.Address, cover), first.Height/first.Width
	if c.Cover > 1 && subject.Edition != "" {
		coverAddress += "?of=" + subject.Edition
	}
	if c.Own != nil {
		coverAddress, coverHeight = c.Own.Address, float64(c.Own.Height)/float64(c.Own.Width)
	}
	alt := c.Alt
	if alt == "" {
		alt = said
	}
	return written(ways, string(c.Way), map[string]any{
		"Address": address, "Base": subject.Address, "Place": c.Place(subject.Edition), "Title": subject.Title, "Said": said, "Differs": said != subject.Title,
		"Words":  c.Words,
		"Script": origin(subject.Address) + addr.Script, "Close": c.Close, "Starts": starts, "Follow": c.Follow, "Opens": opens,
		"Box": boxOf(s, subject.Pages), "Inside": template.CSS(frame.Inside(s, subject.Pages)), "ButtonStyle": template.CSS(buttonStyle),
		"CoverAddress": coverAddress, "Alt": alt, "CoverWidth": coverWidth, "CoverHeight": int(coverWidth*coverHeight + 0.5),
	})
}

// Pinned is the element of one version of the script, by its name and what browsers
// check it by (Subresource Integrity, 3.1).
func Pinned(ours, name, integrity string) string {
	return fmt.Sprintf(`<script async src="%s" integrity="%s" crossorigin></script>`, ours+addr.ScriptNamed(name), integrity)
}

// origin is the scheme and host of an address.
func origin(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host
}
