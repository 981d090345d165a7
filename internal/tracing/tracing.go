// Package tracing sends traces (OpenTelemetry, by OTLP over HTTP) to whoever runs the
// house, who asks for them: it is off by default. A span is named by a route, a kind of
// job or the beginning of a statement; no address that was asked for, no key, no value of a
// statement and nobody who asks is in it. Traces begin here: what strangers send along is
// not believed.
package tracing

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
	api "go.opentelemetry.io/otel/trace"
	"golang.org/x/time/rate"
)

// To sends traces to a collector at an address such as http://127.0.0.1:4318, some at a
// time, until stop; what was not sent by then is sent first. share is how many of all
// traces, from 0 to 1. Where the collector does not answer, traces are dropped: 2,048 spans
// wait at most.
func To(ctx context.Context, address, version string, share float64) (stop func(context.Context) error, err error) {
	exporter, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(strings.TrimSuffix(address, "/")+"/v1/traces"))
	if err != nil {
		return nil, fmt.Errorf("send traces to %s: %w", address, err)
	}
	// A collector that is away is told of once a minute: it is asked every few seconds.
	told := rate.Sometimes{First: 1, Interval: time.Minute}
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) {
		told.Do(func() { slog.Warn("traces are not sent", "error", err) })
	}))
	return Through(trace.NewBatchSpanProcessor(exporter), version, share), nil
}

// mostText bounds what is noted of a span: a statement over many rows names each of them.
const mostText = 2000

// sent says whether traces are sent: where they are not, an answer has no span at all.
var sent atomic.Bool

// Through has spans go through a processor.
func Through(p trace.SpanProcessor, version string, share float64) (stop func(context.Context) error) {
	limits := trace.NewSpanLimits()
	limits.AttributeValueLengthLimit = mostText
	provider := trace.NewTracerProvider(trace.WithSpanProcessor(p), trace.WithRawSpanLimits(limits), trace.WithSampler(trace.TraceIDRatioBased(share)),
		trace.WithResource(resource.NewSchemaless(attribute.String("service.name", "incipit"), attribute.String("service.version", version))))
	before := otel.GetTracerProvider()
	otel.SetTracerProvider(provider)
	sent.Store(true)
	return func(ctx context.Context) error {
		sent.Store(false)
		otel.SetTracerProvider(before)
		return provider.Shutdown(ctx)
	}
}

// Span is something that takes its time; the zero one is of no trace.
type Span struct{ of api.Span }

// Begin begins a span below that of ctx. Without traces it costs next to nothing.
func Begin(ctx context.Context, name string, pairs ...string) (context.Context, Span) {
	if !sent.Load() {
		return ctx, Span{}
	}
	ctx, s := otel.Tracer("incipit").Start(ctx, name)
	for i := 0; i+1 < len(pairs); i += 2 {
		Span{s}.Note(pairs[i], pairs[i+1])
	}
	return ctx, Span{s}
}

// Note notes something of a span.
func (s Span) Note(name, value string) {
	if s.of != nil && s.of.IsRecording() {
		s.of.SetAttributes(attribute.String(name, value))
	}
}

// End ends a span; failed says that what it is of did. What an error says is in the log
// alone: it may name what was asked for.
func (s Span) End(failed bool) {
	if s.of == nil {
		return
	}
	if failed {
		s.of.SetStatus(codes.Error, "")
	}
	s.of.End()
}
