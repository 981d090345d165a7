package main

import (
	"bytes"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/library"
	"incipit/internal/recognise"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// Killed while the text of a scan is recognised, several times: it goes on at once, no page
// that was read is read again, and one edition comes of it.
func TestKilledWhileTextIsRecognised(t *testing.T) {
	if testing.Short() {
		t.Skip("starts the program many times")
	}
	program, err := recognise.Find(2, 1<<30)
	if err == nil {
		var all []string
		if all, err = program.Languages(t.Context()); !slices.Contains(all, "eng") {
			t.Skip("it cannot be tried here: ", err, "; it reads ", all)
		}
	}
	if err != nil {
		t.Skip("it cannot be tried here: ", err, "; apt-get install ", recognise.Packages)
	}
	s := &steps{server: newServer(t)}
	s.more = keeps
	s.start()
	s.rows = s.owned()
	s.signIn()
	printed, err := demo.PDF("annual-report.pdf")
	require.NoError(t, err)
	_, err = s.upload("annual-report.pdf", bytes.NewReader(printed))
	require.NoError(t, err)
	s.ready(1)
	answer, err := s.client.Get(s.config.PublicURL + "/documents/1/editions/1/page/2/1600")
	require.NoError(t, err)
	page, _, err := image.Decode(answer.Body)
	answer.Body.Close()
	require.NoError(t, err)
	const pages = 5
	status, err := s.upload("scan0043.pdf", bytes.NewReader(paper.Scan(slices.Repeat([]image.Image{page}, pages), 0)))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	ctx := t.Context()
	patience.Until(t, func() bool {
		e, err := s.rows.Library.CurrentEdition(ctx, 2)
		return err == nil && e.State == library.Ready
	})
	require.True(t, s.post("/documents/2/recognition", form, strings.NewReader("language=eng")))
	last := func() library.Recognition {
		r, err := s.rows.Library.LastRecognition(ctx, 2)
		require.NoError(t, err, "what was asked for is not forgotten")
		return r
	}
	for kills, done := 0, 0; last().Going(); kills++ {
		patience.Until(t, func() bool { return last().Done > done || !last().Going() }, "it goes on after %d kills", kills)
		done = last().Done
		if kills < 3 {
			s.kill()
			assert.GreaterOrEqual(t, last().Done, done, "no page is read again")
			s.start()
		}
	}
	r := last()
	assert.Equal(t, []any{"", 2, pages}, []any{r.Said, r.Made, r.Done})
	assert.Len(t, s.whole(2), 2, "one edition comes of it")
	made, err := s.rows.Library.EditionOf(ctx, 2, 2)
	require.NoError(t, err)
	assert.Len(t, made.Recognised, pages)
}
