package intake_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
	"incipit/internal/testkit/patience"
)

// slowed is how many times as slow an engine is here as on the machine that its bound was
// set for: requests are bounded by work, so a fiftieth of the bound is the same.
const slowed = 50

// closePrint is a book of so many pages with so many short lines each: reading some of its
// pages at once is more than a slow engine may do.
func closePrint(pages, lines int) []byte {
	var text strings.Builder
	text.WriteString("BT /F1 6 Tf 1 0 0 1 20 780 Tm ")
	for n := range lines {
		fmt.Fprintf(&text, "1 0 0 1 %d %d Tm (Sanderling %d on the tideline) Tj ", 20+n%5*110, 780-n/5%110*7, n)
	}
	text.WriteString("ET")
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "", "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>", hostile.Stream("", text.String())}
	kids := ""
	for n := range pages {
		kids += fmt.Sprintf("%d 0 R ", 5+n)
		objects = append(objects, "<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Resources <</Font <</F1 3 0 R>>>> /Contents 4 0 R>>")
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", kids, pages)
	return hostile.Build(objects...)
}

// An engine fifty times as slow condemns no file: 60 sound documents of many kinds are
// added, read, found and compared, and are sound in the end, each part of each of them;
// meanwhile none that has text is ever said to have none.
func TestAnEngineFiftyTimesAsSlow(t *testing.T) {
	pace.Long(t)
	pace.Unraced(t)
	bound := testkit.Config(t, "127.0.0.1:1", nil).EngineDeadline
	engine := testkit.Workers(t, 2, bound/slowed)
	h := testkit.OpenOver(t, func(pdf.Engine) pdf.Engine { return engine })
	ctx := t.Context()
	kinds := map[string][]byte{
		"one page": hostile.ManyPages(1), "forty pages": hostile.ManyPages(40), "linked": hostile.Linked(), "layered": hostile.Layered(),
		"thin": hostile.ThinPage(), "long texts": hostile.LongTexts(6, 2000),
	}
	texts := map[string]bool{}
	for _, d := range demo.Documents() {
		b, err := demo.PDF(d.File)
		require.NoError(t, err)
		kinds[d.Title] = b
		texts[d.Title] = d.File != "logbook-1953.pdf" // which was scanned
	}
	second, err := demo.PDF("annual-report-2.pdf")
	require.NoError(t, err)
	const copies = 4
	require.GreaterOrEqual(t, copies*len(kinds), 60)
	type one struct {
		kind    string
		edition library.Edition
		second  int64
	}
	var all []*one
	of := map[string]int{}
	for kind := range kinds {
		of[kind] = copies
	}
	kinds["close print"], of["close print"] = closePrint(16, 2000), 1
	for kind, b := range kinds {
		for n := range of[kind] { // other bytes each time: nothing is shared
			d, e, err := h.Intake.Receive(ctx, kind+".pdf", bytes.NewReader(fmt.Appendf(bytes.Clone(b), "\n%% %d\n", n)), 0)
			require.NoError(t, err)
			x := &one{kind: kind, edition: e}
			if kind == "Annual report 2025" {
				next, err := h.Intake.Replace(ctx, d.ID, "second.pdf", bytes.NewReader(fmt.Appendf(bytes.Clone(second), "\n%% %d\n", n)), 0, "")
				require.NoError(t, err)
				x.second = next.ID
			}
			all = append(all, x)
		}
	}
	for _, x := range all {
		patience.Until(t, func() bool {
			e, err := h.Library.Edition(ctx, x.edition.ID)
			require.NoError(t, err)
			require.NotEqual(t, library.Failed, e.State, "%s: %s", x.kind, e.ProblemMessage)
			x.edition = e
			if texts[x.kind] {
				require.True(t, e.HasText, "%s: it is said to have no text", x.kind)
			}
			return e.State == library.Ready && e.Measured && (!e.HasText || e.Indexed >= e.Pages)
		}, "%s is read", x.kind)
		assert.False(t, x.edition.Unread.Any(), "%s: %+v", x.kind, x.edition.Unread)
		if x.second != 0 {
			var c library.Comparison
			patience.Until(t, func() bool {
				c, err = h.Library.Compared(ctx, x.edition.ID, x.second)
				return err == nil && c.Result != nil
			}, "it is compared")
			assert.Empty(t, c.Trouble)
			assert.False(t, c.OutOfBudget)
			assert.NotEmpty(t, c.Result.Pages)
		}
	}
	found, err := h.Library.Find(ctx, library.Wanted{Words: "tide"})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, found.All, copies)
	require.NotEmpty(t, engine.Figures(), "some requests were more than the bound, and were asked for again, smaller")
}
