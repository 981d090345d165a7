package intake_test

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/compare"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// heavy is an engine that some pages are too much for, in whatever it is asked; facts say
// that those of the file are.
type heavy struct {
	pdf.Engine
	pages  []int
	facts  bool
	mu     sync.Mutex
	blames int
}

func (h *heavy) tooMuch(pages ...int) error {
	for _, page := range pages {
		if slices.Contains(h.pages, page) {
			h.mu.Lock()
			defer h.mu.Unlock()
			h.blames++
			return pdf.Problemf(pdf.TookTooLong, "It took too long.")
		}
	}
	return nil
}

func span(from, to int) (out []int) {
	for p := from; p <= to; p++ {
		out = append(out, p)
	}
	return out
}

func (h *heavy) Sheets(ctx context.Context, src pdf.Source, from, to int) ([]sheet.Sheet, error) {
	if err := h.tooMuch(span(from, to)...); err != nil {
		return nil, err
	}
	return h.Engine.Sheets(ctx, src, from, to)
}

func (h *heavy) Facts(ctx context.Context, src pdf.Source) (pdf.Facts, error) {
	if h.facts {
		return pdf.Facts{}, pdf.Problemf(pdf.OutOfMemory, "It is too large.")
	}
	return h.Engine.Facts(ctx, src)
}

func (h *heavy) Fields(ctx context.Context, src pdf.Source, from, to int) ([]pdf.Field, bool, error) {
	if err := h.tooMuch(span(from, to)...); err != nil {
		return nil, false, err
	}
	return h.Engine.Fields(ctx, src, from, to)
}

func (h *heavy) Type(ctx context.Context, src pdf.Source, pages []int) ([]legible.Page, error) {
	if err := h.tooMuch(pages...); err != nil {
		return nil, err
	}
	return h.Engine.Type(ctx, src, pages)
}

func (h *heavy) Layer(ctx context.Context, src pdf.Source, page int) (pdf.Layer, error) {
	if err := h.tooMuch(page); err != nil {
		return pdf.Layer{}, err
	}
	return h.Engine.Layer(ctx, src, page)
}

// What is too much for the engine costs that part of a document, named by its page, and
// neither the document nor any other page; readers are told so.
func TestAHeavyPageCostsThatPage(t *testing.T) {
	h := testkit.OpenOver(t, func(e pdf.Engine) pdf.Engine { return &heavy{Engine: e, pages: []int{3, 7}, facts: true} })
	_, e, err := h.Intake.Receive(t.Context(), "register.pdf", bytes.NewReader(paper.Register(12)), 0)
	require.NoError(t, err)
	h.Measured(t, e.DocumentID)
	e = h.Indexed(t, e.ID)
	assert.Equal(t, library.Ready, e.State, e.ProblemMessage)
	assert.Equal(t, library.Unread{Sizes: []int{3, 7}, Facts: true, Type: []int{3, 7}, Text: []int{3, 7}}, e.Unread)
	assert.Len(t, e.Sheets, 12)
	assert.Equal(t, e.Sheets[0].Width, e.Sheets[2].Width, "it is taken to be like the first one")
	assert.True(t, e.HasText)
	assert.Len(t, e.Type.Pages, 10)
	for page := 1; page <= 12; page++ {
		plain, there, err := h.Library.PlainText(t.Context(), e.ID, page)
		require.NoError(t, err)
		assert.True(t, there)
		assert.Equal(t, page != 3 && page != 7, plain != "", "page %d", page)
	}
	h.Editor(t)
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	s := setting.Default()
	s.TextView, s.Tools = setting.Offered, toolbar.All()
	h.Publish(t, p.ID, s)
	status, text, _ := h.Visitor(t).Get("/r/" + p.Key + "/text")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, text, "The text of page 3 could not be read.")
	assert.NotContains(t, text, "Page 3 has no text.")
	_, found, _ := h.Visitor(t).Get("/r/" + p.Key + "/find/" + e.Mark() + "?q=nothinglikethis")
	assert.Contains(t, found, `"unread":"The text of these pages could not be read: 3, 7"`)
	_, screen, _ := h.Editor(t).Get(fmt.Sprintf("/placements/%d", p.ID))
	assert.Contains(t, screen, "The text of pages 3, 7 could not be read")
	assert.Contains(t, screen, "The size of pages 3, 7 could not be read")
}

// lasting is an engine that takes its time with the images of some files, as those that
// are being compared are drawn, until it is let go. It does not hear that nobody waits.
type lasting struct {
	pdf.Engine
	mu    sync.Mutex
	files map[string]bool
	go_   chan struct{}
}

func (l *lasting) Image(ctx context.Context, src pdf.Source, page, width int) (pdf.PageImage, error) {
	l.mu.Lock()
	slow := l.files[src.ID] && width == compare.Width
	l.mu.Unlock()
	if slow {
		<-l.go_
	}
	return l.Engine.Image(ctx, src, page, width)
}

func demoPDF(t *testing.T, name string) []byte {
	t.Helper()
	b, err := demo.PDF(name)
	require.NoError(t, err)
	return b
}

// A comparison that lasts keeps nobody else's new edition from its readers, and ends when
// what it is about is removed.
func TestALongComparisonStandsInNobodysWay(t *testing.T) {
	engine := &lasting{files: map[string]bool{}, go_: make(chan struct{})}
	h := testkit.OpenOver(t, func(e pdf.Engine) pdf.Engine { engine.Engine = e; return engine })
	t.Cleanup(func() { close(engine.go_) })
	replaced := func(name string, before, after []byte) library.Edition {
		d, _, err := h.Intake.Receive(t.Context(), name, bytes.NewReader(before), 0)
		require.NoError(t, err)
		h.Measured(t, d.ID)
		e, err := h.Intake.Replace(t.Context(), d.ID, name, bytes.NewReader(after), 0, "")
		require.NoError(t, err)
		return e
	}
	h.Editor(t)
	long := paper.Register(30)
	first := replaced("long.pdf", demoPDF(t, "tide-table.pdf"), long)
	engine.mu.Lock()
	engine.files[first.SHA256] = true
	engine.mu.Unlock()
	for n := range 5 {
		e := replaced(fmt.Sprintf("other-%d.pdf", n), paper.Register(2+n), paper.Register(3+n))
		patience.Until(t, func() bool {
			before, err := h.Library.EditionOf(t.Context(), e.DocumentID, 1)
			require.NoError(t, err)
			k, err := h.Library.Compared(t.Context(), before.ID, e.ID)
			return err == nil && k.Result != nil
		}, "another one's is compared")
	}
	state := func() (s string) {
		_ = h.DB.Pool.QueryRow(t.Context(), "SELECT state FROM river_job WHERE kind = 'compare' AND (args->>'edition')::bigint = $1", first.ID).Scan(&s)
		return s
	}
	require.Equal(t, "running", state(), "it lasts still")
	gone := time.Now()
	status, body, _ := h.Editor(t).Send("POST", fmt.Sprintf("/documents/%d/editions/%d/remove", first.DocumentID, first.Number),
		"application/x-www-form-urlencoded", "")
	require.Equal(t, http.StatusSeeOther, status, body)
	patience.Until(t, func() bool { return state() == "completed" }, "it ends")
	t.Logf("it ended %s after it was removed", time.Since(gone).Round(time.Millisecond))
}
