package app_test

import (
	"io"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/testkit"
)

// Figures name routes by their pattern, count what was answered, and say nothing of who
// asked for what.
func TestFigures(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "leaflet-welcome.pdf", nil)
	visitor := h.Visitor(t)
	_, _, first := visitor.Get("/r/" + p.Key)
	_, _, second := visitor.Get("/r/" + p.Key)
	assert.NotEqual(t, first.Get("X-Request-Id"), second.Get("X-Request-Id"), "each request has a name of its own")
	visitor.Get("/r/" + p.Key + "/page/nothing/1/800")
	visitor.Get("/nowhere-at-all-" + p.Key)
	h.Editor(t).Get("/placements/99")
	visitor.Send("BREW", "/documents", "", "")
	visitor.Get("/r/" + p.Key + "?find=%ff")
	answer := httptest.NewRecorder()
	h.Metrics.Handler().ServeHTTP(answer, httptest.NewRequest("GET", "/", nil))
	b, err := io.ReadAll(answer.Body)
	assert.NoError(t, err)
	text := string(b)
	for _, line := range []string{
		`incipit_http_requests_total{method="GET",route="/r/:key",status="200"} 2`,
		`incipit_http_requests_total{method="GET",route="/r/:key/page/:mark/:page/:width",status="404"} 1`,
		`incipit_http_requests_total{method="GET",route="/placements/:id",status="404"} 1`,
		`incipit_http_requests_total{method="other",`,
		`incipit_http_requests_total{method="GET",route="door",status="400"} 1`,
		`incipit_http_request_seconds_count{route="/r/:key"} 2`,
		`incipit_database_connections{pool="screens",state="most"}`,
		`incipit_database_away 0`,
		`process_resident_memory_bytes`,
	} {
		assert.Contains(t, text, line)
	}
	assert.NotContains(t, text, p.Key)
	assert.NotContains(t, text, "nowhere")
	assert.Less(t, strings.Count(text, "route="), 200, "as many as there are routes, and no more")
}
