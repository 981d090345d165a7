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
	"incipit/internal/nouns"
	"incipit/internal/placing"
	"incipit/internal/testkit/gate"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
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

// steps are what an editor does, each cut off after a while: by a kill, or by a database that
// stops.
type steps struct {
	*server
	rows   nouns.All
	cutOff func(done <-chan bool) (acknowledged bool)
}

const form = "application/x-www-form-urlencoded"

// ready waits until an edition of the first document has been examined.
func (s *steps) ready(number int) (e library.Edition) {
	s.t.Helper()
	patience.Until(s.t, func() bool {
		var err error
		e, err = s.rows.Library.EditionOf(s.t.Context(), 1, number)
		return err == nil && e.State == library.Ready
	})
	return e
}

// send sends something, and gives what was answered, nil for nothing.
func (s *steps) send(method, path, mediaType string, body io.Reader, headers ...string) *http.Response {
	r, err := http.NewRequest(method, s.config.PublicURL+path, body)
	if err != nil {
		return nil
	}
	r.Header.Set("Content-Type", mediaType)
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	r.Header.Set("Accept", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	client := &http.Client{Jar: s.client.Jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	answer, err := client.Do(r)
	if err != nil {
		return nil
	}
	answer.Body.Close()
	return answer
}

// post sends something and says whether it was acknowledged.
func (s *steps) post(path, mediaType string, body io.Reader) bool {
	answer := s.send("POST", path, mediaType, body)
	return answer != nil && answer.StatusCode < 400
}

// file posts a file of so many pages.
func (s *steps) file(to string, pages int) func() bool {
	return func() bool {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		part, _ := w.CreateFormFile("file", "tides.pdf")
		_, _ = part.Write(hostile.ManyPages(pages))
		_ = w.Close()
		return s.post(to, w.FormDataContentType(), &b)
	}
}

// cut does something and cuts it off after a while, and says whether it was acknowledged.
func (s *steps) cut(act func() bool, after time.Duration) bool {
	done := make(chan bool, 1)
	go func() { done <- act() }()
	time.Sleep(after) //nolint:forbidigo // the moment is what is tried
	return s.cutOff(done)
}

// moments tries something, cut off at a later moment each time, until it was acknowledged
// so many times: what is slow here is cut off in its midst as well.
func (s *steps) moments(times int, try func(after time.Duration) (acknowledged bool)) {
	s.t.Helper()
	for done, after := 0, time.Millisecond; done < times; after = after*5/2 + time.Millisecond {
		require.Less(s.t, after, 4*time.Minute, "it is acknowledged once, also on a machine that is busy")
		if try(after) {
			done++
		}
	}
}

// whole says that each edition of a document that is listed has its bytes.
func (s *steps) whole(document int64) []library.ListedEdition {
	s.t.Helper()
	listed, err := s.rows.Library.Editions(s.t.Context(), document)
	require.NoError(s.t, err)
	for _, l := range listed {
		e, err := s.rows.Library.EditionOf(s.t.Context(), document, l.Number)
		require.NoError(s.t, err)
		b, err := s.read(e.BlobKey)
		require.NoError(s.t, err, "an edition has its bytes")
		assert.EqualValues(s.t, e.Bytes, len(b))
	}
	return listed
}

// known waits until it is known how two editions of the first document differ.
func (s *steps) known(old, now int) {
	s.t.Helper()
	patience.Until(s.t, func() bool { // who looks has them compared
		answer := s.send("GET", fmt.Sprintf("/documents/1/editions/%d", now), "", nil)
		return answer != nil && answer.StatusCode == http.StatusOK
	})
	patience.Until(s.t, func() bool {
		was, err := s.rows.Library.EditionOf(s.t.Context(), 1, old)
		require.NoError(s.t, err)
		_, known, err := s.rows.Library.Where(s.t.Context(), was, s.ready(now))
		return err == nil && known
	}, "the comparison goes on")
}

// turn gives an edition to readers, after a while cut off, and gives the one in force.
func (s *steps) turn(from, to int, placements []placing.Placement, after time.Duration) (now int, acknowledged bool) {
	s.t.Helper()
	ctx := s.t.Context()
	acknowledged = s.cut(func() bool {
		return s.post(fmt.Sprintf("/documents/1/editions/%d/turn", to), form, strings.NewReader(fmt.Sprintf("seen=%d", from)))
	}, after)
	d, err := s.rows.Library.Document(ctx, 1)
	require.NoError(s.t, err)
	if acknowledged {
		assert.Equal(s.t, to, d.Edition, "what was given to readers is")
	}
	e := s.ready(d.Edition)
	for _, p := range placements {
		p, err := s.rows.Placing.Placement(ctx, p.ID)
		require.NoError(s.t, err)
		v, err := s.rows.Placing.PublishedVersion(ctx, p)
		require.NoError(s.t, err)
		assert.Equal(s.t, e.ID, v.EditionID, "each placement shows the edition in force, or none does")
	}
	return d.Edition, acknowledged
}

// atEveryStep does what an editor does, and cuts each act off after a while.
func atEveryStep(t *testing.T, on *server, cutOff func(done <-chan bool) (acknowledged bool)) {
	ctx := t.Context()
	rows := on.owned()
	s := &steps{on, rows, cutOff}
	s.signIn()
	status, err := s.upload("tides.pdf", bytes.NewReader(hostile.ManyPages(3)))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	first := s.ready(1)
	var placements []placing.Placement
	for range 3 {
		p, err := rows.Placing.Place(ctx, 1, placing.Start{})
		require.NoError(t, err)
		require.NoError(t, rows.Placing.Publish(ctx, p.ID, first.ID, 1, setting.Default()))
		placements = append(placements, p)
	}
	had, pages := 1, 20
	s.moments(1, func(after time.Duration) bool {
		pages++
		acknowledged := s.cut(s.file("/documents", pages), after)
		all, err := rows.Library.Documents(ctx, "")
		require.NoError(t, err)
		if acknowledged {
			assert.Len(t, all, had+1, "an acknowledged document is there")
		}
		had = len(all)
		for _, d := range all {
			assert.Len(t, s.whole(d.ID), 1)
		}
		return acknowledged
	})
	newest := 1
	s.moments(2, func(after time.Duration) bool {
		pages++
		acknowledged := s.cut(s.file("/documents/1/editions", pages), after)
		listed := s.whole(1)
		if acknowledged {
			assert.Equal(t, newest+1, listed[0].Number, "an acknowledged edition is there")
		}
		newest = listed[0].Number
		return acknowledged
	})
	inForce := 1
	s.moments(2, func(after time.Duration) bool { // forth, and back again
		to := inForce%newest + 1
		s.known(inForce, to)
		now, acknowledged := s.turn(inForce, to, placements, after)
		inForce = now
		return acknowledged
	})
	editionsRemoved(t, s, newest+1)
	editionsInParts(t, s)
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
	s.moments(2, func(after time.Duration) bool {
		act, want := func() bool {
			return s.post("/documents/bulk", "application/json", strings.NewReader(`{"do":"remove","documents":[1]}`))
		}, 0
		if there() == 0 {
			act, want = func() bool { return s.post("/documents/1/restore", form, nil) }, len(placements)
		}
		acknowledged := s.cut(act, after)
		if is := there(); acknowledged {
			assert.Equal(t, want, is)
		}
		return acknowledged
	})
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
