package main

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit/gate"
	"incipit/internal/testkit/hostile"
)

// Killed at whichever moment of replacing, giving to readers, removing and putting back:
// what was acknowledged holds, and what was not is done as a whole or not at all.
func TestKilledAtEveryStep(t *testing.T) {
	if testing.Short() {
		t.Skip("starts the program many times")
	}
	s := newServer(t)
	s.more = keeps
	s.start()
	atEveryStep(t, s, func(done <-chan bool) (acknowledged bool) {
		s.kill()
		acknowledged = <-done
		s.start()
		return acknowledged
	})
}

// The same where the database is stopped at that moment, and comes back: the server goes on
// by itself.
func TestTheDatabaseStopsAtEveryStep(t *testing.T) {
	if testing.Short() {
		t.Skip("waits for the database many times")
	}
	s := newServer(t)
	before := gate.Before(t, s.config.DatabaseURL)
	s.more = append([]string{"INCIPIT_DATABASE_URL=" + before.URL}, keeps...)
	s.start()
	atEveryStep(t, s, func(done <-chan bool) bool {
		before.Shut()
		acknowledged := <-done
		before.Open()
		s.answers()
		return acknowledged
	})
}

// atEveryStep does what an editor does, and cuts each act off after a while.
func atEveryStep(t *testing.T, s *server, cutOff func(done <-chan bool) (acknowledged bool)) {
	ctx := t.Context()
	rows := s.owned()
	s.signIn()
	status, err := s.upload("tides.pdf", bytes.NewReader(hostile.ManyPages(3)))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	ready := func(number int) library.Edition {
		var e library.Edition
		require.Eventually(t, func() bool {
			var err error
			e, err = rows.Library.EditionOf(ctx, 1, number)
			return err == nil && e.State == library.Ready
		}, time.Minute, 20*time.Millisecond)
		return e
	}
	first := ready(1)
	var placements []placing.Placement
	for range 3 {
		p, err := rows.Placing.Place(ctx, 1, placing.Start{})
		require.NoError(t, err)
		require.NoError(t, rows.Placing.Publish(ctx, p.ID, first.ID, 1, setting.Default()))
		placements = append(placements, p)
	}
	// post sends something and says whether it was acknowledged.
	post := func(path, mediaType string, body io.Reader) bool {
		r, err := http.NewRequest("POST", s.config.PublicURL+path, body)
		if err != nil {
			return false
		}
		r.Header.Set("Content-Type", mediaType)
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		r.Header.Set("Accept", "application/json")
		client := &http.Client{Jar: s.client.Jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		answer, err := client.Do(r)
		if err != nil {
			return false
		}
		answer.Body.Close()
		return answer.StatusCode < 400
	}
	const form = "application/x-www-form-urlencoded"
	file := func(to string, pages int) func() bool {
		return func() bool {
			var b bytes.Buffer
			w := multipart.NewWriter(&b)
			part, _ := w.CreateFormFile("file", "tides.pdf")
			_, _ = part.Write(hostile.ManyPages(pages))
			_ = w.Close()
			return post(to, w.FormDataContentType(), &b)
		}
	}
	// cut does something and cuts it off after a while, and says whether it was acknowledged.
	cut := func(act func() bool, after time.Duration) bool {
		done := make(chan bool, 1)
		go func() { done <- act() }()
		time.Sleep(after) //nolint:forbidigo // the moment is what is tried
		return cutOff(done)
	}
	had := 1
	for i, after := range []time.Duration{3, 8, 15, 30} {
		acknowledged := cut(file("/documents", 20+i), after*time.Millisecond)
		all, err := rows.Library.Documents(ctx, "")
		require.NoError(t, err)
		if acknowledged {
			assert.Len(t, all, had+1, "an acknowledged document is there")
		}
		had = len(all)
		for _, d := range all {
			e, err := rows.Library.CurrentEdition(ctx, d.ID)
			require.NoError(t, err)
			b, err := s.read(e.BlobKey)
			require.NoError(t, err, "a document has its bytes")
			assert.EqualValues(t, e.Bytes, len(b))
		}
	}
	number, newest := 1, 1 // in force, and there
	for i, after := range []time.Duration{2, 5, 9, 14, 22, 40, 80} {
		after *= time.Millisecond
		acknowledged := cut(file("/documents/1/editions", 4+i), after)
		listed, err := rows.Library.Editions(ctx, 1)
		require.NoError(t, err)
		if acknowledged {
			assert.Equal(t, newest+1, listed[0].Number, "an acknowledged edition is there")
		}
		for _, l := range listed {
			e := ready(l.Number)
			b, err := s.read(e.BlobKey)
			require.NoError(t, err, "an edition has its bytes")
			assert.EqualValues(t, e.Bytes, len(b))
		}
		if listed[0].Number == newest {
			continue // it never came
		}
		next := listed[0].Number
		newest = next
		require.Eventually(t, func() bool {
			was, err := rows.Library.EditionOf(ctx, 1, number)
			require.NoError(t, err)
			_, known, err := rows.Library.Where(ctx, was, ready(next))
			return err == nil && known
		}, time.Minute, 50*time.Millisecond, "the comparison goes on")
		acknowledged = cut(func() bool {
			return post(fmt.Sprintf("/documents/1/editions/%d/turn", next), form, strings.NewReader(fmt.Sprintf("seen=%d", number)))
		}, after)
		d, err := rows.Library.Document(ctx, 1)
		require.NoError(t, err)
		if acknowledged {
			assert.Equal(t, next, d.Edition, "what was given to readers is")
		}
		number = d.Edition
		now := ready(number)
		for _, p := range placements {
			p, err := rows.Placing.Placement(ctx, p.ID)
			require.NoError(t, err)
			v, err := rows.Placing.PublishedVersion(ctx, p)
			require.NoError(t, err)
			assert.Equal(t, now.ID, v.EditionID, "each placement shows the edition in force, or none does")
		}
	}
	there := func() int {
		all, err := rows.Placing.PlacementsOf(ctx, 1)
		require.NoError(t, err)
		_, err = rows.Library.Document(ctx, 1)
		if len(all) == 0 {
			assert.ErrorIs(t, err, database.ErrNotFound)
		} else {
			assert.NoError(t, err)
			assert.Len(t, all, len(placements), "a document is there with all of its placements")
		}
		return len(all)
	}
	for _, after := range []time.Duration{1, 3, 6, 10, 20} {
		after *= time.Millisecond
		act, want := func() bool {
			return post("/documents/bulk", "application/json", strings.NewReader(`{"do":"remove","documents":[1]}`))
		}, 0
		if there() == 0 {
			act, want = func() bool { return post("/documents/1/restore", form, nil) }, len(placements)
		}
		if cut(act, after) {
			assert.Equal(t, want, there())
		}
		there()
	}
}

// read reads bytes of the server's store.
func (s *server) read(key string) ([]byte, error) {
	b, err := blob.Open(s.t.Context(), s.config.BlobURL)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	return b.Read(s.t.Context(), key)
}
