package app_test

import (
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// outage is a store that may take connections and say nothing, or refuse one in three.
type outage struct {
	mu      sync.Mutex
	held    chan struct{}
	refuses bool
	asked   int
}

func (o *outage) before(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		o.mu.Lock()
		held := o.held
		o.asked++
		no := o.refuses && o.asked%3 == 0
		o.mu.Unlock()
		if held != nil {
			<-held
		}
		if no {
			http.Error(w, "slow down", http.StatusServiceUnavailable)
			return
		}
		next.ServeHTTP(w, r)
	})
}

func (o *outage) set(change func(*outage)) {
	o.mu.Lock()
	defer o.mu.Unlock()
	change(o)
}

// While the store does not answer, readers get what is in memory at once and a calm note
// for the rest, editors are told, and the server stays with its balancer; it goes on by
// itself. A store that refuses now and then is not noticed.
func TestTheStoreHangs(t *testing.T) {
	var o outage
	h := testkit.OpenWith(t, map[string]string{"INCIPIT_BLOB_URL": testkit.Bucket(t, o.before)})
	t.Cleanup(func() {
		o.set(func(o *outage) {
			if o.held != nil {
				close(o.held)
				o.held = nil
			}
		})
	})
	o.set(func(o *outage) { o.refuses = true })
	p, e := h.Published(t, "tide-table.pdf", nil)
	h.Measured(t, e.DocumentID)
	h.Indexed(t, e.ID)
	o.set(func(o *outage) { o.refuses = false })
	reader := h.Visitor(t)
	image := func(page int) string {
		return fmt.Sprintf("/r/%s/page/%s/%d/%d", p.Key, e.Mark(), page, press.Ladder()[2])
	}
	status, _, _ := reader.Get(image(1))
	require.Equal(t, http.StatusOK, status)

	o.set(func(o *outage) { o.held = make(chan struct{}) })
	begun := time.Now()
	status, _, header := reader.Get(image(2))
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.NotEmpty(t, header.Get("Retry-After"))
	assert.Less(t, time.Since(begun), 60*time.Second, "the bound is 8 s, on an idle machine")
	patience.Until(t, h.Blobs.IsAway)
	for range 20 {
		begun = time.Now()
		status, _, _ = reader.Get(image(1))
		assert.Equal(t, http.StatusOK, status, "it is in memory")
		status, _, _ = reader.Get(image(2))
		assert.Equal(t, http.StatusServiceUnavailable, status)
		assert.Less(t, time.Since(begun), 5*time.Second, "nobody waits any more")
	}
	status, _, _ = reader.Get("/r/" + p.Key)
	assert.Equal(t, http.StatusOK, status)
	status, _, _ = reader.Get("/health/ready")
	assert.Equal(t, http.StatusOK, status, "a balancer keeps it")
	status, said, _ := reader.Get("/health/parts")
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, said, "the blob store cannot be reached")
	_, screen, _ := h.Editor(t).Get("/documents")
	assert.Contains(t, screen, "The server&#39;s storage does not answer")

	o.set(func(o *outage) { close(o.held); o.held = nil })
	patience.Until(t, func() bool { status, _, _ := reader.Get(image(2)); return status == http.StatusOK }, "it goes on by itself")
	_, screen, _ = h.Editor(t).Get("/documents")
	assert.NotContains(t, screen, "storage does not answer")
	var figures strings.Builder
	h.Metrics.Handler().ServeHTTP(writer{&figures}, &http.Request{Method: http.MethodGet, Header: http.Header{}})
	for _, figure := range []string{"incipit_store_away 0", `incipit_store_unanswered_total{operation="read"}`, `incipit_store_seconds_total{operation="read"}`,
		"incipit_images_kept_bytes", "incipit_jobs_oldest_seconds"} {
		if figure == "incipit_jobs_oldest_seconds" && !strings.Contains(figures.String(), "incipit_jobs{") {
			continue // nothing waits
		}
		assert.Contains(t, figures.String(), figure)
	}
}

type writer struct{ io.Writer }

func (writer) Header() http.Header { return http.Header{} }
func (writer) WriteHeader(int)     {}

func TestTheAlertsAreRules(t *testing.T) {
	if _, err := exec.LookPath("promtool"); err != nil {
		t.Skip("promtool is not installed")
	}
	said, err := exec.Command("promtool", "check", "rules", "../../docs/alerts.yml").CombinedOutput()
	require.NoError(t, err, "%s", said)
}
