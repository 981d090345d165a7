package main

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// editionsRemoved removes an edition that readers never saw and has it back, cut off at some
// moments: it is listed with its bytes, or among what was removed, never both or neither.
func editionsRemoved(t *testing.T, s *steps, of int) {
	patience.Until(t, s.file("/documents/1/editions", 90))
	s.ready(of)
	there := func() bool {
		t.Helper()
		listed := s.whole(1)
		removed, err := s.rows.Library.RemovedEditions(t.Context(), 1)
		require.NoError(t, err)
		is, was := false, false
		for _, l := range listed {
			is = is || l.Number == of
		}
		for _, r := range removed {
			was = was || r.Number == of
		}
		assert.NotEqual(t, is, was, "it is there, or it can come back")
		assert.Len(t, listed, of-len(removed))
		return is
	}
	s.moments(2, func(after time.Duration) bool {
		act, want := "remove", false
		if !there() {
			act, want = "restore", true
		}
		acknowledged := s.cut(func() bool { return s.post(fmt.Sprintf("/documents/1/editions/%d/%s", of, act), form, nil) }, after)
		if is := there(); acknowledged {
			assert.Equal(t, want, is)
		}
		return acknowledged
	})
}

// editionsInParts sends new editions in parts, each request cut off at some moment and what
// is missing sent again: each becomes one edition, with the bytes that were sent.
func editionsInParts(t *testing.T, s *steps) {
	tus := []string{"Tus-Resumable", "1.0.0"}
	pages, all := 100, len(s.whole(1))
	s.moments(1, func(after time.Duration) bool {
		pages++
		file := append(hostile.ManyPages(pages), bytes.Repeat([]byte("% the tides of another year\n"), 40_000)...)
		var at string
		s.cut(func() bool {
			answer := s.send("POST", "/uploads/", "", nil, append(tus, "Upload-Length", strconv.Itoa(len(file)),
				"Upload-Metadata", "filename "+base64.StdEncoding.EncodeToString([]byte("tides.pdf")))...)
			if answer != nil && answer.StatusCode == http.StatusCreated {
				u, err := url.Parse(answer.Header.Get("Location"))
				if err == nil {
					at = u.Path
				}
			}
			return at != ""
		}, after)
		if at == "" {
			return false // it never began
		}
		has := func() int {
			var answer *http.Response
			patience.Until(t, func() bool { // a database that came back is not known at once
				answer = s.send("HEAD", at, "", nil, tus...)
				return answer != nil && answer.StatusCode < 300
			})
			n, err := strconv.Atoi(answer.Header.Get("Upload-Offset"))
			require.NoError(t, err)
			return n
		}
		for cuts := 0; has() < len(file); cuts++ {
			from := has()
			to := min(from+512<<10, len(file))
			sent := s.cut
			if cuts >= 1 { // often enough
				sent = func(act func() bool, _ time.Duration) bool { return act() }
			}
			if sent(func() bool {
				answer := s.send("PATCH", at, "application/offset+octet-stream", bytes.NewReader(file[from:to]), append(tus, "Upload-Offset", strconv.Itoa(from))...)
				return answer != nil && answer.StatusCode == http.StatusNoContent
			}, after) {
				assert.Equal(t, to, has(), "a part that was acknowledged is kept")
			}
		}
		become := func() bool { return s.post(at+"/edition", form, strings.NewReader("document=1")) }
		acknowledged := s.cut(become, after)
		patience.Until(t, become, "asked again, it becomes one")
		require.True(t, become())
		all++
		listed := s.whole(1)
		require.Len(t, listed, all, "each becomes one edition")
		e := s.ready(listed[0].Number)
		b, err := s.read(e.BlobKey)
		require.NoError(t, err)
		require.True(t, bytes.Equal(file, b), "as it was sent")
		return acknowledged
	})
}
