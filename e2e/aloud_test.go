package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// spoken is what assistive technology is given of the pages, in its order: each node
// with a name, by its role.
func spoken(t *testing.T, tab *testkit.Tab) []string {
	t.Helper()
	tree, err := chromedp.Call(tab.Ctx, accessibility.GetFullAXTree, accessibility.GetFullAXTreeParams{})
	require.NoError(t, err)
	var out []string
	for _, n := range tree.Nodes {
		if n.Ignored || n.Role == nil || n.Name == nil {
			continue
		}
		role, name := strings.Trim(string(n.Role.Value), `"`), strings.Trim(string(n.Name.Value), `"`)
		if name != "" {
			out = append(out, role+": "+name)
		}
	}
	return out
}

// Who does not see the pages reads all of them through: each is there by its name, with
// its text in its structure and order, also far from what is in view; a picture says
// that it is one.
func TestReadingThroughAloud(t *testing.T) {
	t.Parallel() // it waits more than it works
	for _, c := range []struct{ file string }{
		{"annual-report.pdf"},
		{"volunteer-handbook.pdf"},
	} {
		h, p, tab := opened(t, c.file, 900, 600, nil)
		d, err := h.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		e, err := h.Library.CurrentEdition(t.Context(), d.DocumentID)
		require.NoError(t, err)
		e = h.Indexed(t, e.ID)
		tab.Do(chromedp.Reload())
		tab.Until(tab.Ctx, readerReady)
		tab.Until(tab.Ctx, `[...document.querySelectorAll('.sheet')].every((s) => s.querySelector('.aloud'))`)
		all := spoken(t, tab)
		pages, headings, paragraphs := 0, 0, 0
		for _, s := range all {
			role, name, _ := strings.Cut(s, ": ")
			switch {
			case role == "group" && strings.HasPrefix(name, "Page "):
				pages++
			case role == "heading":
				headings++
			case role == "StaticText" && len(name) > 40:
				paragraphs++
			}
		}
		assert.Equal(t, e.Pages, pages, "%s: every page", c.file)
		assert.Greater(t, headings, 3, c.file)
		assert.Greater(t, paragraphs, e.Pages, c.file)
		// The last page's words are there, and no page's words are there twice.
		text, err := h.Library.PageText(t.Context(), e.ID, e.Pages)
		require.NoError(t, err)
		layer, err := text.Unpacked()
		require.NoError(t, err)
		word := ""
		for _, r := range layer.Runs {
			for _, w := range strings.Fields(r.Text) {
				if len(w) > len(word) && !strings.ContainsAny(w, "./,-") {
					word = w
				}
			}
		}
		assert.True(t, strings.Contains(strings.Join(all, " "), word), "%s: %q of the last page", c.file, word)
		assert.Zero(t, testkit.Eval[int](tab, tab.Ctx, `[...document.querySelectorAll('.sheet')].filter((s) => s.querySelector('.aloud') && s.querySelector('.layer .words:not([aria-hidden])')).length`))
		assert.Equal(t, "none", testkit.Eval[string](tab, tab.Ctx, `getComputedStyle(document.querySelector('.aloud')).userSelect`))
		tab.Accessible(tab.Ctx, "pages with their text")
	}
	_, _, tab := opened(t, "logbook-1953.pdf", 900, 600, nil)
	assert.Contains(t, strings.Join(spoken(t, tab), "\n"), ". A picture without text")
	_, _, tab = opened(t, "volunteer-handbook.pdf", 900, 600, func(s *setting.Settings) { s.TextView = setting.Closed })
	tab.Until(tab.Ctx, `document.querySelector('#p1 .layer[data-whole]')`)
	assert.Zero(t, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.aloud').length`), "what is not given is not there")
}

// The text view is the page's main part while it is open; marks of pages are spoken as
// such and are no part of what they stand in; Escape leads back to the pages.
func TestTheTextViewIsSpoken(t *testing.T) {
	_, _, tab := opened(t, "volunteer-handbook.pdf", 900, 700, nil)
	tab.Do(chromedp.Focus(`[data-do=text]`), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.querySelectorAll('.flowing h2, .flowing h3').length > 3 && document.querySelectorAll('.flowing [role=doc-pagebreak]').length > 3`)
	marks, mains := 0, 0
	for _, s := range spoken(t, tab) {
		role, name, _ := strings.Cut(s, ": ")
		switch role {
		case "doc-pagebreak", "DocPageBreak":
			assert.Regexp(t, `^Page (\d+|[ivx]+)$`, name)
			marks++
		case "main":
			mains++
		case "heading":
			assert.NotRegexp(t, `^Page (\d+|[ivx]+)\b|Page (\d+|[ivx]+)$`, name, "a heading is named by its words")
		}
	}
	assert.Greater(t, marks, 3)
	assert.Equal(t, 1, mains, "one main part, with a name")
	focusOn(t, tab, ".flowing, .flowing *")
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `document.querySelector('.flowing').hidden`)
	focusOn(t, tab, "#pages")
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('pages').checkVisibility()`))
}
