package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// badStore stands in front of a store and answers, or does not, as a test wants it.
type badStore struct {
	mu     sync.Mutex
	answer func(w http.ResponseWriter, r *http.Request, asked int) bool // whether that was all
	asked  int
}

func (b *badStore) before(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b.mu.Lock()
		b.asked++
		answer, n := b.answer, b.asked
		b.mu.Unlock()
		if answer == nil || !answer(w, r, n) {
			next.ServeHTTP(w, r)
		}
	})
}

func (b *badStore) set(answer func(w http.ResponseWriter, r *http.Request, asked int) bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.answer = answer
}

func refusesWrites(status int, code string) func(http.ResponseWriter, *http.Request, int) bool {
	return func(w http.ResponseWriter, r *http.Request, _ int) bool {
		if r.Method == http.MethodGet || r.Method == http.MethodHead {
			return false
		}
		w.Header().Set("Content-Type", "application/xml")
		w.WriteHeader(status)
		fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?><Error><Code>%s</Code><Message>no</Message></Error>`, code)
		return true
	}
}

// A store that is slow, refuses a third, takes nothing, is full or hangs, behind two servers:
// readers go on reading, and get a calm note where they cannot; editors are told in plain
// words what is the matter, and nothing that they add is called kept where it is not. When it
// is well again, so is everything, by itself.
func TestABadStore(t *testing.T) {
	var store badStore
	one := testkit.OpenWith(t, map[string]string{"INCIPIT_BLOB_URL": testkit.Bucket(t, store.before)})
	servers := []*testkit.House{one, one.Beside(t)}
	p, e := one.Published(t, "volunteer-handbook.pdf", nil)
	one.Measured(t, e.DocumentID)
	one.Indexed(t, e.ID)
	file := filepath.Join(t.TempDir(), "trail-map.pdf")
	b, err := demo.PDF("trail-map.pdf")
	require.NoError(t, err)
	desks := make([]*testkit.Tab, len(servers))
	readers := make([]*testkit.Tab, len(servers))
	for i, h := range servers {
		desks[i], readers[i] = testkit.Browse(t, 1280, 800), testkit.Browse(t, 900, 700)
		for _, tab := range []*testkit.Tab{desks[i], readers[i]} {
			tab.Expect("50")
			tab.Expect("Failed to load resource")
			tab.Expect("request failed")
		}
		signIn(h, desks[i])
	}
	released := make(chan struct{})
	var once sync.Once
	release := func() { once.Do(func() { close(released) }) }
	t.Cleanup(release)
	documents := func() int {
		all, err := one.Library.Documents(t.Context(), "")
		require.NoError(t, err)
		return len(all)
	}
	added, page, width := 0, 1, press.Ladder()[2]
	for _, bad := range []struct {
		how    string
		answer func(http.ResponseWriter, *http.Request, int) bool
		takes  bool   // files are added all the same
		said   string // of a file that is not added; "" where it follows by itself
		told   string // to every editor
	}{
		{"slow", func(_ http.ResponseWriter, r *http.Request, _ int) bool {
			select { // what a disk of another machine takes
			case <-time.After(200 * time.Millisecond):
			case <-r.Context().Done():
			}
			return false
		}, true, "", ""},
		{"refuses a third", func(w http.ResponseWriter, _ *http.Request, n int) bool {
			if n%3 == 0 {
				http.Error(w, "slow down", http.StatusServiceUnavailable)
			}
			return n%3 == 0
		}, true, "", ""},
		{"read-only", refusesWrites(http.StatusForbidden, "AccessDenied"), false, "may only be read", "storage may only be read"},
		{"full", refusesWrites(http.StatusInsufficientStorage, "XMinioStorageFull"), false, "no room left", "is full"},
		{"hanging", func(_ http.ResponseWriter, r *http.Request, _ int) bool {
			select {
			case <-released:
			case <-r.Context().Done():
			}
			return false
		}, false, "", "does not answer"},
	} {
		t.Log(bad.how)
		store.set(bad.answer)
		before := documents()
		for i, h := range servers {
			page++ // an image that nobody has yet
			fresh := fmt.Sprintf("%s/r/%s/page/%s/%d/%d", h.URL, p.Key, e.Mark(), page, width)
			readers[i].Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
			if bad.how == "hanging" {
				status := 0
				patience.Until(t, func() bool {
					answer, err := http.Get(fresh)
					require.NoError(t, err)
					answer.Body.Close()
					status = answer.StatusCode
					return h.Blobs.IsAway()
				}, "the store is seen to hang")
				assert.Equal(t, http.StatusServiceUnavailable, status)
			} else {
				readers[i].Until(readers[i].Ctx, readerReady)
				answer, err := http.Get(fresh)
				require.NoError(t, err)
				answer.Body.Close()
				assert.Equal(t, http.StatusOK, answer.StatusCode, bad.how)
			}
			desk := desks[i]
			desk.Do(chromedp.Navigate(h.URL + "/documents"))
			desk.Until(desk.Ctx, `document.querySelector('h1')?.textContent === 'Documents' && !document.querySelector('.dropping').hasAttribute('x-cloak')`)
			if bad.told != "" {
				patience.Until(t, func() bool {
					desk.Do(chromedp.Navigate(h.URL + "/documents"))
					text, err := chromedp.Run(desk.Ctx, chromedp.Text("body"))
					require.NoError(t, err)
					return strings.Contains(text, bad.told)
				}, "editors are told")
				desk.Until(desk.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
			}
			added++ // other bytes each time: what is there already is not sent
			require.NoError(t, os.WriteFile(file, fmt.Appendf(b, "\n%% %d\n", added), 0o600))
			desk.Do(chromedp.SetUploadFiles(`#file`, []string{file}))
			if bad.takes {
				patience.Until(t, func() bool { return documents() == before+i+1 }, "%s: it is added", bad.how)
				continue
			}
			if bad.said != "" {
				desk.Until(desk.Ctx, fmt.Sprintf(`document.querySelector('main').innerText.includes(%q)`, bad.said))
			}
			assert.Equal(t, before, documents(), bad.how)
		}
		store.set(nil)
		if bad.how == "hanging" {
			release()
		}
		patience.Until(t, func() bool { return !servers[0].Blobs.IsAway() && !servers[1].Blobs.IsAway() })
	}
	// It is well again: what could not be added is.
	before := documents()
	other := filepath.Join(t.TempDir(), "annual-report.pdf")
	b, err = demo.PDF("annual-report.pdf")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(other, b, 0o600))
	desks[1].Do(chromedp.Navigate(servers[1].URL + "/documents"))
	desks[1].Until(desks[1].Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
	desks[1].Do(chromedp.SetUploadFiles(`#file`, []string{other}))
	patience.Until(t, func() bool { return documents() > before })
}
