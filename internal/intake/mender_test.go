package intake_test

import (
	"bytes"
	"fmt"
	"html"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/report"
	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// mended says something of a document and waits until its file says it, or cannot.
func mended(t *testing.T, h *testkit.House, document int64, m library.Mending) library.Edition {
	t.Helper()
	require.NoError(t, h.Intake.Mend(t.Context(), document, m))
	var e library.Edition
	patience.Until(t, func() bool {
		d, err := h.Library.Document(t.Context(), document)
		require.NoError(t, err)
		e, err = h.Library.CurrentEdition(t.Context(), document)
		require.NoError(t, err)
		_, says := library.Says(d, e)
		return e.MendedSays == says
	})
	return e
}

// What an editor says is read back out of the file that readers download, by our report and
// by a reader of PDFs that is not ours; the file that came is as it was.
func TestWhatIsSaidStandsInTheFile(t *testing.T) {
	h := testkit.Open(t)
	bare := paper.Sound()
	bare.Title, bare.Language, bare.Figures = "", "", []string{"", "", "A knot at rest"}
	came := bare.PDF()
	d, _, err := h.Intake.Receive(t.Context(), "scan0043.pdf", bytes.NewReader(came), 0)
	require.NoError(t, err)
	e := h.Measured(t, d.ID)
	s, err := h.Intake.Structure(t.Context(), e)
	require.NoError(t, err)
	var pictures []int
	for _, el := range s.Elements {
		if el.Kind == report.FigureElement && el.Object > 0 {
			pictures = append(pictures, el.Object)
		}
	}
	require.Len(t, pictures, 2, "the one that is described needs none")
	m := library.Mending{Title: "Zählung <der> Watvögel — 1 & 2", Description: "How waders are counted.", Language: "en-GB", WriteIn: true,
		Alternatives: map[int]string{pictures[0]: "Ein Knutt (im Flug)"}}
	e = mended(t, h, d.ID, m)
	require.Empty(t, e.MendedNot)
	read := func(key string) []byte {
		f, err := h.Blobs.Open(t.Context(), key)
		require.NoError(t, err)
		defer f.Close()
		b, err := io.ReadAll(f)
		require.NoError(t, err)
		return b
	}
	assert.Equal(t, came, read(e.BlobKey))
	says := read(e.MendedKey)
	assert.True(t, bytes.HasPrefix(says, came), "it is an addition")
	_, again, err := h.Intake.Receive(t.Context(), "again.pdf", bytes.NewReader(says), 0)
	require.NoError(t, err)
	again = h.Measured(t, again.DocumentID)
	assert.Equal(t, []string{m.Title, m.Language}, []string{again.Facts.Title, again.Facts.Language})
	s, err = h.Intake.Structure(t.Context(), again)
	require.NoError(t, err)
	left := 0
	for _, el := range s.Elements {
		if el.Kind == report.FigureElement && !el.Described {
			left++
		}
	}
	assert.Equal(t, 1, left)
	if _, err := exec.LookPath("pdfinfo"); err != nil {
		t.Log("pdfinfo is missing: apt-get install poppler-utils")
	} else {
		file := filepath.Join(t.TempDir(), "says.pdf")
		require.NoError(t, os.WriteFile(file, says, 0o600))
		out, err := exec.Command("pdfinfo", file).CombinedOutput()
		require.NoError(t, err)
		assert.Contains(t, string(out), m.Title)
		out, err = exec.Command("pdfinfo", "-meta", file).CombinedOutput()
		require.NoError(t, err)
		assert.Contains(t, string(out), "Zählung &lt;der&gt; Watvögel — 1 &amp; 2")
		out, err = exec.Command("pdfinfo", "-struct", file).CombinedOutput()
		require.NoError(t, err)
		assert.Contains(t, string(out), "Figure")
		assert.NotContains(t, string(out), "Error")
	}
	if _, err := exec.LookPath("qpdf"); err != nil {
		t.Log("qpdf is missing: apt-get install qpdf")
	} else {
		file := filepath.Join(t.TempDir(), "says.pdf")
		require.NoError(t, os.WriteFile(file, says, 0o600))
		out, err := exec.Command("qpdf", "--check", file).CombinedOutput()
		require.NoError(t, err, "%s", out)
		out, err = exec.Command("qpdf", "--json", file).CombinedOutput()
		require.NoError(t, err, "%s", out)
		for _, want := range []string{`"/Alt": "u:Ein Knutt (im Flug)"`, `"/Lang": "u:en-GB"`, `"/Title": "u:Zählung <der> Watvögel — 1 & 2"`} {
			assert.Contains(t, string(out), want)
		}
	}

	// Said anew it is written anew; not wanted, the file goes as it came.
	m.Title, m.Alternatives = "Counting waders", map[int]string{pictures[0]: ""}
	e = mended(t, h, d.ID, m)
	assert.NotContains(t, strings.ToUpper(string(read(e.MendedKey)[len(came):])), "/ALT")
	m.WriteIn = false
	require.NoError(t, h.Intake.Mend(t.Context(), d.ID, m))
	e, err = h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Empty(t, e.MendedKey)
	assert.Equal(t, "en-GB", e.Language(), "the reader goes by it all the same")
	for _, bad := range []library.Mending{{Title: " "}, {Title: "x", Language: "gibberish!"}, {Title: strings.Repeat("x", 201)},
		{Title: "x", Description: strings.Repeat("x", 1001)}, {Title: "x", Alternatives: map[int]string{1: strings.Repeat("x", 1001)}}} {
		require.ErrorAs(t, h.Intake.Mend(t.Context(), d.ID, bad), new(draft.Refused))
	}
}

// A file that nothing can be written into goes as it came, and its editor is told.
func TestWhatCannotBeWrittenInto(t *testing.T) {
	h := testkit.Open(t)
	signed := hostile.Build("<</Type /Catalog /Pages 2 0 R /AcroForm <</Fields [] /SigFlags 3>>>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 90 90]>>")
	d, _, err := h.Intake.Receive(t.Context(), "signed.pdf", bytes.NewReader(signed), 0)
	require.NoError(t, err)
	h.Measured(t, d.ID)
	e := mended(t, h, d.ID, library.Mending{Title: "Signed", WriteIn: true})
	assert.Empty(t, e.MendedKey)
	assert.Contains(t, e.MendedNot, "signed")
}

// What is said of pictures is said in the text view, whether or not it is written into the
// file, as soon as it was kept, and no longer once it was taken away.
func TestTheTextViewSaysWhatPicturesShow(t *testing.T) {
	h := testkit.Open(t)
	bare := paper.Sound()
	bare.Figures = []string{""}
	d, _, err := h.Intake.Receive(t.Context(), "scan0043.pdf", bytes.NewReader(bare.PDF()), 0)
	require.NoError(t, err)
	e := h.Measured(t, d.ID)
	h.Indexed(t, e.ID)
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	h.Publish(t, p.ID, setting.Default())
	s, err := h.Intake.Structure(t.Context(), e)
	require.NoError(t, err)
	at := slices.IndexFunc(s.Elements, func(el report.Element) bool { return el.Kind == report.FigureElement })
	object := s.Elements[at].Object
	visitor := h.Visitor(t)
	view := func() (string, string) {
		_, text, header := visitor.Get("/r/" + p.Key + "/flow/" + e.Mark() + "/1")
		return text, header.Get("ETag")
	}
	before, tag := view()
	require.Contains(t, before, "The marsh is open")
	for _, words := range []string{"Ein Knutt <im Flug>", "A knot, at rest", ""} {
		require.NoError(t, h.Intake.Mend(t.Context(), d.ID, library.Mending{Title: "Waders", Alternatives: map[int]string{object: words}}))
		patience.Until(t, func() bool {
			text, now := view()
			if words == "" {
				return text == before && now == tag
			}
			return strings.Contains(text, html.EscapeString(words)) && now != tag
		}, words)
	}
	// Read anew from the start, it is said as well.
	require.NoError(t, h.Intake.SaidOfPictures(t.Context(), e.ID, map[int]string{object: "A knot again"}))
	require.NoError(t, h.DB.WithContext(t.Context()).Exec("UPDATE editions SET indexed = 0, state = 'examining', pages_known = 0 WHERE id = ?", e.ID).Error)
	require.NoError(t, h.Intake.Again(t.Context(), e.ID))
	h.Indexed(t, e.ID)
	text, _ := view()
	assert.Contains(t, text, "A knot again")
}

// Who changes what was changed meanwhile is told, and nothing of the other's is lost.
func TestTwoWhoSaySomethingAtOnce(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "leaflet-welcome.pdf")
	doc, err := h.Library.Document(t.Context(), d.ID)
	require.NoError(t, err)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	seen := library.SaidMark(doc, e)
	require.NoError(t, h.Intake.Mend(t.Context(), d.ID, library.Mending{Title: "Welcome", Seen: seen}))
	require.ErrorIs(t, h.Intake.Mend(t.Context(), d.ID, library.Mending{Title: "A leaflet", Seen: seen}), library.ErrSaidMeanwhile)
	doc, err = h.Library.Document(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, "Welcome", doc.Title)
	require.NoError(t, h.Intake.Mend(t.Context(), d.ID, library.Mending{Title: "A leaflet", Seen: library.SaidMark(doc, e)}))

	// By the screen: what was typed stays, and can be kept after all.
	editor := h.Editor(t)
	_, page, _ := editor.Get(fmt.Sprintf("/documents/%d/said", d.ID))
	token := regexp.MustCompile(`name="csrf" value="([^"]+)"`).FindStringSubmatch(page)[1]
	mark := func(page string) string {
		return regexp.MustCompile(`name="seen" value="([^"]+)"`).FindStringSubmatch(page)[1]
	}
	send := func(title, seen string) (int, string) {
		status, page, _ := editor.Send("POST", fmt.Sprintf("/documents/%d/said", d.ID), "application/x-www-form-urlencoded", url.Values{"csrf": {html.UnescapeString(token)}, "title": {title}, "seen": {seen}}.Encode())
		return status, page
	}
	first := mark(page)
	status, _ := send("Theirs", first)
	assert.Equal(t, http.StatusSeeOther, status)
	status, page = send("Mine", first)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, page, "Somebody else changed")
	assert.Contains(t, page, `value="Mine"`)
	status, _ = send("Mine", mark(page))
	assert.Equal(t, http.StatusSeeOther, status)
}
