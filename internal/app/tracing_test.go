package app_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/sdk/trace/tracetest"
	oteltrace "go.opentelemetry.io/otel/trace"

	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
	"incipit/internal/tracing"
)

// A trace says by which route, with which statements and how an answer was made, and
// nothing of who asked for what; what strangers send along begins no trace of theirs.
func TestTracesNameRoutes(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "trail-map.pdf", nil)
	kept := tracetest.NewInMemoryExporter()
	stop := tracing.Through(trace.NewSimpleSpanProcessor(kept), "test", 1)
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, h.URL+"/r/"+p.Key+"?find=heron", nil)
	require.NoError(t, err)
	r.Header.Set("Traceparent", "00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01")
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	answer.Body.Close()
	require.Equal(t, http.StatusOK, answer.StatusCode)
	gone, err := http.Get(h.URL + "/r/nothing-of-the-kind")
	require.NoError(t, err)
	gone.Body.Close()
	h.Visitor(t).Send("NESTBOX", "/r/"+p.Key, "", "")
	var spans tracetest.SpanStubs
	var answered oteltrace.TraceID
	patience.Until(t, func() bool { // it ends after its answer was sent
		spans = kept.GetSpans()
		for _, s := range spans {
			if s.Name == "GET /r/:key" && !s.Parent.IsValid() && slices.Contains(told(tracetest.SpanStubs{s}), "http.response.status_code=200") {
				answered = s.SpanContext.TraceID()
			}
		}
		return answered.IsValid()
	}, "the answer has its span")
	require.NoError(t, stop(t.Context()))
	below := 0
	for _, s := range spans {
		assert.NotContains(t, s.Name, "NESTBOX", "whatever is written where the method stands")
		assert.NotEqual(t, "0af7651916cd43dd8448eb211c80319c", s.SpanContext.TraceID().String())
		// Jobs of the document that was just published may still be running, in traces of
		// their own: they write.
		if s.Parent.IsValid() {
			assert.Regexp(t, `^([A-Z]+|gocloud\.dev/blob\.[A-Za-z]+)$`, s.Name, "the beginning of a statement, or what was done in the store")
			if s.SpanContext.TraceID() == answered {
				below++
				assert.Equal(t, "SELECT", s.Name)
			}
		}
		for _, a := range s.Attributes {
			for _, secret := range []string{p.Key, "heron", "127.0.0.1", "nothing-of-the-kind", "NESTBOX"} {
				assert.NotContains(t, a.Value.String(), secret, a.Key)
			}
		}
	}
	assert.Positive(t, below, "statements stand below their answer")
	assert.Contains(t, strings.Join(told(spans), " "), "http.response.status_code=404")

	kept.Reset()
	again, err := http.Get(h.URL + "/r/" + p.Key)
	require.NoError(t, err)
	again.Body.Close()
	assert.Empty(t, kept.GetSpans(), "off, nothing is sent")
}

func told(spans tracetest.SpanStubs) (out []string) {
	for _, s := range spans {
		for _, a := range s.Attributes {
			out = append(out, string(a.Key)+"="+a.Value.String())
		}
	}
	return out
}
