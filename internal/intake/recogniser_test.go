package intake_test

import (
	"bytes"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/find"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/recognise"
	"incipit/internal/testkit"
	"incipit/internal/testkit/pace"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// scans are a document of pictures alone.
func scans(t *testing.T, h *testkit.House, pages int) library.Edition {
	t.Helper()
	var all []image.Image
	for range pages {
		all = append(all, picture(t, h, "annual-report.pdf", 2, 500))
	}
	d, _, err := h.Intake.Receive(t.Context(), "scan0043.pdf", bytes.NewReader(paper.Scan(all, 0)), 0)
	require.NoError(t, err)
	return h.Measured(t, d.ID)
}

// source is an edition's file.
func source(t *testing.T, h *testkit.House, e library.Edition) pdf.Source {
	t.Helper()
	return pdf.Source{ID: e.SHA256, Size: e.Bytes, Bytes: h.Blobs.Ranges(t.Context(), e.BlobKey)}
}

// picture is a page of the demo as a scanner has it, so many pixels wide.
func picture(t *testing.T, h *testkit.House, file string, page, width int) image.Image {
	t.Helper()
	b, err := demo.PDF(file)
	require.NoError(t, err)
	made, err := h.Intake.Engine.Image(t.Context(), pdf.Source{ID: file, Size: int64(len(b)), Bytes: bytes.NewReader(b)}, page, width)
	require.NoError(t, err)
	p, _, err := image.Decode(bytes.NewReader(made.Bytes))
	require.NoError(t, err)
	return p
}

// read waits until a reading has ended.
func read(t *testing.T, h *testkit.House, edition int64) (r library.Recognition) {
	t.Helper()
	patience.Until(t, func() bool {
		var err error
		r, err = h.Library.RecognitionOf(t.Context(), edition)
		require.NoError(t, err)
		return !r.Going()
	})
	return r
}

// What is recognised stands in a new edition, which looks the same and is found by its words;
// pages on which too much is guessed get none and are named.
func TestTheTextOfPictures(t *testing.T) {
	e := &testkit.Eyes{Sure: func(n int64) float64 { return []float64{95, 30, 80}[n-1] }}
	h := testkit.OpenReading(t, e)
	was := scans(t, h, 3)
	assert.False(t, was.HasText)
	var refused draft.Refused
	assert.ErrorAs(t, h.Intake.Recognise(t.Context(), was, 0, []string{"fra", "osd"}, true), &refused, "neither is one that can be read")
	require.NoError(t, h.Intake.Recognise(t.Context(), was, account(t, h), []string{"deu"}, true))
	r := read(t, h, was.ID)
	assert.Equal(t, []any{"", 2, 3, []int{2}}, []any{r.Said, r.Made, r.Done, r.Unsure})
	now, err := h.Library.EditionOf(t.Context(), was.DocumentID, 2)
	require.NoError(t, err)
	assert.Equal(t, []any{[]int{1, 3}, "deu", "scan0043.pdf"}, []any{now.Recognised, now.RecognisedIn, now.FileName})
	patience.Until(t, func() bool {
		require.NoError(t, h.Intake.GoLive(t.Context(), time.Now()))
		d, err := h.Library.Document(t.Context(), was.DocumentID)
		require.NoError(t, err)
		return d.Edition == 2
	})
	now = h.Indexed(t, now.ID)
	assert.True(t, now.HasText)
	texts, err := h.Library.PageTexts(t.Context(), now.ID, 1, 3)
	require.NoError(t, err)
	assert.Equal(t, []string{"Zwergstrandläufer rasten", "", "Zwergstrandläufer rasten"}, []string{texts[0].Plain, texts[1].Plain, texts[2].Plain})
	before, err := h.Intake.Engine.Image(t.Context(), source(t, h, was), 1, 400)
	require.NoError(t, err)
	after, err := h.Intake.Engine.Image(t.Context(), source(t, h, now), 1, 400)
	require.NoError(t, err)
	assert.Equal(t, before.Bytes, after.Bytes, "nothing is seen of it")

	// Read again, now that two pages have text, the third is read alone.
	e.Read.Store(2)
	require.NoError(t, h.Intake.Recognise(t.Context(), now, 0, []string{"eng"}, false))
	r = read(t, h, now.ID)
	assert.Equal(t, []any{3, 2}, []any{r.Made, r.Had})
	third, err := h.Library.EditionOf(t.Context(), was.DocumentID, 3)
	require.NoError(t, err)
	assert.Nil(t, third.LiveAt, "it waits for an editor")
	assert.Equal(t, []int{1, 2, 3}, third.Recognised, "what was recognised before is told as well")
}

// A reading that is stopped is forgotten; one that fails midway goes on where it was, and
// makes one edition.
func TestReadingGoesOn(t *testing.T) {
	e := &testkit.Eyes{Wait: make(chan struct{})}
	h := testkit.OpenReading(t, e)
	was := scans(t, h, 4)
	require.NoError(t, h.Intake.Recognise(t.Context(), was, 0, []string{"eng"}, false))
	var refused draft.Refused
	require.ErrorAs(t, h.Intake.Recognise(t.Context(), was, 0, []string{"eng"}, false), &refused, "it is being read")
	e.Wait <- struct{}{}
	require.NoError(t, h.Library.StopRecognition(t.Context(), was.DocumentID))
	close(e.Wait)
	_, err := h.Library.RecognitionOf(t.Context(), was.ID)
	require.ErrorIs(t, err, database.ErrNotFound)

	e.Trip.Store(3) // the second page from now on fails once
	patience.Until(t, func() bool { return h.Intake.Recognise(t.Context(), was, 0, []string{"eng"}, false) == nil })
	r := read(t, h, was.ID)
	assert.Equal(t, []any{4, 2}, []any{r.Done, r.Made})
	all, err := h.Library.Editions(t.Context(), was.DocumentID)
	require.NoError(t, err)
	assert.Len(t, all, 2)
	var left int
	require.NoError(t, h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM recognised_pages").Scan(&left))
	assert.Zero(t, left, "nothing of it is kept but the edition")
}

// A reading that lasts holds up nobody: what others want read, who came later, is read between
// its pages.
func TestALongReadingStandsInNobodysWay(t *testing.T) {
	e := &testkit.Eyes{Wait: make(chan struct{})}
	h := testkit.OpenReading(t, e)
	long := scans(t, h, 14)
	var others []library.Edition
	for range 3 {
		others = append(others, scans(t, h, 2))
	}
	require.NoError(t, h.Intake.Recognise(t.Context(), long, 0, []string{"eng"}, false))
	for range 3 {
		e.Wait <- struct{}{} // it is under way
	}
	for _, o := range others {
		require.NoError(t, h.Intake.Recognise(t.Context(), o, 0, []string{"eng"}, false))
	}
	going := func(o library.Edition) bool {
		r, err := h.Library.RecognitionOf(t.Context(), o.ID)
		require.NoError(t, err)
		return r.Going()
	}
	pages := 0
	for slices.ContainsFunc(others, going) {
		select {
		case e.Wait <- struct{}{}:
			pages++
		case <-time.After(20 * time.Millisecond): // what is read is being written down
		}
		require.Less(t, pages, 11, "the long one is not at its end before the others are")
	}
	assert.True(t, going(long))
	close(e.Wait)
	assert.Equal(t, 14, read(t, h, long.ID).Done)
}

// A document that has text, and one of which nothing can be read, become no other.
func TestNothingToRecognise(t *testing.T) {
	h := testkit.OpenReading(t, &testkit.Eyes{Sure: func(int64) float64 { return 10 }})
	b, err := demo.PDF("spring-notes.pdf")
	require.NoError(t, err)
	d, _, err := h.Intake.Receive(t.Context(), "notes.pdf", bytes.NewReader(b), 0)
	require.NoError(t, err)
	has := h.Measured(t, d.ID)
	guessed := scans(t, h, 1)
	for _, c := range []struct {
		e    library.Edition
		said string
	}{{has, "Every page has text already"}, {guessed, "Too much of it would have been guessed"}} {
		require.NoError(t, h.Intake.Recognise(t.Context(), c.e, 0, []string{"eng"}, true))
		r := read(t, h, c.e.ID)
		assert.Contains(t, r.Said, c.said)
		assert.Zero(t, r.Made)
		all, err := h.Library.Editions(t.Context(), c.e.DocumentID)
		require.NoError(t, err)
		assert.Len(t, all, 1)
	}
}

// The program that is installed reads a scanned page as it lies, on its side too, and another
// reader of PDFs finds the words.
func TestTesseractReadsScans(t *testing.T) {
	pace.Unraced(t)
	program, err := recognise.Find(2, 1<<30)
	if err != nil {
		t.Skip("it cannot be tried here: ", err, "; apt-get install ", recognise.Packages)
	}
	if all, err := program.Languages(t.Context()); err != nil || !slices.Contains(all, "eng") {
		t.Skip("it cannot be tried here: ", err, "; it reads ", all)
	}
	h := testkit.OpenReading(t, program)
	upright := picture(t, h, "annual-report.pdf", 2, 1700)
	d, _, err := h.Intake.Receive(t.Context(), "scan.pdf", bytes.NewReader(paper.Scan([]image.Image{upright, turned(upright)}, 0)), 0)
	require.NoError(t, err)
	was := h.Measured(t, d.ID)
	require.NoError(t, h.Intake.Recognise(t.Context(), was, 0, []string{"eng"}, false))
	r := read(t, h, was.ID)
	require.Equal(t, []any{"", 2}, []any{r.Said, r.Made})
	now, err := h.Library.EditionOf(t.Context(), d.ID, 2)
	require.NoError(t, err)
	original := pdf.Source{ID: "report"}
	b, err := demo.PDF("annual-report.pdf")
	require.NoError(t, err)
	original.Size, original.Bytes = int64(len(b)), bytes.NewReader(b)
	words := func(src pdf.Source, page int) []string {
		layer, err := h.Intake.Engine.Layer(t.Context(), src, page)
		require.NoError(t, err)
		return strings.Fields(find.Of(layer.Runs).Plain())
	}
	want := words(original, 2)
	require.Greater(t, len(want), 100)
	for page := 1; page <= 2; page++ {
		got := words(source(t, h, now), page)
		missed := 0
		for _, w := range want {
			if !slices.Contains(got, w) {
				missed++
			}
		}
		assert.LessOrEqual(t, missed, len(want)/20, "page %d: %q", page, got)
	}
	if _, err := exec.LookPath("pdftotext"); err != nil {
		t.Log("pdftotext is missing: apt-get install poppler-utils")
		return
	}
	f, err := h.Blobs.Open(t.Context(), now.BlobKey)
	require.NoError(t, err)
	defer f.Close()
	b, err = io.ReadAll(f)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "read.pdf")
	require.NoError(t, os.WriteFile(file, b, 0o600))
	out, err := exec.Command("pdftotext", "-f", "1", "-l", "1", file, "-").CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(out), "Eighteen pairs of Lapwing bred on the grazing marsh")
	assert.NotContains(t, string(out), "Error")
}

// turned is a picture on its side.
func turned(p image.Image) image.Image {
	b := p.Bounds()
	out := image.NewRGBA(image.Rect(0, 0, b.Dy(), b.Dx()))
	for y := range b.Dy() {
		for x := range b.Dx() {
			out.Set(b.Dy()-1-y, x, p.At(b.Min.X+x, b.Min.Y+y))
		}
	}
	return out
}

// What is recognised of an edition does not take the place of one that came into force
// meanwhile, whether that was before it was made or before it went to readers.
func TestARecognisedTextIsNoNewerEdition(t *testing.T) {
	same := func(page int) (int, bool) { return page, true }
	for name, early := range map[string]bool{"while it was read": true, "while it waited": false} {
		t.Run(name, func(t *testing.T) {
			eyes := &testkit.Eyes{Wait: make(chan struct{})}
			h := testkit.OpenReading(t, eyes)
			was := scans(t, h, 1)
			b, err := demo.PDF("spring-notes.pdf")
			require.NoError(t, err)
			next, err := h.Intake.Replace(t.Context(), was.DocumentID, "next.pdf", bytes.NewReader(b), 0, "")
			require.NoError(t, err)
			ready := func(id int64) {
				patience.Until(t, func() bool {
					e, err := h.Library.Edition(t.Context(), id)
					return err == nil && e.State == library.Ready
				})
			}
			ready(next.ID)
			turn := func() {
				require.NoError(t, h.Placing.TurnTo(t.Context(), was.DocumentID, 1, 2, 0, "Maren Oakes", same))
			}
			require.NoError(t, h.Intake.Recognise(t.Context(), was, 0, []string{"eng"}, true))
			if early {
				turn()
				last, err := h.Library.LastRecognition(t.Context(), was.DocumentID)
				require.NoError(t, err)
				assert.True(t, last.Going(), "it can still be seen and stopped")
			}
			close(eyes.Wait)
			assert.Equal(t, 3, read(t, h, was.ID).Made)
			if !early {
				turn()
			}
			made, err := h.Library.EditionOf(t.Context(), was.DocumentID, 3)
			require.NoError(t, err)
			ready(made.ID)
			patience.Until(t, func() bool {
				require.NoError(t, h.Intake.GoLive(t.Context(), time.Now()))
				made, err = h.Library.EditionOf(t.Context(), was.DocumentID, 3)
				require.NoError(t, err)
				return made.LiveAt == nil
			})
			d, err := h.Library.Document(t.Context(), was.DocumentID)
			require.NoError(t, err)
			assert.Equal(t, 2, d.Edition)
		})
	}
}
