package setting

import (
	"fmt"
	"strconv"
	"strings"

	"incipit/internal/core/contrast"
	"incipit/internal/core/toolbar"
)

// Group is a part of the panel that settings stand in.
type Group string

// The groups, in their order.
const (
	InFrame   Group = "frame"
	InPages   Group = "pages"
	InToolbar Group = "toolbar"
	InTake    Group = "take" // what readers may take
	InDress   Group = "dress"
)

// Row is one setting: what it is called, what it may be, and how that is said. What checks
// settings, words them, offers them on the panel, describes them in the documentation and
// declares them for scripts goes by the rows.
type Row struct {
	Key   Key
	Group Group
	Name  string // for an editor
	Label string // on the panel, where what is around it says the rest
	// Outer is for what only sizes or places the frame or lies around it: what is inside is
	// drawn as before, in its new room.
	Outer bool
	// Explained says what it does and what it costs, for somebody who sees it for the first
	// time.
	Explained string
	Form      Form
}

// Labelled is what the panel calls it.
func (r Row) Labelled() string {
	if r.Label != "" {
		return r.Label
	}
	return r.Name
}

// rows are all settings in the order of the bench.
var rows = []Row{
	{Width, InFrame, "Width", "", true,
		"How much of its column the document takes. A share shrinks on phones; pixels stay until the column is narrower.",
		Special[Length]{func(s *Settings) *Length { return &s.Width }, Length{100, Percent}, checkWidth, sayWidth,
			fmt.Sprintf("%d to %d %% of the column, or %d to %d px", MinPercent, wholePercent, MinWidth, MaxPixels)}},
	{LeastWidth, InFrame, "At least", "", true,
		"The frame is never narrower. In a column that is narrower still it sticks out.",
		Limit{func(s *Settings) *float64 { return &s.LeastWidth }, "A minimum", MinWidth, MaxPixels, "px", "no minimum"}},
	{MaxWidth, InFrame, "At most", "", true,
		"The frame is never wider, however wide the page.",
		Limit{func(s *Settings) *float64 { return &s.MaxWidth }, "A maximum", MinWidth, MaxPixels, "px", "no maximum"}},
	{Height, InFrame, "Height", "", true,
		"One whole page follows the width exactly. Rows, pixels and window heights keep that, and readers scroll inside.",
		Special[Length]{func(s *Settings) *Length { return &s.Height }, Length{0, OnePage}, checkHeight, sayHeight,
			fmt.Sprintf("one whole page, 1 to %d rows of pages, %d to %d px, or %d to %d vh", MaxRows, MinHeight, MaxPixels, MinVH, MaxVH)}},
	{LeastHeight, InFrame, "At least tall", "", true,
		"The frame is never lower than this.",
		Limit{func(s *Settings) *float64 { return &s.LeastHeight }, "A minimum", MinHeight, MaxPixels, "px", "no minimum"}},
	{MostHeight, InFrame, "At most tall", "", true,
		"The frame is never taller; readers scroll for the rest.",
		Limit{func(s *Settings) *float64 { return &s.MostHeight }, "A maximum", MinHeight, MaxPixels, "px", "no maximum"}},
	{Align, InFrame, "Alignment", "", true,
		"Where a frame narrower than its column stands in it.",
		OneOf{func(s *Settings) *string { return &s.Align }, Centre, "A frame stands left, centre or right.",
			[]Option{{Left, "left", "left", ""}, {Centre, "centre", "centre", ""}, {Right, "right", "right", ""}}}},

	{OpenAt, InPages, "Opens at", "", false,
		"The page that readers see first.",
		Special[int]{func(s *Settings) *int { return &s.OpenAt }, firstPage, checkOpenAt,
			func(s Settings) string { return "page " + strconv.Itoa(s.OpenAt) }, "a page of the document"}},
	{Zoom, InPages, "Zoom at opening", "Zoom", false,
		"How large pages are at first. Fitting follows the frame; readers can change it with the zoom tool.",
		Special[Opening]{func(s *Settings) *Opening { return &s.Zoom }, Opening{FitWidth, wholePercent}, checkZoom, sayZoom,
			fmt.Sprintf("fit width, fit page, true size, or %d to %d %% of true size", MinZoom, MaxZoom)}},
	{LeastZoom, InPages, "Minimum zoom", "", false,
		"Pages never open smaller, so that type stays readable; wider pages are then moved sideways.",
		Limit{func(s *Settings) *float64 { return &s.LeastZoom }, "A smallest zoom", MinZoom, MaxZoom, "%", "no limit"}},
	{NarrowZoom, InPages, "Minimum zoom in narrow frames", fmt.Sprintf("Minimum below %g px", Narrow), false,
		fmt.Sprintf("A minimum zoom for frames narrower than %g px alone, as on phones: wide screens stay as they are.", Narrow),
		Limit{func(s *Settings) *float64 { return &s.NarrowZoom }, "A smallest zoom", MinZoom, MaxZoom, "%", "as in wide ones"}},
	{MostZoom, InPages, "Maximum zoom", "", false,
		"Pages never open larger, which keeps type from growing too large in wide windows.",
		Limit{func(s *Settings) *float64 { return &s.MostZoom }, "A largest zoom", MinZoom, MaxZoom, "%", "no limit"}},
	{RowScale, InPages, "Pages of other sizes", "", false,
		"With one scale for all, a small sheet looks small beside a large one. Each as large as fits gives up that proportion.",
		OneOf{func(s *Settings) *string { return &s.RowScale }, SameScale, "Pages of other sizes stand in proportion, or each as large as fits.",
			[]Option{{SameScale, "in proportion", "in scale", "In proportion: one scale for all pages"},
				{EachRow, "each as large as fits", "fit each", "Each page as large as fits"}}}},
	{Flow, InPages, "Pages run", "", false,
		"Whether pages scroll down or across, turn one at a time, or stand in lines that wrap.",
		OneOf{func(s *Settings) *string { return &s.Flow }, Down, "Pages run down, across, turn, or stand as tiles.",
			[]Option{{Down, "down", "down", "Scroll down"}, {Across, "across", "across", "Scroll across"},
				{Turn, "turned one by one", "turn", "Turn page by page"}, {Tiles, "as tiles", "tiles", "Tiles that wrap"}}}},
	{Facing, InPages, "Facing", "", false,
		"Single pages are largest. Pairs show two side by side, as in an open book, at half the size.",
		OneOf{func(s *Settings) *string { return &s.Facing }, Single, "Pages stand single, in pairs, or as a cover and pairs.",
			[]Option{{Single, "single", "single", "Single pages"}, {Pairs, "in pairs", "pairs", "Pairs"},
				{Cover, "cover alone, then pairs", "cover, pairs", "Cover alone, then pairs"}}}},
	{Order, InPages, "Direction", "", false,
		"The side that a book in this language is read from. It sets which way pages run and turn.",
		OneOf{func(s *Settings) *string { return &s.Order }, FromLeft, "Pages begin at the left or at the right.",
			[]Option{{FromLeft, "left to right", "left to right", "As in English"},
				{FromRight, "right to left", "right to left", "As in Arabic or vertical Japanese"}}}},
	{Navigation, InPages, "Page navigation", "Navigation", false,
		"Keys, buttons and the strip of page marks. Without it readers can only scroll and swipe.",
		Switch{func(s *Settings) *bool { return &s.Navigation }, true, onOff, [2]string{"on", "off"}}},
	{ForeEdge, InPages, "Fore-edge", "", false,
		"A strip with a mark for each page, to see where one is and to move along. It takes 28 pixels.",
		Switch{func(s *Settings) *bool { return &s.ForeEdge }, true, onOff, [2]string{"on", "off"}}},
	{Pointer, InPages, "The pointer", "Pointer", false,
		"What pressing and moving does at first: select text, or move the page, which suits maps and plans.",
		OneOf{func(s *Settings) *string { return &s.Pointer }, Select, "The pointer selects text or drags the page.",
			[]Option{{Select, "selects text", "selects", "Selects text, where readers may take it"},
				{Drag, "drags the page", "drags", "Drags the page"}}}},

	{Toolbar, InToolbar, "Toolbar", "Shown", false,
		"The line with the document's name and its tools. It takes 44 pixels; without it readers have keys and gestures only.",
		Switch{func(s *Settings) *bool { return &s.Toolbar }, true, onOff, [2]string{"on", "off"}}},
	{BarPlace, InToolbar, "Toolbar place", "Place", false,
		"On phones a toolbar at the bottom is nearer to the thumb.",
		OneOf{func(s *Settings) *string { return &s.BarPlace }, Top, "A toolbar stands at the top or at the bottom.",
			[]Option{{Top, "at the top", "top", ""}, {Bottom, "at the bottom", "bottom", ""}}}},
	{BarShown, InToolbar, "Toolbar shows", "When", false,
		"On approach it takes no room, lies over the pages, and newcomers may not find it.",
		OneOf{func(s *Settings) *string { return &s.BarShown }, Always, "A toolbar is always shown, or on approach.",
			[]Option{{Always, "always", "always", ""}, {Approach, "on approach", "on approach", "On hover, focus or tap, over the pages"}}}},
	{Name, InToolbar, "Title in the toolbar", "Title", false,
		"The document's title in the toolbar. Leave it out where your page says it already.",
		Switch{func(s *Settings) *bool { return &s.Name }, true, onOff, [2]string{"on", "off"}}},
	{Tools, InToolbar, "Tools", "", false,
		"What readers are given, in this order. What does not fit goes behind “More”.",
		ToolSet{func(s *Settings) *toolbar.Set { return &s.Tools }, toolbar.Set{toolbar.Turn, toolbar.Number, toolbar.Contents, toolbar.Find,
			toolbar.Overview,
			toolbar.Zoom, toolbar.Text, toolbar.FullScreen, toolbar.Print, toolbar.Download, toolbar.About}}},
	{NarrowOut, InToolbar, "Left out of narrow frames", "", false,
		fmt.Sprintf("Tools that frames narrower than %g px go without. Wide frames keep them.", Narrow),
		ToolSet{func(s *Settings) *toolbar.Set { return &s.NarrowOut }, toolbar.Set{}}},

	{Download, InTake, "The file", "", false,
		"Whether the server gives the PDF to anybody. Closed means closed, also to who knows the address.",
		Switch{func(s *Settings) *bool { return &s.Download }, true, [2]string{"may be downloaded", "stays closed"}, yesNo}},
	{Print, InTake, "A printout", "", false,
		"Whether the server makes pages for printing. Without it browsers print a note.",
		Switch{func(s *Settings) *bool { return &s.Print }, true, [2]string{"allowed", "not allowed"}, yesNo}},
	{Copying, InTake, "The text", "", false,
		"Whether text can be selected and copied. Closed, no text leaves the server but the text view's, where that is open.",
		Switch{func(s *Settings) *bool { return &s.Copying }, true, [2]string{"may be copied", "stays closed"}, yesNo}},
	{TextView, InTake, "Text view", "", false,
		"The text set anew in the reader's own size, for phones and for who cannot see the pages. Closed, screen readers have only what can be copied.",
		OneOf{func(s *Settings) *string { return &s.TextView }, Offered, "A text view is closed, a tool, or offered where the type is too small.",
			[]Option{{Closed, "closed", "closed", "Nobody gets it"}, {ByTool, "by its tool", "tool", "By its tool alone"},
				{Offered, "offered where the type is too small", "offered", "By itself too, on phones where the type is too small to read"}}}},
	{Sites, InTake, "Websites", "", false,
		"The websites that may show it. Empty is any.",
		Special[SiteList]{func(s *Settings) *SiteList { return &s.Sites }, SiteList{},
			func(s Settings, _ int) string { return s.Sites.Wrong() }, saySites,
			"origins such as https://www.harrowmere.example"}},
	{Guarded, InTake, "Guarded", "", false,
		"It opens only to who shows a token that your own server signed. Everybody else reads a note.",
		Switch{func(s *Settings) *bool { return &s.Guarded }, false, [2]string{"opens to who shows a token", "opens to everybody"}, yesNo}},

	{Padding, InDress, "Padding", "", false,
		"Empty room inside the border, taken from the pages.",
		Measure{func(s *Settings) *float64 { return &s.Padding }, 0, "A padding", MaxPadding, false}},
	{Border, InDress, "Border", "", false,
		"A line around the frame, inside its width.",
		Measure{func(s *Settings) *float64 { return &s.Border }, 1, "A border", MaxBorder, true}},
	{Corner, InDress, "Corner", "", false,
		"How round the corners are.",
		Measure{func(s *Settings) *float64 { return &s.Corner }, 3, "A corner", MaxCorner, false}},
	{Shadow, InDress, "Shadow", "", true,
		"What the frame throws on your page.",
		OneOf{func(s *Settings) *string { return &s.Shadow }, NoShadow, "A shadow is none, soft or deep.",
			[]Option{{NoShadow, "none", "none", ""}, {SoftShadow, "soft", "soft", ""}, {DeepShadow, "deep", "deep", ""}}}},
	{Background, InDress, "Background", "", false,
		"What is behind the pages. Empty follows the colours above.",
		Special[string]{func(s *Settings) *string { return &s.Background }, "", checkBackground, sayBackground,
			"a colour such as #f8f4ea, or empty"}},
	{Scheme, InDress, "Colours", "", false,
		"The reader's own colours around the pages: those of the device, light, dark, or yours.",
		OneOf{func(s *Settings) *string { return &s.Scheme }, System, "Colours follow the system, are light, dark, or its own.",
			[]Option{{System, "follow the system", "system", "Those of the reader's device"}, {Light, "light", "light", ""},
				{Dark, "dark", "dark", ""},
				{Own, "its own", "own", "Its own"}}}},
	{Dim, InDress, "Pages in the dark", "", false,
		"In the dark, pages are shown light on dark, pictures as they are. Colours in drawings change.",
		Switch{func(s *Settings) *bool { return &s.Dim }, false, [2]string{"light on dark", "as they are"}, [2]string{"dimmed", "as they are"}}},
	{Colours, InDress, "Own colours", "", false,
		"Paper, ink and accent of tools and panels. Pairs that cannot be told apart are named.",
		Special[Palette]{func(s *Settings) *Palette { return &s.Colours }, DefaultPalette(), checkColours,
			func(s Settings) string { return s.Colours.Paper + ", " + s.Colours.Ink + ", " + s.Colours.Accent }, "three colours such as #23222b"}},
}

var onOff, yesNo = [2]string{"on", "off"}, [2]string{"yes", "no"}

func checkWidth(s Settings, _ int) string {
	switch s.Width.Unit {
	case Percent:
		if !within(s.Width.Value, MinPercent, wholePercent) {
			return fmt.Sprintf("A width in %% of the column goes from %d to %d.", MinPercent, wholePercent)
		}
	case Pixels:
		if !within(s.Width.Value, MinWidth, MaxPixels) {
			return fmt.Sprintf("A width in px goes from %d to %d.", MinWidth, MaxPixels)
		}
	default:
		return "A width is in % of the column or in px."
	}
	return ""
}

func sayWidth(s Settings) string {
	if s.Width.Unit == Percent {
		return Number(s.Width.Value) + " % of the column"
	}
	return Number(s.Width.Value) + " px"
}

func checkHeight(s Settings, _ int) string {
	v := s.Height.Value
	switch s.Height.Unit {
	case OnePage:
	case Pixels:
		if !within(v, MinHeight, MaxPixels) {
			return fmt.Sprintf("A height in px goes from %d to %d.", MinHeight, MaxPixels)
		}
	case VH:
		if !within(v, MinVH, MaxVH) {
			return fmt.Sprintf("A height in vh goes from %d to %d.", MinVH, MaxVH)
		}
	case Rows:
		if !within(v, 1, MaxRows) || !whole(v) {
			return fmt.Sprintf("A height in rows of pages goes from 1 to %d.", MaxRows)
		}
	default:
		return "A height is in px, in vh, one whole page, or rows of pages."
	}
	return ""
}

func sayHeight(s Settings) string {
	switch {
	case s.Height.Unit == OnePage:
		return "one whole page"
	case s.Height.Unit == Rows && s.Height.Value == 1:
		return "1 row of pages"
	case s.Height.Unit == Rows:
		return Number(s.Height.Value) + " rows of pages"
	}
	return Number(s.Height.Value) + " " + s.Height.Unit
}

func checkOpenAt(s Settings, pages int) string {
	switch {
	case s.OpenAt < firstPage:
		return "Pages count from 1."
	case pages > 0 && s.OpenAt > pages:
		return fmt.Sprintf("The document has %d pages; there is no page %d.", pages, s.OpenAt)
	case pages == 0 && s.OpenAt != firstPage:
		return "House style opens documents at page 1."
	}
	return ""
}

func checkZoom(s Settings, _ int) string {
	switch s.Zoom.Kind {
	case FitWidth, FitPage, TrueSize:
	case ByNumber:
		if !within(s.Zoom.Percent, MinZoom, MaxZoom) {
			return fmt.Sprintf("A zoom goes from %d to %d %%.", MinZoom, MaxZoom)
		}
	default:
		return "A document opens at fit width, fit page, true size or a percentage."
	}
	return ""
}

func sayZoom(s Settings) string {
	switch s.Zoom.Kind {
	case FitWidth:
		return "fit width"
	case FitPage:
		return "fit page"
	case TrueSize:
		return "true size"
	}
	return Number(s.Zoom.Percent) + " %"
}

func saySites(s Settings) string {
	if len(s.Sites) == 0 {
		return "any website"
	}
	return strings.Join(s.Sites, ", ")
}

func checkBackground(s Settings, _ int) string {
	if s.Background != "" && !contrast.Valid(s.Background) {
		return "A colour is written like #f8f4ea; leave it empty to follow the scheme."
	}
	return ""
}

func sayBackground(s Settings) string {
	if s.Background == "" {
		return "follows the colours"
	}
	return s.Background
}

func checkColours(s Settings, _ int) string {
	if !contrast.Valid(s.Colours.Paper) || !contrast.Valid(s.Colours.Ink) || !contrast.Valid(s.Colours.Accent) {
		return "A colour is written like #23222b."
	}
	return ""
}

// together says what cannot stand of two settings that can by themselves.
func together(s Settings) []Problem {
	var out []Problem
	wrong := func(key Key, format string, v float64) { out = append(out, Problem{key, fmt.Sprintf(format, v)}) }
	if s.MaxWidth != noLimit && s.LeastWidth > s.MaxWidth {
		wrong(LeastWidth, "The minimum is above the maximum of %g px.", s.MaxWidth)
	}
	if s.MostHeight != noLimit && s.LeastHeight > s.MostHeight {
		wrong(LeastHeight, "The minimum is above the maximum of %g px.", s.MostHeight)
	}
	if s.MostZoom != noLimit && s.NarrowZoom > s.MostZoom {
		wrong(NarrowZoom, "The smallest zoom in narrow frames is above the largest of %g %%.", s.MostZoom)
	}
	if s.MostZoom != noLimit && s.LeastZoom > s.MostZoom {
		wrong(MostZoom, "The largest zoom is below the smallest of %g %%.", s.LeastZoom)
	}
	return out
}
