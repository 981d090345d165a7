package testkit

import (
	"encoding/json"
	"testing"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/nouns"
)

// Nouns gives an empty house: what is kept, without anybody who works on it.
func Nouns(t testing.TB) nouns.All {
	t.Helper()
	s, err := nouns.Open(t.Context(), Database(t), database.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.DB.Close)
	return s
}

type job struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (job) Kind() string { return "examine" }

// Job is a job about an edition, which nobody works.
func Job(edition int64) river.JobArgs { return job{edition} }

// Added adds a document of three landscape pages, without a file.
func Added(t testing.TB, s nouns.All, title string) (library.Document, library.Edition) {
	t.Helper()
	d := library.Document{Title: title}
	e := library.Edition{SHA256: "sha of " + title, Bytes: 7, FileName: title + ".pdf", BlobKey: "files/" + title, Pages: 3, PagesKnown: 1,
		Sheets: []sheet.Sheet{{Width: 842, Height: 595, Label: "1"}}}
	require.NoError(t, s.Library.AddDocument(t.Context(), &d, &e, Job))
	return d, e
}

// Jobs counts the jobs that there are.
func Jobs(t testing.TB, s nouns.All) (n int) {
	t.Helper()
	require.NoError(t, s.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM river_job").Scan(&n))
	return n
}

// Patch reads settings that differ.
func Patch(t testing.TB, text string) setting.Patch {
	t.Helper()
	var p setting.Patch
	require.NoError(t, json.Unmarshal([]byte(text), &p))
	return p
}

// Who lists who made what, without times.
func Who(made []draft.Made) map[string][]string {
	out := map[string][]string{}
	for _, m := range made {
		out[m.By] = m.Members
	}
	return out
}
