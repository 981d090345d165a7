package site

import (
	"bytes"
	"fmt"
	"html/template"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// markdown reads CommonMark with tables. A page has one first heading, its
// title: headings in the text come below it.
var markdown = goldmark.New(
	goldmark.WithExtensions(extension.NewTable(extension.WithTableCellAlignMethod(extension.TableCellAlignNone)), extension.Strikethrough),
	goldmark.WithParserOptions(parser.WithASTTransformers(util.Prioritized(below{}, 100))),
	goldmark.WithRendererOptions(renderer.WithNodeRenderers(util.Prioritized(asWritten{}, 100))),
)

// asWritten shows HTML that somebody types as the text it is: nothing that was
// written is lost, and nothing of it works.
type asWritten struct{}

// RegisterFuncs takes the place of what would leave HTML out.
func (asWritten) RegisterFuncs(r renderer.NodeRendererFuncRegisterer) {
	r.Register(ast.KindHTMLBlock, func(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
		block, ok := n.(*ast.HTMLBlock)
		if !entering || !ok {
			return ast.WalkContinue, nil
		}
		lines := block.Lines().Value(source)
		if block.HasClosure() {
			lines = append(lines, block.ClosureLine.Value(source)...)
		}
		_, _ = w.WriteString("<p>")
		_, _ = w.Write(util.EscapeHTML(bytes.TrimSpace(lines)))
		_, _ = w.WriteString("</p>\n")
		return ast.WalkContinue, nil
	})
	r.Register(ast.KindRawHTML, func(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
		if raw, ok := n.(*ast.RawHTML); ok && entering {
			_, _ = w.Write(util.EscapeHTML(raw.Segments.Value(source)))
		}
		return ast.WalkSkipChildren, nil
	})
}

type below struct{}

// Transform moves headings so that the highest of a text is a second one, and
// none is left out below it.
func (below) Transform(doc *ast.Document, _ text.Reader, _ parser.Context) {
	const second = 2
	up := 0
	last := second - 1
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if h, ok := n.(*ast.Heading); ok && entering {
			if last == second-1 || h.Level+up < second {
				up = second - h.Level
			}
			h.Level = min(h.Level+up, last+1, 6)
			last = h.Level
		}
		return ast.WalkContinue, nil
	})
}

// allowed is what comes through: text and its structure, links without script.
// Pictures have blocks of their own.
var allowed = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("h2", "h3", "h4", "h5", "h6", "p", "br", "hr", "em", "strong", "del", "code", "pre", "blockquote", "ul", "ol", "li",
		"table", "thead", "tbody", "tr", "th", "td")
	p.AllowAttrs("start").Matching(bluemonday.Integer).OnElements("ol")
	p.AllowAttrs("href").OnElements("a")
	p.AllowStandardURLs()
	p.AllowURLSchemes("http", "https", "mailto", "tel")
	p.AllowRelativeURLs(true)
	p.RequireNoFollowOnLinks(false)
	return p
}()

// Set gives Markdown as HTML that may stand in any page.
func Set(source string) (template.HTML, error) {
	var b bytes.Buffer
	if err := markdown.Convert([]byte(source), &b); err != nil {
		return "", fmt.Errorf("set text: %w", err)
	}
	return template.HTML(allowed.SanitizeBytes(b.Bytes())), nil //nolint:gosec // sanitised
}
