package reader

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"math"
	"strconv"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// drawLayer writes text and links of a page as SVG, in points. Text has no
// fill: it is there to be selected, searched and read aloud. Links come last,
// so that they lie above it.
func drawLayer(s sheet.Sheet, layer pdf.Layer, to leads) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" class="layer" viewBox="0 0 %s %s" preserveAspectRatio="none"`, figure(s.Width),
		figure(s.Height))
	// Where pictures are, for pages that are dimmed around them.
	if len(layer.Figures) > 0 {
		b.WriteString(` data-figures="`)
		for i, f := range layer.Figures {
			if i > 0 {
				b.WriteByte(' ')
			}
			fmt.Fprintf(&b, "%s,%s,%s,%s", figure(f.X), figure(f.Y), figure(f.W), figure(f.H))
		}
		b.WriteByte('"')
	}
	b.WriteString(`><g class="words">`)
	for i, run := range layer.Runs {
		// A run of which nothing is on the sheet cannot be selected.
		if run.X < -s.Width || run.X > 2*s.Width || run.Y < -s.Height || run.Y > 2*s.Height {
			continue
		}
		behind := " "
		if i+1 < len(layer.Runs) {
			behind = overlay.Behind(run, layer.Runs[i+1])
		}
		for _, p := range piecesOf(run, behind) {
			drawPiece(&b, run, p)
		}
	}
	b.WriteString("</g>")
	for _, link := range layer.Links {
		switch {
		case link.Kind == overlay.ToPage:
			fmt.Fprintf(&b, `<a href="%s" data-page="%d"`, escaped(to.where(link.Page)), link.Page)
			if link.Top > 0 {
				fmt.Fprintf(&b, ` data-top="%s"`, figure(link.Top))
			}
			if link.Zoom > 0 {
				fmt.Fprintf(&b, ` data-zoom="%s"`, figure(link.Zoom))
			}
			fmt.Fprintf(&b, ` aria-label="%s">`, escaped(to.said(link.Page)))
		case link.Kind == overlay.ToWeb && overlay.SafeAddress(link.Address):
			b.WriteString(`<a target="_blank" rel="noopener noreferrer" href="`)
			escape(&b, link.Address)
			b.WriteString(`" aria-label="`)
			escape(&b, link.Address)
			b.WriteString(`">`)
		case to.beyond && (link.Kind == overlay.ToFile || link.Kind == overlay.ToNowhere):
			fmt.Fprintf(&b, `<a href="#" data-beyond="%s">`, link.Kind)
		default:
			continue
		}
		fmt.Fprintf(&b, `<rect x="%s" y="%s" width="%s" height="%s"/></a>`, figure(link.Box.X), figure(link.Box.Y), figure(link.Box.W),
			figure(link.Box.H))
	}
	b.WriteString("</svg>")
	return b.Bytes()
}

// leads say where links to pages lead, and in which words. The viewer's script
// puts its own words in their place.
type leads struct {
	where, said func(page int) string
	beyond      bool // links that lead out of the file, or nowhere, are there, to say so
}

var inViewer = leads{
	func(page int) string { return fmt.Sprintf("#p%d", page) },
	func(page int) string { return fmt.Sprintf("Go to page %d", page) },
	true,
}

// drawPiece writes a part of a run.
func drawPiece(b *bytes.Buffer, run overlay.Run, p piece) {
	b.WriteString(`<text x="`)
	switch {
	case p.places != nil:
		for i := 0; i < len(p.places); i += 2 {
			if i > 0 {
				b.WriteByte(' ')
			}
			b.WriteString(strconv.FormatFloat(math.Round((run.X+p.places[i])*10)/10, 'f', -1, 64))
		}
		fmt.Fprintf(b, `" y="%s" font-size="%s"`, figure(run.Y), figure(run.Size))
	case p.backward: // it begins at its right
		fmt.Fprintf(b, `%s" y="%s" font-size="%s" textLength="%s" lengthAdjust="spacingAndGlyphs" direction="rtl"`,
			figure(run.X+p.high), figure(run.Y), figure(run.Size), figure(p.high-p.low))
	default:
		fmt.Fprintf(b, `%s" y="%s" font-size="%s" textLength="%s" lengthAdjust="spacingAndGlyphs"`,
			figure(run.X+p.low), figure(run.Y), figure(run.Size), figure(p.high-p.low))
	}
	if run.Angle != 0 && !run.Upright {
		fmt.Fprintf(b, ` transform="rotate(%s %s %s)"`, figure(run.Angle), figure(run.X), figure(run.Y))
	}
	if run.Upright {
		b.WriteString(` writing-mode="vertical-rl" class="upright"`)
	}
	b.WriteString(then[p.then])
	b.WriteByte('>')
	escape(b, p.text)
	b.WriteString("</text>")
}

// then tells the script that copies what stands behind a piece of text.
var then = map[string]string{"": ` data-then="none"`, "\n": ` data-then="line"`, " ": ""}

// escape writes text so that it is text, in content and in attributes.
func escape(b *bytes.Buffer, text string) {
	_ = xml.EscapeText(b, []byte(text)) // a buffer does not fail
}

func escaped(text string) string {
	var b bytes.Buffer
	escape(&b, text)
	return b.String()
}

// figure writes points with two decimals, a seventieth of a millimetre.
func figure(v float64) string {
	return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64)
}
