package intake_test

import (
	"bytes"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/legible"
	"incipit/internal/core/sheet"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// What was found of a file that asks for a password is taken as it was found; what no file
// can have is refused, and of a refused file nothing stays.
func TestOpenedElsewhere(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	_, e, err := h.Intake.ReceiveLocked(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, hostile.Password)
	require.NoError(t, err)
	was := e.Opened()
	require.NotNil(t, was)
	require.NotEmpty(t, was.Sheets)
	_, again, err := h.Intake.ReceiveOpened(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, *was)
	require.NoError(t, err)
	assert.Equal(t, was, again.Opened())
	assert.True(t, again.Locked)

	spoilt := map[string]func(o *library.Opened){
		"no pages":       func(o *library.Opened) { o.Sheets = nil },
		"endless pages":  func(o *library.Opened) { o.Sheets = make([]sheet.Sheet, 20_000) },
		"no width":       func(o *library.Opened) { o.Sheets[0].Width = 0 },
		"endless height": func(o *library.Opened) { o.Sheets[0].Height = math.Inf(1) },
		"no number":      func(o *library.Opened) { o.Sheets[0].Width = math.NaN() },
		"aslant":         func(o *library.Opened) { o.Sheets[0].Rotation = 45 },
		"unit":           func(o *library.Opened) { o.Units = map[int]float64{1: -1} },
		"units beyond":   func(o *library.Opened) { o.Units = map[int]float64{1: 1, 7: 1, 8: 1, 9: 1, 10: 1, 11: 1} },
		"type of none":   func(o *library.Opened) { o.Type.Of = -1 },
		"type beyond":    func(o *library.Opened) { o.Type.Pages = []legible.Page{{Number: 99}} },
		"type of more":   func(o *library.Opened) { o.Type.Of = 99 },
		"size of type":   func(o *library.Opened) { o.Type.Pages = []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: -1}}}} },
		"fewer than none": func(o *library.Opened) {
			o.Type.Pages = []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: 9, Chars: -1}}}}
		},
	}
	for name, spoil := range spoilt {
		o := *e.Opened()
		o.Sheets = append([]sheet.Sheet{}, o.Sheets...)
		spoil(&o)
		_, _, err := h.Intake.ReceiveOpened(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, o)
		assert.Equal(t, pdf.Damaged, pdf.KindOf(err), name)
	}
	_, _, err = h.Intake.ReceiveOpened(ctx, "thin.pdf", bytes.NewReader(hostile.ThinPage()), 0, *was)
	assert.Equal(t, pdf.Damaged, pdf.KindOf(err), "it asks for none")
	all, err := h.Library.Documents(ctx, "")
	require.NoError(t, err)
	assert.Len(t, all, 2)
	n, _, err := h.Blobs.Usage(ctx, intake.FilesPrefix)
	require.NoError(t, err)
	assert.Equal(t, 1, n, "equal bytes, once")
}

// A new edition may ask for a password: it is opened with that now, cannot be compared, which
// is said, and comes back as it was after it was removed.
func TestAnEditionThatAsksForAPassword(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	p, first := h.Published(t, "trail-map.pdf", nil)
	for _, password := range []string{"", "wrong"} {
		_, err := h.Intake.Replace(ctx, first.DocumentID, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, password)
		assert.Equal(t, pdf.NeedsPassword, pdf.KindOf(err), password)
	}
	made, err := h.Intake.Replace(ctx, first.DocumentID, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, hostile.Password)
	require.NoError(t, err)
	of := func() library.Edition {
		e, err := h.Library.EditionOf(ctx, first.DocumentID, 2)
		require.NoError(t, err)
		return e
	}
	e := of()
	require.Equal(t, []any{2, library.Ready, true, "nest-sites.pdf"}, []any{made.Number, e.State, e.Locked, e.FileName})
	require.NotEmpty(t, e.Opened().Sheets)
	var rows string
	require.NoError(t, h.DB.Pool.QueryRow(ctx, `SELECT string_agg(e::text, ' ') || (SELECT coalesce(string_agg(args::text, ' '), '') FROM river_job) FROM editions e`).Scan(&rows))
	assert.NotContains(t, rows, hostile.Password)

	require.NoError(t, h.Library.RemoveEdition(ctx, first.DocumentID, 2, "Maren Oakes"))
	require.NoError(t, h.Intake.PutBackEdition(ctx, first.DocumentID, 2))
	back := of()
	assert.Equal(t, []any{e.Opened(), library.Ready, e.Pages}, []any{back.Opened(), back.State, back.Pages})

	require.NoError(t, h.Intake.CompareLater(ctx, first, back))
	patience.Until(t, func() bool {
		c, err := h.Library.Compared(ctx, first.ID, back.ID)
		return err == nil && strings.Contains(c.Trouble, "asks for a password")
	})
	require.NoError(t, h.Placing.TurnTo(ctx, first.DocumentID, 1, 2, 0, "Maren Oakes", func(page int) (int, bool) { return page, true }))
	status, _, _ := h.Visitor(t).Get("/r/" + p.Key + "/page/" + back.SHA256[:16] + "/1/800")
	assert.Equal(t, http.StatusUnauthorized, status, "readers are asked for it")
}
