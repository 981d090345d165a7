package intake_test

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/legible"
	"incipit/internal/core/sheet"
	"incipit/internal/intake"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// What was found of a file that asks for a password is taken as it was found; what no file
// can have is refused, and of a refused file nothing stays.
func TestOpenedElsewhere(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	_, e, err := h.Intake.ReceiveLocked(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, hostile.Password)
	require.NoError(t, err)
	was := intake.OpenedOf(e)
	require.NotNil(t, was)
	require.NotEmpty(t, was.Sheets)
	_, again, err := h.Intake.ReceiveOpened(ctx, "nest-sites.pdf", bytes.NewReader(hostile.Locked()), 0, *was)
	require.NoError(t, err)
	assert.Equal(t, was, intake.OpenedOf(again))
	assert.True(t, again.Locked)

	spoilt := map[string]func(o *intake.Opened){
		"no pages":       func(o *intake.Opened) { o.Sheets = nil },
		"endless pages":  func(o *intake.Opened) { o.Sheets = make([]sheet.Sheet, 20_000) },
		"no width":       func(o *intake.Opened) { o.Sheets[0].Width = 0 },
		"endless height": func(o *intake.Opened) { o.Sheets[0].Height = math.Inf(1) },
		"no number":      func(o *intake.Opened) { o.Sheets[0].Width = math.NaN() },
		"aslant":         func(o *intake.Opened) { o.Sheets[0].Rotation = 45 },
		"unit":           func(o *intake.Opened) { o.Units = map[int]float64{1: -1} },
		"type beyond":    func(o *intake.Opened) { o.Type.Pages = []legible.Page{{Number: 99}} },
		"type of more":   func(o *intake.Opened) { o.Type.Of = 99 },
		"size of type":   func(o *intake.Opened) { o.Type.Pages = []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: -1}}}} },
		"fewer than none": func(o *intake.Opened) {
			o.Type.Pages = []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: 9, Chars: -1}}}}
		},
	}
	for name, spoil := range spoilt {
		o := *intake.OpenedOf(e)
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
	assert.Equal(t, 2, n)
}
