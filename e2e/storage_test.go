package e2e

import (
	"bytes"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/library"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// formOf is a file as the desk sends it.
func formOf(t *testing.T, name string, b []byte) (mediaType, body string) {
	t.Helper()
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", name)
	require.NoError(t, err)
	_, err = part.Write(b)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return w.FormDataContentType(), form.String()
}

// With no room left readers read on, editors are told what is full, and nothing
// half done stays; when there is room again, all is well by itself.
func TestTheDiskIsFull(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("a small disk is made by root alone")
	}
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=6m"); err != nil {
		t.Skip("no small disk can be made here: ", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(dir, syscall.MNT_DETACH) })
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_BLOB_URL": (&url.URL{Scheme: "file", Path: dir}).String()})
	p, e := h.Published(t, "tide-table.pdf", nil)
	h.Measured(t, e.DocumentID)
	h.Indexed(t, e.ID)
	filler := filepath.Join(dir, "filler")
	f, err := os.Create(filler)
	require.NoError(t, err)
	for err == nil {
		_, err = f.Write(make([]byte, 4096))
	}
	require.ErrorIs(t, err, syscall.ENOSPC)
	require.NoError(t, f.Close())

	tab := testkit.Browse(t, 1280, 800)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/r/%s#page=2", h.URL, p.Key))) // its images are not kept yet
	tab.Until(tab.Ctx, readerReady+` && [...document.querySelectorAll('#p2 img')].some((i) => i.complete && i.naturalWidth > 0)`)
	desk := testkit.Browse(t, 1280, 800)
	signIn(h, desk)
	desk.Until(desk.Ctx, `document.querySelector('.trouble')?.textContent.includes('The disk of this server is full')`)
	editor := h.Editor(t)
	b, err := demo.PDF("annual-report.pdf")
	require.NoError(t, err)
	mediaType, body := formOf(t, "report.pdf", b)
	status, said, _ := editor.Send("POST", "/documents", mediaType, body)
	assert.Equal(t, http.StatusInsufficientStorage, status, said)
	assert.Contains(t, said, "Nothing of this was kept")
	all, err := h.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, all, 1)

	require.NoError(t, os.Remove(filler))
	status, said, _ = editor.Send("POST", "/documents", mediaType, body)
	require.Equal(t, http.StatusCreated, status, said)
	require.Equal(t, library.Ready, h.Examined(t, "Report").State)
	tab.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(fmt.Sprintf("%s/r/%s#page=2&zoom=200", h.URL, p.Key)))
	tab.Until(tab.Ctx, readerReady)
	patience.Until(t, func() bool { return h.Press.Trouble() == nil })
	desk.Do(chromedp.Reload())
	desk.Until(desk.Ctx, `document.querySelector('h1').textContent === 'Documents' && !document.querySelector('.trouble')`)
}

// A store that refuses every other request costs time and nothing else: documents
// are added and read whole.
func TestAStoreThatRefusesHalf(t *testing.T) {
	var asked, refused atomic.Int64
	address := testkit.Bucket(t, func(store http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if asked.Add(1)%2 == 0 {
				refused.Add(1)
				w.WriteHeader(http.StatusServiceUnavailable)
				return
			}
			store.ServeHTTP(w, r)
		})
	})
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_BLOB_URL": address})
	p, _ := h.Published(t, "tide-table.pdf", nil)
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	assert.Positive(t, refused.Load())
	signIn(h, tab)
	tab.Until(tab.Ctx, `document.querySelector('.dtitle').textContent === 'Tide and hide access table' && !document.querySelector('.said.must')`)
}
