package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// With the database stopped, or hanging, readers go on reading what was seen
// lately, get a calm note for what was not, and editors are told; readiness says
// so within two seconds; when it comes back, so does everything, by itself.
func TestTheDatabaseGoesAway(t *testing.T) {
	t.Parallel() // it waits more than it works
	server, address, again := testkit.OwnServer(t)
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_DATABASE_URL": address})
	p, e := h.Published(t, "tide-table.pdf", nil)
	h.Indexed(t, e.ID)
	h.Measured(t, e.DocumentID) // all images of page 1 are kept
	unseen, _ := h.Published(t, "trail-map.pdf", nil)
	page, err := h.Publishing.AddWebPage(t.Context(), "visiting", webpage.Page{Title: "Visiting"}, "Maren Oakes")
	require.NoError(t, err)
	require.NotZero(t, page.ID)
	reader, desk, plain := testkit.Browse(t, 900, 700), testkit.Browse(t, 1280, 800), testkit.Browse(t, 600, 400)
	for _, tab := range []*testkit.Tab{reader, desk, plain} {
		tab.Expect("50") // statuses that are what the test is about: 500 would be none
		tab.Expect("Failed to load resource")
		tab.Expect("request failed")
	}
	signIn(h, desk)
	open := func() {
		reader.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		reader.Until(reader.Ctx, readerReady)
	}
	open()
	status := func(path string) (int, http.Header, time.Duration) {
		begun := time.Now()
		answer, err := http.Get(h.URL + path)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode, answer.Header, time.Since(begun)
	}
	away := func(how string) {
		patience.Until(t, h.DB.IsAway, how)
		well, _, took := status("/health/parts")
		assert.Equal(t, http.StatusServiceUnavailable, well, how)
		ready, _, _ := status("/health/ready")
		assert.Equal(t, http.StatusOK, ready, "%s: readers are answered from memory, or with a note", how)
		assert.Less(t, took, 4*time.Second, "it has a limit of its own")
		open() // what was seen lately, with images that are kept
		note, header, _ := status("/r/" + unseen.Key)
		assert.Equal(t, http.StatusServiceUnavailable, note, how)
		assert.Contains(t, header.Get("Content-Security-Policy"), "frame-ancestors *", "it can be seen in a frame")
		assert.NotEmpty(t, header.Get("Retry-After"))
		plain.Do(chromedp.Navigate(h.URL + "/r/" + unseen.Key))
		plain.Until(plain.Ctx, `document.querySelector('main.note h1').textContent === 'This document cannot be shown just now'`)
		plain.Do(chromedp.Navigate(h.URL + "/pages/visiting"))
		plain.Until(plain.Ctx, `document.querySelector('main.gone h1').textContent === 'This document cannot be shown just now' && !document.querySelector('.ways')`)
		desk.Do(chromedp.Navigate(h.URL + "/documents"))
		desk.Until(desk.Ctx, `document.querySelector('main').textContent.includes('The database does not answer')`)
	}
	back := func(how string) {
		patience.Until(t, func() bool {
			got, _, _ := status("/r/" + unseen.Key)
			return got == http.StatusOK && !h.DB.IsAway()
		}, how)
		desk.Do(chromedp.Navigate(h.URL + "/documents"))
		desk.Until(desk.Ctx, `document.querySelector('h1').textContent === 'Documents'`)
		well, _, _ := status("/health/parts")
		assert.Equal(t, http.StatusOK, well, how)
		h.Placing.Withdraw(t.Context(), unseen.ID, 1) //nolint:errcheck // seen below
		got, _, _ := status("/r/" + unseen.Key)
		assert.Equal(t, http.StatusNotFound, got, "a no is heard at once again")
		require.NoError(t, err)
	}

	server.Stop()
	away("stopped")
	server = again()
	back("started again")

	unseen, _ = h.Published(t, "annual-report.pdf", nil)
	require.NoError(t, server.Signal(syscall.SIGSTOP))
	away("hanging")
	require.NoError(t, server.Signal(syscall.SIGCONT))
	back("going on")
	assert.False(t, strings.Contains(fmt.Sprint(h.DB.Look(t.Context())), "error"))
}
