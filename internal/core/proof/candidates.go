package proof

import (
	"fmt"
	"math"
	"slices"

	"incipit/internal/core/dress"
	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// candidate is a change that may mend a gloss. Whether it does is found out by
// proofing with it.
type candidate struct {
	words string
	set   setting.Patch
}

var (
	fitWidth   = setting.Opening{Kind: setting.FitWidth, Percent: 100}
	fitPage    = setting.Opening{Kind: setting.FitPage, Percent: 100}
	fullColumn = setting.Length{Value: 100, Unit: setting.Percent}
	onePage    = setting.Length{Unit: setting.OnePage}
)

func candidates(f Facts, s setting.Settings, k Kind, v View) []candidate {
	switch k {
	case Room:
		return forRoom(s, v)
	case Column:
		return []candidate{{"Drop the minimum width", setting.PatchOf(setting.LeastWidth, 0)}}
	case Body:
		return append(forTextView(f, s, v), forType(f, s, v, f.Sizes.Body, legible.FromReadable)...)
	case Smallest:
		return forType(f, s, v, f.Sizes.Smallest, legible.FromStrained)
	case Contrast:
		if mended, ok := dress.Mended(s.Colours); ok {
			return []candidate{{fmt.Sprintf("Set ink to %s and accent to %s", mended.Ink, mended.Accent), setting.PatchOf(setting.Colours, mended)}}
		}
	case Turning:
		return []candidate{{"Switch page navigation on", setting.PatchOf(setting.Navigation, true)}}
	case Sideways:
		return forSideways()
	case Scroll:
		return forScroll(f)
	case Window:
		return forWindow(v)
	case First:
		return forFirst(v)
	case Tools:
		return forTools(s, v)
	case Tiles:
		return forTiles(f, s, v)
	case Small:
		return []candidate{
			{fmt.Sprintf("Never narrower than %d px", usualLeast), setting.PatchOf(setting.LeastWidth, usualLeast)},
			{"Set width to the full column", setting.PatchOf(setting.Width, fullColumn, setting.MaxWidth, 0)},
		}
	case Mixed:
		return []candidate{{"Show each page as large as fits", setting.PatchOf(setting.RowScale, setting.EachRow)}}
	case Large:
		most := math.Floor(v.Percent*comfortableType/v.Body.Size/5) * 5
		return []candidate{{fmt.Sprintf("Never open above %.0f %%", most), setting.PatchOf(setting.MostZoom, math.Max(most, setting.MinZoom))}}
	case Unseen:
		return []candidate{
			{"Offer the text view on narrow screens", setting.PatchOf(setting.TextView, setting.Offered)},
			{"Let readers copy text", setting.PatchOf(setting.Copying, true)},
		}
	case Order:
		return []candidate{{"Let pages begin at the right", setting.PatchOf(setting.Order, setting.FromRight)}}
	}
	return nil
}

func forRoom(s setting.Settings, v View) []candidate {
	bare := setting.PatchOf(setting.Padding, 0, setting.Border, 1)
	return []candidate{
		{"Take padding and border away", bare},
		{"Set height to one page", setting.PatchOf(setting.Height, onePage, setting.MostHeight, 0)},
		{"Set width to the full column", setting.PatchOf(setting.Width, fullColumn, setting.MaxWidth, 0)},
		{"Take padding and border away, set height to one page", setting.PatchOf(setting.Padding, 0, setting.Border, 1, setting.Height, onePage,
			setting.MostHeight, 0)},
		{"Take padding and border away, use the full column", setting.PatchOf(setting.Padding, 0, setting.Border, 1, setting.Width, fullColumn,
			setting.MaxWidth, 0)},
		{fmt.Sprintf("Take padding and border away, use the full column, at least %d px tall", tallEnough),
			setting.PatchOf(setting.Padding, 0, setting.Border, 1, setting.Width, fullColumn, setting.MaxWidth, 0, setting.MostHeight, 0,
				setting.LeastHeight, tallEnough)},
	}
}

const (
	usualLeast      = 280 // CSS px: a frame that fits the narrowest phone
	comfortableType = 20  // CSS px of body text on a wide screen
)

// tallEnough is a height in CSS px with room for tools and some of a page.
const tallEnough = 240

// forType thinks of everything that makes text larger on the sheet: room,
// fewer pages abreast, and at last a zoom below which the document never opens.
func forType(f Facts, s setting.Settings, v View, text legible.Text, angle float64) []candidate {
	if text.XHeight <= 0 {
		return nil
	}
	least := math.Ceil(frame.Percent(legible.ScaleFor(text.XHeight, angle)))
	out := []candidate{
		{fmt.Sprintf("Set width to the full column: %s", px(v.Screen.Column)), setting.PatchOf(setting.Width, fullColumn, setting.MaxWidth, 0)},
		{"Open at fit width", setting.PatchOf(setting.Zoom, fitWidth)},
		{"Show single pages", setting.PatchOf(setting.Facing, setting.Single)},
		{"Show single pages at fit width", setting.PatchOf(setting.Facing, setting.Single, setting.Zoom, fitWidth)},
		{"Open at fit width in the full column", setting.PatchOf(setting.Zoom, fitWidth, setting.Width, fullColumn, setting.MaxWidth, 0)},
	}
	if least > setting.MaxZoom {
		return out
	}
	// Half the window leaves the web page room to be moved by.
	tall := math.Round(v.Screen.Height*0.07) * 10
	if v.Box.Width < setting.Narrow {
		// Wide screens stay as they are.
		out = append(out,
			candidate{fmt.Sprintf("Never open below %.0f %% in frames below %s", least, px(setting.Narrow)),
				setting.PatchOf(setting.NarrowZoom, least)},
			candidate{fmt.Sprintf("Never open below %.0f %% in frames below %s, at most %s tall", least, px(setting.Narrow), px(tall)),
				setting.PatchOf(setting.NarrowZoom, least, setting.MostHeight, math.Max(tall, s.LeastHeight))},
		)
	}
	return append(out,
		candidate{fmt.Sprintf("Never open below %.0f %%, at most %s tall", least, px(tall)),
			setting.PatchOf(setting.LeastZoom, least, setting.MostHeight, math.Max(tall, s.LeastHeight))},
		candidate{fmt.Sprintf("Never open below %.0f %%", least), setting.PatchOf(setting.LeastZoom, least)},
	)
}

// forTextView offers running text set anew, where it is small enough to need it.
func forTextView(f Facts, s setting.Settings, v View) []candidate {
	below := TextViewBelow(f, s)
	if !f.Holds().Anew() || v.Box.Width >= below {
		return nil
	}
	return []candidate{{fmt.Sprintf("Offer the text view below %s", px(below)), setting.PatchOf(setting.TextView, setting.Offered)}}
}

func forSideways() []candidate {
	return []candidate{
		{"Open at fit width", setting.PatchOf(setting.Zoom, fitWidth, setting.LeastZoom, 0)},
		{"Show single pages", setting.PatchOf(setting.Facing, setting.Single)},
		{"Show single pages at fit width", setting.PatchOf(setting.Facing, setting.Single, setting.Zoom, fitWidth, setting.LeastZoom, 0)},
		{"Show the whole page", setting.PatchOf(setting.Zoom, fitPage, setting.LeastZoom, 0, setting.Height, onePage)},
	}
}

func forScroll(f Facts) []candidate {
	out := []candidate{
		{"Set height to one page", setting.PatchOf(setting.Height, onePage, setting.MostHeight, 0)},
		{"Turn pages one by one", setting.PatchOf(setting.Flow, setting.Turn)},
		{"Turn pages one by one, height one page", setting.PatchOf(setting.Flow, setting.Turn, setting.Height, onePage, setting.MostHeight, 0)},
		{"Turn whole pages one by one", setting.PatchOf(setting.Flow, setting.Turn, setting.Zoom, fitPage, setting.LeastZoom, 0)},
		{"Turn whole pages one by one, height one page", setting.PatchOf(setting.Flow, setting.Turn, setting.Zoom, fitPage, setting.LeastZoom,
			0, setting.Height, onePage, setting.MostHeight, 0)},
	}
	if n := f.Pages.Count(); n > 1 && n <= 4 {
		out = append(out, candidate{fmt.Sprintf("Show all %d pages at once", n),
			setting.PatchOf(setting.Flow, setting.Down, setting.Facing, setting.Single, setting.Height,
				setting.Length{Value: float64(n), Unit: setting.Rows}, setting.MostHeight, 0)})
	}
	return out
}

func forWindow(v View) []candidate {
	most := math.Floor(v.Screen.Height*0.085) * 10
	return []candidate{
		{"Set height to 85 vh", setting.PatchOf(setting.Height, setting.Length{Value: 85, Unit: setting.VH}, setting.LeastHeight, 0)},
		{fmt.Sprintf("Set at most %s tall", px(most)), setting.PatchOf(setting.MostHeight, most, setting.LeastHeight, 0)},
	}
}

func forFirst(v View) []candidate {
	return []candidate{
		{"Set height to one page", setting.PatchOf(setting.Height, onePage, setting.MostHeight, 0)},
		{"Show the whole page", setting.PatchOf(setting.Zoom, fitPage, setting.LeastZoom, 0)},
		{"Open at fit width, height one page", setting.PatchOf(setting.Zoom, fitWidth, setting.LeastZoom, 0, setting.Height, onePage,
			setting.MostHeight, 0)},
		{"Show single pages, height one page", setting.PatchOf(setting.Facing, setting.Single, setting.Zoom, fitWidth, setting.LeastZoom, 0,
			setting.Height, onePage, setting.MostHeight, 0)},
	}
}

func forTools(s setting.Settings, v View) []candidate {
	if v.Box.Width < setting.Narrow {
		return []candidate{{"Leave out " + list(v.Fit.More) + " in frames below " + px(setting.Narrow),
			setting.PatchOf(setting.NarrowOut, slices.Concat(s.NarrowOut, v.Fit.More))}}
	}
	return []candidate{{"Leave out " + list(v.Fit.More) + ", on every screen",
		setting.PatchOf(setting.Tools, toolbar.Set(s.Tools).Without(v.Fit.More...))}}
}

// forTiles finds the zooms at which three, or two, of the widest rows stand in
// a line.
func forTiles(f Facts, s setting.Settings, v View) []candidate {
	var out []candidate
	widest, _ := f.Pages.Extent(s)
	for _, n := range []float64{3, 2} {
		scale := (v.Box.InnerWidth - (n+1)*frame.Gutter) / n / widest
		zoom := math.Floor(frame.Percent(scale))
		out = append(out, candidate{fmt.Sprintf("Open at %.0f %%: %.0f in a line", zoom, n),
			setting.PatchOf(setting.Zoom, setting.Opening{Kind: setting.ByNumber, Percent: zoom}, setting.LeastZoom, 0)})
	}
	return out
}
