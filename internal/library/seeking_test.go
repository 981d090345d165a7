package library_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/find"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// written adds a document whose pages have some texts.
func written(t testing.TB, s nouns.All, title, language string, pages ...string) int64 {
	t.Helper()
	d := library.Document{Title: title}
	e := library.Edition{SHA256: title, BlobKey: "files/" + title, Pages: len(pages), FileName: title + ".pdf", Sheets: []sheet.Sheet{{}}}
	require.NoError(t, s.Library.AddDocument(t.Context(), &d, &e, testkit.Job))
	var texts []library.PageText
	sheets := make([]sheet.Sheet, len(pages))
	for i, text := range pages {
		sheets[i] = sheet.Sheet{Width: 595, Height: 842, Label: fmt.Sprint("p", i+1)}
		texts = append(texts, library.PageText{EditionID: e.ID, Page: i + 1, Plain: text, Folded: find.Fold(text), Layer: []byte{}})
	}
	require.NoError(t, s.Library.Examined(t.Context(), e.ID, sheets, pdf.Facts{}, true, library.Unread{}))
	require.NoError(t, s.Library.KeepFlow(t.Context(), e.ID, textflow.Style{Language: language}))
	require.NoError(t, s.Library.KeepTexts(t.Context(), e.ID, texts, len(pages)))
	e, err := s.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	require.NoError(t, s.Library.KeepWords(t.Context(), e))
	require.NoError(t, s.Library.KeepWords(t.Context(), e), "twice is once")
	return d.ID
}

func titles(p []library.Listed) []string {
	out := []string{}
	for _, l := range p {
		out = append(out, l.Title)
	}
	return out
}

// Documents are found by the words of their titles and texts, in the stems of their
// language, the title before the text.
func TestDocumentsAreFoundByTheirWords(t *testing.T) {
	s := testkit.Nouns(t)
	written(t, s, "Wardens’ handbook", "en", "Boats", "Counting the Curlews at high water", "Keys", "Paint", "Rope", "Oars")
	written(t, s, "The curlew", "en", "A wader with a long bill")
	written(t, s, "Zug der Brachvögel", "de", "Die Häuser am Deich", "Der Brachvogel zieht im März")
	written(t, s, "干潟の鳥", "ja", "東京湾の干潟でダイシャクシギを観察した")
	written(t, s, "طيور السبخة", "ar", "هذا كتاب عن الطيور المهاجرة في السبخات")
	written(t, s, "Horaires de la marée", "fr", "Les marées hautes au café du port")
	for _, c := range []struct {
		name, typed string
		want        []string
		page        int
	}{
		{"the title comes first", "curlew", []string{"The curlew", "Wardens’ handbook"}, 0},
		{"another form of the word", "curlews counted", []string{"Wardens’ handbook"}, 2},
		{"a word of the title and one of the text", "handbook curlew", []string{"Wardens’ handbook"}, 0},
		{"the beginning of a word", "handb", []string{"Wardens’ handbook"}, 0},
		{"a part of a title", "urle", []string{"The curlew"}, 0},
		{"German", "Haus Brachvogel", []string{"Zug der Brachvögel"}, 0},
		{"without its accents", "brachvogel marz", []string{"Zug der Brachvögel"}, 2},
		{"with a word that is common there", "die Häuser", []string{"Zug der Brachvögel"}, 1},
		{"Japanese", "干潟", []string{"干潟の鳥"}, 0},
		{"Japanese in the text", "東京湾", []string{"干潟の鳥"}, 1},
		{"one letter", "鳥", []string{"干潟の鳥"}, 0},
		{"Arabic, another form", "طائر", nil, 0},
		{"Arabic", "الطيور", []string{"طيور السبخة"}, 0},
		{"Arabic with marks", "طُيُور", []string{"طيور السبخة"}, 0},
		{"French without accents", "cafe maree", []string{"Horaires de la marée"}, 1},
		{"nothing has it", "xylophone", nil, 0},
		{"not all of it", "curlew xylophone", nil, 0},
		{"what is no word", "%'_&|!<->:*", nil, 0},
	} {
		p, err := s.Library.Find(t.Context(), library.Wanted{Words: c.typed})
		require.NoError(t, err, c.name)
		assert.ElementsMatch(t, c.want, titles(p.Rows), c.name)
		assert.Equal(t, len(c.want), p.All, c.name)
		if len(c.want) > 0 {
			assert.Equal(t, c.want, titles(p.Rows), c.name)
			if c.page > 0 {
				require.NotNil(t, p.Rows[0].Found, c.name)
				assert.Equal(t, c.page, p.Rows[0].Found.Page, c.name)
				assert.Equal(t, fmt.Sprint("p", c.page), p.Rows[0].Found.Label)
				assert.NotEmpty(t, p.Rows[0].Found.Match, c.name)
			}
		}
	}
	p, err := s.Library.Find(t.Context(), library.Wanted{Words: "curlew"})
	require.NoError(t, err)
	assert.Nil(t, p.Rows[0].Found, "the title says it")
	assert.Equal(t, find.Context{Before: "Counting the ", Match: "Curlews", After: " at high water"}, p.Rows[1].Found.Context)
}

// Whoever changes what is said of a document changes by what it is found.
func TestWhatIsSaidIsFound(t *testing.T) {
	s := testkit.Nouns(t)
	id := written(t, s, "scan0043", "en", "A list of hides")
	finds := func(words string) bool {
		p, err := s.Library.Find(t.Context(), library.Wanted{Words: words})
		require.NoError(t, err)
		return p.All == 1
	}
	assert.True(t, finds("hide"))
	assert.False(t, finds("visiting hide"))
	require.NoError(t, s.Library.Retitle(t.Context(), id, "Visitors’ map"))
	assert.True(t, finds("visitor hide"))
	assert.False(t, finds("scan0043"))
	require.NoError(t, s.Library.RemoveDocument(t.Context(), id, ""))
	assert.False(t, finds("hide"))
	_, err := s.Library.RestoreDocument(t.Context(), id)
	require.NoError(t, err)
	assert.True(t, finds("hide"))
}

// That nobody has a word is said of what was searched: what is not, is counted by why.
func TestWhatIsNotSearched(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	count := func() library.Unsearched {
		u, err := s.Library.Unsearched(ctx)
		require.NoError(t, err)
		return u
	}
	assert.Zero(t, count().All())
	for _, title := range []string{"waiting", "examined", "read", "partly", "textless", "failed", "locked"} {
		_, e := testkit.Added(t, s, title)
		if title == "waiting" {
			continue
		}
		unread := library.Unread{}
		if title == "partly" {
			unread.Text = []int{1}
		}
		require.NoError(t, s.Library.Examined(ctx, e.ID, []sheet.Sheet{{Width: 1, Height: 1}}, pdf.Facts{}, title != "textless", unread))
		switch title {
		case "read", "partly":
			require.NoError(t, s.Library.KeepTexts(ctx, e.ID, []library.PageText{{EditionID: e.ID, Page: 1, Plain: "knot", Layer: []byte{}}}, 1))
			e, err := s.Library.Edition(ctx, e.ID)
			require.NoError(t, err)
			assert.Equal(t, 3, count().Waiting, "its words are not kept yet: %s", title)
			require.NoError(t, s.Library.KeepWords(ctx, e))
		case "failed":
			require.NoError(t, s.Library.ExaminationFailed(ctx, e.ID, pdf.Problemf(pdf.Damaged, "It is damaged.")))
		case "locked":
			_, err := s.DB.Pool.Exec(ctx, "UPDATE editions SET locked = true WHERE id = $1", e.ID)
			require.NoError(t, err)
		}
	}
	assert.Equal(t, library.Unsearched{Waiting: 2, Partly: 1, Failed: 1, Locked: 1}, count())
}
