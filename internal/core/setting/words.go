package setting

import (
	"strconv"
	"strings"

	"incipit/internal/core/toolbar"
)

// Name is a setting's name for an editor.
func (k Key) Name() string {
	return map[Key]string{
		Width: "Width", MaxWidth: "At most", Height: "Height", Align: "Alignment",
		Zoom: "Zoom at opening", OpenAt: "Opens at", Navigation: "Page navigation",
		Toolbar: "Toolbar", Tools: "Tools", Download: "The file", Print: "A printout",
		LeastWidth: "At least", LeastHeight: "At least tall", MostHeight: "At most tall", LeastZoom: "Minimum zoom", MostZoom: "Maximum zoom", NarrowZoom: "Minimum zoom in narrow frames", NarrowOut: "Left out of narrow frames", RowScale: "Pages of other sizes", Dim: "Pages in the dark",
		Flow: "Pages run", Facing: "Facing", Order: "Direction", BarPlace: "Toolbar place", BarShown: "Toolbar shows",
		Padding: "Padding", Border: "Border", Corner: "Corner", Shadow: "Shadow", Background: "Background",
		Scheme: "Colours", Colours: "Own colours", Copying: "The text", TextView: "Text view", Pointer: "The pointer",
		Name: "Title in the toolbar", ForeEdge: "Fore-edge", Sites: "Websites", Guarded: "Guarded",
	}[k]
}

// Words says the value of one setting.
func (s Settings) Words(k Key) string {
	switch k {
	case Width:
		if s.Width.Unit == Percent {
			return Number(s.Width.Value) + " % of the column"
		}
		return Number(s.Width.Value) + " px"
	case MaxWidth:
		if s.MaxWidth == noLimit {
			return "no maximum"
		}
		return Number(s.MaxWidth) + " px"
	case LeastWidth:
		return orNone(s.LeastWidth, " px", "no minimum")
	case LeastHeight:
		return orNone(s.LeastHeight, " px", "no minimum")
	case MostHeight:
		return orNone(s.MostHeight, " px", "no maximum")
	case LeastZoom:
		return orNone(s.LeastZoom, " %", "no limit")
	case NarrowZoom:
		return orNone(s.NarrowZoom, " %", "as in wide ones")
	case RowScale:
		return map[string]string{SameScale: "in proportion", EachRow: "each as large as fits"}[s.RowScale]
	case MostZoom:
		return orNone(s.MostZoom, " %", "no limit")
	case Height:
		if s.Height.Unit == OnePage {
			return "one whole page"
		}
		if s.Height.Unit == Rows {
			if s.Height.Value == 1 {
				return "1 row of pages"
			}
			return Number(s.Height.Value) + " rows of pages"
		}
		return Number(s.Height.Value) + " " + s.Height.Unit
	case Align:
		return s.Align
	case Zoom:
		switch s.Zoom.Kind {
		case FitWidth:
			return "fit width"
		case FitPage:
			return "fit page"
		case TrueSize:
			return "true size"
		}
		return Number(s.Zoom.Percent) + " %"
	case OpenAt:
		return "page " + strconv.Itoa(s.OpenAt)
	case Navigation:
		return onOff(s.Navigation)
	case Toolbar:
		return onOff(s.Toolbar)
	case Tools:
		return named(s.Tools)
	case NarrowOut:
		return named(s.NarrowOut)
	case Copying:
		return map[bool]string{true: "may be copied", false: "stays closed"}[s.Copying]
	case TextView:
		return map[string]string{Closed: "closed", ByTool: "by its tool", Offered: "offered where the type is too small"}[s.TextView]
	case Pointer:
		return map[string]string{Select: "selects text", Drag: "drags the page"}[s.Pointer]
	case Name:
		return onOff(s.Name)
	case Dim:
		return map[bool]string{true: "light on dark", false: "as they are"}[s.Dim]
	case ForeEdge:
		return onOff(s.ForeEdge)
	case Guarded:
		return map[bool]string{true: "opens to who shows a token", false: "opens to everybody"}[s.Guarded]
	case Sites:
		if len(s.Sites) == 0 {
			return "any website"
		}
		return strings.Join(s.Sites, ", ")
	case Download:
		return map[bool]string{true: "may be downloaded", false: "stays closed"}[s.Download]
	case Print:
		return map[bool]string{true: "allowed", false: "not allowed"}[s.Print]
	case Flow:
		return map[string]string{Down: "down", Across: "across", Turn: "turned one by one", Tiles: "as tiles"}[s.Flow]
	case Facing:
		return map[string]string{Single: "single", Pairs: "in pairs", Cover: "cover alone, then pairs"}[s.Facing]
	case Order:
		return map[string]string{FromLeft: "left to right", FromRight: "right to left"}[s.Order]
	case BarPlace:
		return map[string]string{Top: "at the top", Bottom: "at the bottom"}[s.BarPlace]
	case BarShown:
		return map[string]string{Always: "always", Approach: "on approach"}[s.BarShown]
	case Padding:
		return Number(s.Padding) + " px"
	case Border:
		return Number(s.Border) + " px"
	case Corner:
		return Number(s.Corner) + " px"
	case Shadow:
		return s.Shadow
	case Background:
		if s.Background == "" {
			return "follows the colours"
		}
		return s.Background
	case Scheme:
		return map[string]string{System: "follow the system", Light: "light", Dark: "dark", Own: "its own"}[s.Scheme]
	case Colours:
		return s.Colours.Paper + ", " + s.Colours.Ink + ", " + s.Colours.Accent
	}
	return ""
}

func orNone(v float64, unit, none string) string {
	if v == noLimit {
		return none
	}
	return Number(v) + unit
}

func onOff(b bool) string {
	if b {
		return "on"
	}
	return "off"
}

// Number writes a figure without a needless fraction: 100, 62.5.
func Number(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// Change is one setting that differs, in words.
type Change struct {
	Key  Key    `json:"key"`
	Name string `json:"name"`
	From string `json:"from"`
	To   string `json:"to"`
}

// Changes says what differs between two settings.
func Changes(from, to Settings) []Change {
	out := []Change{}
	for _, k := range Diff(from, to).Keys() {
		out = append(out, Change{k, k.Name(), from.Words(k), to.Words(k)})
	}
	return out
}

func named(tools toolbar.Set) string {
	if len(tools) == 0 {
		return "none"
	}
	var names []string
	for _, t := range tools {
		names = append(names, strings.ToLower(t.Name()))
	}
	return strings.Join(names, ", ")
}
