package intake_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/draft"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/office"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

func account(t *testing.T, h *testkit.House) (id int64) {
	t.Helper()
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), "SELECT min(id) FROM accounts").Scan(&id))
	return id
}

// sent sends a file in parts of some length, the last one only as far as it comes.
func sent(t *testing.T, h *testkit.House, name string, b []byte, length int) library.Upload {
	t.Helper()
	u, err := h.Intake.Expect(t.Context(), account(t, h), name, int64(len(b)))
	require.NoError(t, err)
	for at := 0; at < len(b); {
		n, err := h.Intake.Part(t.Context(), u, int64(at), bytes.NewReader(b[at:min(at+length, len(b))]))
		require.NoError(t, err)
		at += int(n)
		u, err = h.Library.Upload(t.Context(), u.AccountID, u.ID)
		require.NoError(t, err)
		require.EqualValues(t, at, u.Received)
	}
	return u
}

// A file in parts becomes one document, however often and by how many that is asked for.
func TestAFileInPartsIsOneDocument(t *testing.T) {
	h := testkit.Open(t)
	b, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	u := sent(t, h, "tide-table.pdf", b, 100_000)
	var all sync.WaitGroup
	made := make([]int64, 5)
	for i := range made {
		all.Go(func() {
			u, err := h.Intake.Assemble(t.Context(), u, "")
			if assert.NoError(t, err) {
				made[i] = *u.DocumentID
			}
		})
	}
	all.Wait()
	for _, id := range made {
		assert.Equal(t, made[0], id)
	}
	e, err := h.Library.CurrentEdition(t.Context(), made[0])
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%x", sha256.Sum256(b)), e.SHA256)
	var editions int
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM editions").Scan(&editions))
	assert.Equal(t, 1, editions)
	// Nothing of the parts stays, nor of those who were slower.
	_, err = h.Intake.Sweep(t.Context(), 0)
	require.NoError(t, err)
	parts, _, err := h.Blobs.Usage(t.Context(), intake.PartsPrefix)
	require.NoError(t, err)
	assert.Zero(t, parts)
	kept, _, err := h.Blobs.Usage(t.Context(), intake.FilesPrefix)
	require.NoError(t, err)
	assert.Equal(t, 1, kept)
}

// Parts go on where the last one ended, whatever was cut off; what begins elsewhere is not
// kept, nor what is nobody's.
func TestPartsGoOn(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	who := account(t, h)
	b := hostile.ManyPages(3)
	u, err := h.Intake.Expect(ctx, who, "register.pdf", int64(len(b)))
	require.NoError(t, err)
	n, err := h.Intake.Part(ctx, u, 0, iotest.TimeoutReader(iotest.HalfReader(bytes.NewReader(b))))
	require.NoError(t, err, "what arrived before the line was cut is kept")
	require.Positive(t, n)
	_, err = h.Intake.Assemble(ctx, u, "")
	require.ErrorAs(t, err, new(draft.Refused), "it has not arrived")
	_, err = h.Intake.Part(ctx, u, 0, bytes.NewReader(b))
	require.ErrorIs(t, err, library.ErrElsewhere, "two at once")
	u, err = h.Library.Upload(ctx, who, u.ID)
	require.NoError(t, err)
	_, err = h.Intake.Part(ctx, u, n+1, bytes.NewReader(b))
	require.ErrorIs(t, err, library.ErrElsewhere)
	_, err = h.Intake.Sweep(ctx, 0)
	require.NoError(t, err)
	parts, _, err := h.Blobs.Usage(ctx, intake.PartsPrefix)
	require.NoError(t, err)
	assert.Equal(t, 1, parts, "what is waited for stays, what came twice does not")
	_, err = h.Library.Upload(ctx, who+1, u.ID)
	require.Error(t, err, "somebody else's")
	m, err := h.Intake.Part(ctx, u, n, bytes.NewReader(b[n:]))
	require.NoError(t, err)
	assert.EqualValues(t, len(b), n+m)
	u, err = h.Library.Upload(ctx, who, u.ID)
	require.NoError(t, err)
	_, err = h.Intake.Assemble(ctx, u, "")
	require.NoError(t, err)

	// What cannot be a PDF is refused by its first part.
	u, err = h.Intake.Expect(ctx, who, "tides.pdf", 200_000)
	require.NoError(t, err)
	_, err = h.Intake.Part(ctx, u, 0, bytes.NewReader(make([]byte, 100_000)))
	assert.Equal(t, pdf.NotPDF, pdf.KindOf(err))
	_, err = h.Intake.Expect(ctx, who, "large.pdf", h.Intake.MaxBytes+1)
	assert.Equal(t, pdf.TooLarge, pdf.KindOf(err))
	// What nobody sends more of is let go of.
	require.NoError(t, h.Library.ForgetUploads(ctx, time.Now().Add(time.Hour)))
	_, err = h.Library.Upload(ctx, who, u.ID)
	require.Error(t, err)
}

// made is a converter that gives some file.
type made struct{ file string }

func (m made) Convert(_ context.Context, path string, kind office.Kind, take func(*os.File) error) error {
	if kind != office.Text {
		return office.ErrFailed
	}
	if _, err := os.Stat(path); err != nil {
		return err
	}
	f, err := os.Open(m.file)
	if err != nil {
		return err
	}
	defer f.Close()
	return take(f)
}

// An office document waits until something can make a PDF of it; nothing is lost.
func TestAnOfficeDocument(t *testing.T) {
	h := testkit.Open(t)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.CreateHeader(&zip.FileHeader{Name: "mimetype"})
	require.NoError(t, err)
	_, err = w.Write([]byte("application/vnd.oasis.opendocument.text"))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	u := sent(t, h, "count-rules.odt", b.Bytes(), 60)
	h.Intake.Office = nil
	_, err = h.Intake.Assemble(t.Context(), u, "")
	require.Equal(t, pdf.NoConverter, pdf.KindOf(err))
	file := filepath.Join(t.TempDir(), "made.pdf")
	require.NoError(t, os.WriteFile(file, hostile.ManyPages(2), 0o600))
	h.Intake.Office = made{file}
	u, err = h.Intake.Assemble(t.Context(), u, "")
	require.NoError(t, err, "it was kept")
	e, err := h.Library.CurrentEdition(t.Context(), *u.DocumentID)
	require.NoError(t, err)
	assert.Equal(t, []any{"count-rules.pdf", 2}, []any{e.FileName, e.Pages})

	rtf := sent(t, h, "rules.rtf", []byte(`{\rtf1 x}`), 60)
	_, err = h.Intake.Assemble(t.Context(), rtf, "")
	require.Equal(t, pdf.Unconverted, pdf.KindOf(err))
	_, err = h.Library.Upload(t.Context(), rtf.AccountID, rtf.ID)
	require.NoError(t, err, "it is kept, too")
	other := sent(t, h, "things.zip", append([]byte("PK\x03\x04"), make([]byte, 50)...), 60)
	_, err = h.Intake.Assemble(t.Context(), other, "")
	require.Equal(t, pdf.NotPDF, pdf.KindOf(err))
	_, err = h.Library.Upload(t.Context(), other.AccountID, other.ID)
	require.Error(t, err, "nothing helps")
	half := sent(t, h, "half.odt", b.Bytes()[:90], 60)
	_, err = h.Intake.Assemble(t.Context(), half, "")
	require.Equal(t, pdf.Damaged, pdf.KindOf(err))
	require.ErrorContains(t, err, "its end is missing")
}

// A file in parts becomes one edition of a document, however often that is asked for; what
// cannot be one leaves the document as it was, and the file is no edition of another.
func TestAFileInPartsIsOneEdition(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	d := h.Add(t, "annual-report.pdf")
	other := h.Add(t, "trail-map.pdf")
	b, err := demo.PDF("annual-report-2.pdf")
	require.NoError(t, err)
	u := sent(t, h, "report.pdf", b, 20_000)
	var all sync.WaitGroup
	made := make([]int, 5)
	for i := range made {
		all.Go(func() {
			u, err := h.Intake.AssembleFor(ctx, u, d.ID, "")
			if assert.NoError(t, err) {
				made[i] = u.Edition
			}
		})
	}
	all.Wait()
	assert.Equal(t, []int{2, 2, 2, 2, 2}, made)
	u, err = h.Library.Upload(ctx, u.AccountID, u.ID)
	require.NoError(t, err)
	_, err = h.Intake.AssembleFor(ctx, u, other.ID, "")
	require.ErrorAs(t, err, new(draft.Refused), "it is an edition already")
	e, err := h.Library.EditionOf(ctx, d.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%x", sha256.Sum256(b)), e.SHA256)

	_, err = h.Intake.AssembleFor(ctx, sent(t, h, "locked.pdf", hostile.Locked(), 1<<20), d.ID, "")
	assert.Equal(t, pdf.NeedsPassword, pdf.KindOf(err))
	var editions int
	require.NoError(t, h.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM editions").Scan(&editions))
	assert.Equal(t, 3, editions)
}
