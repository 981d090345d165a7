package intake_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/blob"
	"incipit/internal/database"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func blobs(t *testing.T, h *testkit.House) int {
	t.Helper()
	n, _, err := h.Blobs.Usage(t.Context(), "")
	require.NoError(t, err)
	return n
}

func TestReceiveKeepsAndExamines(t *testing.T) {
	h := testkit.Open(t)
	b, err := demo.PDF("annual-report.pdf")
	require.NoError(t, err)
	d, e, err := h.Intake.Receive(t.Context(), `C:\Users\maren\annual_report-2025.PDF`, bytes.NewReader(b), 0)
	require.NoError(t, err)
	assert.Equal(t, "Annual report 2025", d.Title)
	assert.Equal(t, "annual_report-2025.PDF", e.FileName)
	assert.Equal(t, int64(len(b)), e.Bytes)
	assert.Equal(t, 7, e.Pages)
	assert.Len(t, e.Sheets, 1, "the first page is known before the rest is examined")
	kept, err := h.Blobs.Read(t.Context(), e.BlobKey)
	require.NoError(t, err)
	assert.Equal(t, b, kept)
	listed := h.Examined(t, d.Title)
	require.Equal(t, library.Ready, listed.State)
	e, err = h.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Len(t, e.Sheets, 7)
	assert.Equal(t, 90, e.Sheets[5].Rotation)
	assert.True(t, e.HasText)
	assert.Len(t, e.Facts.Outline, 8)
}

func TestWhatIsRefusedLeavesNothing(t *testing.T) {
	h := testkit.Open(t)
	tides, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	h.Intake.MaxBytes = 300_000
	before := blobs(t, h)
	for name, c := range map[string]struct {
		r    io.Reader
		want pdf.Kind
	}{
		"empty.pdf":  {bytes.NewReader(nil), pdf.NotPDF},
		"page.pdf":   {bytes.NewReader(hostile.HTML()), pdf.NotPDF},
		"cut.pdf":    {bytes.NewReader([]byte("%PDF-1.7\n1 0 obj")), pdf.Damaged},
		"locked.pdf": {bytes.NewReader(hostile.Locked()), pdf.NeedsPassword},
		"large.pdf":  {bytes.NewReader(tides), pdf.TooLarge},
	} {
		_, _, err := h.Intake.Receive(t.Context(), name, c.r, 0)
		assert.Equal(t, c.want, pdf.KindOf(err), "%s: %v", name, err)
	}
	_, _, err = h.Intake.Receive(t.Context(), "gone.pdf", io.MultiReader(bytes.NewReader(tides[:100_000]), failing{}), 0)
	require.ErrorContains(t, err, "the line broke")
	assert.Equal(t, before, blobs(t, h))
	all, err := h.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, all)
}

// Where nobody can say whether the rows of a file were kept, since the connection ended while
// they were, its bytes stay until a sweep: an edition without bytes would be worse.
func TestBytesStayWhereNobodyKnows(t *testing.T) {
	h := testkit.Open(t)
	before := blobs(t, h)
	exec := func(sql string) { require.NoError(t, h.DB.WithContext(t.Context()).Exec(sql).Error) }
	exec(`CREATE FUNCTION gone() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM pg_terminate_backend(pg_backend_pid()); RETURN NULL; END $$`)
	exec(`CREATE CONSTRAINT TRIGGER gone AFTER INSERT ON editions DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION gone()`)
	_, _, err := h.Intake.Receive(t.Context(), "tides.pdf", bytes.NewReader(hostile.ManyPages(2)), 0)
	require.ErrorIs(t, err, database.ErrUncertain)
	assert.Equal(t, before+1, blobs(t, h), "they may be an edition's")
	exec(`DROP TRIGGER gone ON editions`)
	exec(`CREATE FUNCTION refused() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'refused'; END $$`)
	exec(`CREATE CONSTRAINT TRIGGER refused AFTER INSERT ON editions DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION refused()`)
	_, _, err = h.Intake.Receive(t.Context(), "tides.pdf", bytes.NewReader(hostile.ManyPages(2)), 0)
	require.ErrorContains(t, err, "refused")
	require.NotErrorIs(t, err, database.ErrUncertain, "the database said that it was not")
	assert.Equal(t, before+1, blobs(t, h), "nothing of it stays")
	_, err = h.Intake.Sweep(t.Context(), 0)
	require.NoError(t, err)
	assert.Equal(t, before, blobs(t, h))
}

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errors.New("the line broke") }

// A file of exactly the limit is taken.
func TestTheLimitItselfIsAllowed(t *testing.T) {
	h := testkit.Open(t)
	b := hostile.HugePage()
	h.Intake.MaxBytes = int64(len(b))
	_, _, err := h.Intake.Receive(t.Context(), "huge.pdf", bytes.NewReader(b), 0)
	require.NoError(t, err)
	h.Intake.MaxBytes--
	_, _, err = h.Intake.Receive(t.Context(), "huge.pdf", bytes.NewReader(b), 0)
	assert.Equal(t, pdf.TooLarge, pdf.KindOf(err))
}

func TestNamesAndTitles(t *testing.T) {
	for name, want := range map[string][2]string{
		"tide-table_2026.pdf":       {"tide-table_2026.pdf", "Tide table 2026"},
		"../../etc/passwd":          {"passwd", "Passwd"},
		`..\..\boot.ini.pdf`:        {"boot.ini.pdf", "Boot.ini"},
		"<script>alert(1)</script>": {"script>", "Script>"},
		"<img src=x onerror=x>.pdf": {"<img src=x onerror=x>.pdf", "<img src=x onerror=x>"},
		"":                          {"", "Untitled document"},
		"..":                        {"", "Untitled document"},
		"a\x00b\r\nc.pdf":           {"abc.pdf", "Abc"},
		"\xff\xfe.pdf":              {".pdf", "Untitled document"},
		"żurawie.pdf":               {"żurawie.pdf", "Żurawie"},
	} {
		assert.Equal(t, want[0], intake.FileName(name), "%q", name)
		assert.Equal(t, want[1], intake.TitleOf(name), "%q", name)
	}
}

func TestSweepRemovesOrphansOnly(t *testing.T) {
	h := testkit.Open(t)
	before := blobs(t, h)
	d := h.Add(t, "tide-table.pdf")
	e := h.Measured(t, d.ID)
	file := press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes}
	_, err := h.Press.Image(t.Context(), file, 1, 240)
	require.NoError(t, err)
	_, err = h.Press.Layer(t.Context(), file, 1)
	require.NoError(t, err)
	mine := blobs(t, h)
	for _, key := range []string{"files/ab/abandoned", "pages/unknownhash/1/240", "layers/unknownhash/1", "pages/" + e.SHA256 +
		"/1/240.cut-off-write"} {
		_, err := h.Blobs.Write(t.Context(), key, bytes.NewReader([]byte("orphan")))
		require.NoError(t, err)
	}
	swept, err := h.Intake.Sweep(t.Context(), time.Hour)
	require.NoError(t, err)
	assert.Zero(t, swept.Blobs, "young bytes may belong to an upload under way")
	swept, err = h.Intake.Sweep(t.Context(), 0)
	require.NoError(t, err)
	assert.Equal(t, intake.Swept{Blobs: 4, Bytes: 24}, swept)
	assert.Equal(t, mine, blobs(t, h))
	require.NoError(t, h.Library.RemoveDocument(t.Context(), d.ID, "Maren Oakes"))
	require.NoError(t, h.Library.ForgetRemoved(t.Context(), time.Now().Add(time.Minute)))
	_, err = h.Intake.Sweep(t.Context(), 0)
	require.NoError(t, err)
	assert.Equal(t, before, blobs(t, h), "a removed document takes its bytes along")
}

// A form's fields are found wherever they stand, and pages keep their order
// however many parts are read at once.
func TestFieldsAreFoundOnLatePages(t *testing.T) {
	const pages = 260
	objects := []string{"<</Type /Catalog /Pages 2 0 R /AcroForm <</Fields [3 0 R]>>>>", "",
		fmt.Sprintf("<</Type /Annot /Subtype /Widget /FT /Tx /T (signature_of_the_warden) /Rect [10 10 90 30] /P %d 0 R>>", 3+pages)}
	kids := ""
	for i := range pages {
		entry := ""
		if i == pages-1 {
			entry = "/Annots [3 0 R]"
		}
		kids += fmt.Sprintf("%d 0 R ", 4+i)
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 %d 300] %s>>", 200+i, entry))
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", kids, pages)
	b := hostile.Build(objects...)
	last := 0
	found, err := intake.Examine(t.Context(), testkit.Engine(t), pdf.Source{ID: "late form", Size: int64(len(b)), Bytes: bytes.NewReader(b)},
		2,
		func(done, all int) error {
			assert.Greater(t, done, last)
			assert.Equal(t, pages, all)
			last = done
			return nil
		})
	require.NoError(t, err)
	assert.Equal(t, pages, last)
	assert.Equal(t, []pdf.Field{{Name: "signature_of_the_warden", Type: "text", Page: pages}}, found.Facts.Fields)
	for i, s := range found.Sheets {
		assert.InDelta(t, 200+i, s.Width, 1e-9)
	}
}

// A file that opens but cannot be examined in time is noted, not tried for
// ever.
func TestAFileThatTakesTooLong(t *testing.T) {
	if testing.Short() {
		t.Skip("waits for as long as a file may take")
	}
	h := testkit.Open(t)
	found, err := intake.Examine(t.Context(), testkit.Engine(t), pdf.Source{ID: "bomb", Size: int64(len(hostile.FormBomb(9, 9))),
		Bytes: bytes.NewReader(hostile.FormBomb(9, 9))}, 1, nil)
	require.NoError(t, err, "geometry does not draw")
	assert.Len(t, found.Sheets, 1)
	_, _, err = h.Intake.Receive(t.Context(), "bomb.pdf", bytes.NewReader(hostile.FormBomb(9, 9)), 0)
	require.NoError(t, err)
	assert.Equal(t, library.Ready, h.Examined(t, "Bomb").State)
}

// Equal bytes are kept once, for as long as one of those needs them; what was damaged is
// shared with nobody, so that adding the file again helps.
func TestEqualBytesAreKeptOnce(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	file := hostile.ManyPages(2)
	kept := func() int {
		n, _, err := h.Blobs.Usage(ctx, intake.FilesPrefix)
		require.NoError(t, err)
		return n
	}
	before := kept()
	add := func() (library.Document, library.Edition) {
		d, e, err := h.Intake.Receive(ctx, "tides.pdf", bytes.NewReader(file), 0)
		require.NoError(t, err)
		return d, e
	}
	first, one := add()
	second, two := add()
	assert.Equal(t, one.BlobKey, two.BlobKey)
	assert.Equal(t, before+1, kept())
	again, err := h.Intake.Replace(ctx, second.ID, "tides.pdf", bytes.NewReader(file), 0, "")
	require.NoError(t, err)
	assert.Equal(t, one.BlobKey, again.BlobKey)
	h.Examined(t, "Tides")

	// The first goes for good: the bytes stay for the others, and then go.
	forget := func(d int64) {
		require.NoError(t, h.Library.RemoveDocument(ctx, d, "Maren"))
		require.NoError(t, h.DB.WithContext(ctx).Exec("UPDATE all_documents SET removed_at = now() - interval '1 year' WHERE id = ?", d).Error)
		_, err := h.Intake.Sweep(ctx, 0)
		require.NoError(t, err)
	}
	forget(first.ID)
	b, err := h.Blobs.Read(ctx, one.BlobKey)
	require.NoError(t, err)
	assert.Equal(t, file, b)

	_, err = h.Blobs.Write(ctx, one.BlobKey, bytes.NewReader(append(bytes.Clone(file[:len(file)-1]), 'x')))
	require.NoError(t, err)
	third, three := add()
	assert.NotEqual(t, one.BlobKey, three.BlobKey, "what is damaged is not shared")
	assert.Equal(t, before+2, kept())
	_, four := add()
	assert.Equal(t, three.BlobKey, four.BlobKey, "the whole one is")
	forget(second.ID)
	_, err = h.Blobs.Read(ctx, one.BlobKey)
	require.ErrorIs(t, err, blob.ErrNotFound)
	forget(third.ID)
	_, err = h.Blobs.Read(ctx, three.BlobKey)
	require.NoError(t, err)
}
