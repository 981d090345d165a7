package embed

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"incipit/internal/core/toolbar"
)

var (
	fixedWidth  = regexp.MustCompile(`(?i)(?:^|;)\s*width\s*:\s*(\d+(?:\.\d+)?)px`)
	anyHeight   = regexp.MustCompile(`(?i)(?:^|;)\s*(?:min-)?height\s*:\s*([^;]+)|aspect-ratio`)
	barePercent = regexp.MustCompile(`^\d+(\.\d+)?%$`)
)

func (c *checking) column(f Found, p Placed, known bool) {
	column := c.Column
	if f.Column > 0 && (column == 0 || f.Column < column) {
		column = f.Column
	}
	if column == 0 {
		return
	}
	width, _ := strconv.ParseFloat(strings.TrimSuffix(f.Attr["width"], "px"), 64)
	if m := fixedWidth.FindStringSubmatch(f.Attr["style"]); m != nil {
		width, _ = strconv.ParseFloat(m[1], 64)
	} else if strings.Contains(f.Attr["style"], "width:") {
		width = 0
	}
	if width > column {
		c.found("wide", Must, f, c.mended(f), "Wider than its column",
			"It is %.0f px wide in a column of %.0f px: it is cut off, or the page scrolls sideways.", width, column)
	}
	if known && p.ReadableFrom > column {
		c.found("narrow", Care, f, "", "The column is too narrow for the type",
			"Body text of “%s” reads from %.0f px on; this column has %.0f px. Give it a wider one, or let it open over the page.", p.Title,
			p.ReadableFrom, column)
	}
}

func (c *checking) height(f Found) {
	height := strings.TrimSpace(f.Attr["height"])
	if m := anyHeight.FindAllStringSubmatch(f.Attr["style"], -1); m != nil {
		height = strings.TrimSpace(m[len(m)-1][1])
		if height == "" {
			return // by its shape
		}
	}
	if strings.Contains(f.Attr["style"], "grid-area:1/1") {
		return // what stands beside it keeps its room
	}
	if f.Kept || strings.Contains(f.Attr["style"], "padding-bottom") {
		return
	}
	if f.Kind == KindElement && height == "follows" {
		height = ""
	}
	switch {
	case height == "":
		c.found("noheight", Care, f, c.mended(f), "No height", "Without one browsers make a frame 150 px tall; an element, and a link that becomes a viewer, move the page when they fill.")
	case regexp.MustCompile(`^0+(px|%|vh)?$`).MatchString(height):
		c.found("zero", Must, f, c.mended(f), "Its height is 0", "The document is there, and nobody sees it.")
	case barePercent.MatchString(height) && !f.Heighted:
		c.found("percent", Must, f, c.mended(f), "A height in percent of nothing",
			"The height is %s of what stands around it, which has none: browsers make it 150 px or nothing.", height)
	}
}

// frame checks what only inline frames can have wrong.
func (c *checking) frame(f Found, p Placed, known bool) {
	if strings.TrimSpace(f.Attr["title"]) == "" {
		c.found("untitled", Care, f, c.mended(f), "No title for screen readers", "People who cannot see the frame are not told what is in it.")
	}
	if sandbox, there := f.Attr["sandbox"]; there {
		var lost []string
		for _, s := range []struct {
			token, what string
			matters     bool
		}{
			{"allow-scripts", "all tools", true}, {"allow-same-origin", "fonts and tools", true}, {"allow-popups", "links to the web", true},
			{"allow-downloads", "download", !known || p.Settings.Download}, {"allow-modals", "print", !known || p.Settings.Print},
		} {
			if s.matters && !slices.Contains(strings.Fields(strings.ToLower(sandbox)), s.token) {
				lost = append(lost, fmt.Sprintf("%s (%s)", s.what, s.token))
			}
		}
		if len(lost) > 0 {
			c.found("sandbox", Must, f, c.mended(f), "The frame is locked in", "Its sandbox attribute stops %s. Take the attribute away.",
				strings.Join(lost, ", "))
		}
	}
	if full := !known || p.Tools.Has(toolbar.FullScreen); full && !f.Has("allowfullscreen") &&
		!strings.Contains(f.Attr["allow"], "fullscreen") {
		c.found("fullscreen", Care, f, c.mended(f), "Full screen is not allowed",
			"The frame has no allow=\"fullscreen\"; the tool opens a window of its own instead.")
	}
	switch lazy := strings.EqualFold(f.Attr["loading"], "lazy"); {
	case lazy && f.Order < nearTop && c.page.Text > farDown:
		c.found("lazytop", Care, f, strings.Replace(c.mended(f), ` loading="lazy"`, "", 1), "It waits at the top of the page",
			"loading=\"lazy\" makes what is in view at once start late. Take it away here.")
	case !lazy && f.Order > farDown:
		c.found("eager", Care, f, c.mended(f), "It loads far below", "Every visitor loads it, also those who never come so far. loading=\"lazy\" waits until they do.")
	}
}
