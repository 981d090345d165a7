package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/riverqueue/river/rivertype"

	"incipit/internal/blob"
	"incipit/internal/metrics"
	"incipit/internal/tracing"
)

// requestID is the header by which an answer and the lines about it in the log are found.
const requestID = "X-Request-Id"

// observed names each request, and notes it where the log is that fine: by its route, not
// by who asked for what.
func (a *App) observed(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b := make([]byte, 8)
		if _, err := rand.Read(b); err != nil {
			return fmt.Errorf("name a request: %w", err)
		}
		id := hex.EncodeToString(b)
		c.Response().Header().Set(requestID, id)
		begun := time.Now()
		// Routes are chosen by now: a span is called by one, never by what was asked for.
		route := metrics.Method(c.Request().Method) + " " + cmp.Or(c.Path(), "none")
		ctx, span := tracing.Begin(c.Request().Context(), route, "http.route", c.Path(), "incipit.request", id)
		if ctx != c.Request().Context() {
			c.SetRequest(c.Request().WithContext(ctx))
		}
		defer func() {
			status := metrics.Status(c, nil)
			span.Note("http.response.status_code", strconv.Itoa(status))
			span.End(status >= http.StatusInternalServerError)
		}()
		if err := next(c); err != nil {
			a.failed(c, err) // now, so that it is known what is answered
		}
		if ctx := c.Request().Context(); a.log.Enabled(ctx, slog.LevelInfo) {
			a.log.InfoContext(ctx, "answered", "request", id, "method", c.Request().Method, "route", c.Path(), "status",
				metrics.Status(c, nil), "ms", time.Since(begun).Milliseconds())
		}
		return nil
	}
}

// traced has each job be a trace of its own.
func traced(ctx context.Context, job *rivertype.JobRow, work func(context.Context) error) error {
	ctx, span := tracing.Begin(ctx, "job "+job.Kind, "incipit.attempt", strconv.Itoa(job.Attempt))
	err := work(ctx)
	span.End(err != nil)
	return err
}

// figures gathers what is told of the house.
func (a *App) figures() *metrics.Metrics {
	m := metrics.New()
	m.Pool("screens", a.DB.Pool)
	m.Pool("jobs", a.back.DB.Pool)
	m.Pool("queue", a.jobPool)
	m.Gauge("incipit_database_away", "1 while the database does not answer.", func() float64 {
		if a.DB.IsAway() {
			return 1
		}
		return 0
	})
	m.Jobs(func(ctx context.Context) ([]metrics.JobsOf, error) {
		all, err := a.back.Library.Jobs(ctx)
		out := make([]metrics.JobsOf, len(all))
		for i, of := range all {
			out[i] = metrics.JobsOf(of)
		}
		return out, err
	})
	m.Gauge("incipit_store_away", "1 while the blob store does not answer.", func() float64 {
		if a.Blobs.IsAway() {
			return 1
		}
		return 0
	})
	stored := func(of func(blob.Tally) int64) func() map[string]float64 {
		return func() map[string]float64 {
			out := map[string]float64{}
			for op, t := range a.Blobs.Tallies() {
				out[op] = float64(of(t))
			}
			return out
		}
	}
	m.Counts("incipit_store_operations_total", "Operations of the blob store that were answered, by what they do.", "operation",
		prometheus.CounterValue, stored(func(t blob.Tally) int64 { return t.Done }))
	m.Counts("incipit_store_errors_total", "Operations of the blob store that it refused, by what they do.", "operation", prometheus.CounterValue,
		stored(func(t blob.Tally) int64 { return t.Failed }))
	m.Counts("incipit_store_unanswered_total", "Operations of the blob store that it did not answer in time.", "operation",
		prometheus.CounterValue, stored(func(t blob.Tally) int64 { return t.Away }))
	m.Counts("incipit_store_seconds_total", "How long operations of the blob store took, together.", "operation", prometheus.CounterValue,
		func() map[string]float64 {
			out := map[string]float64{}
			for op, t := range a.Blobs.Tallies() {
				out[op] = t.Took.Seconds()
			}
			return out
		})
	if e, ok := a.engine.(interface{ Figures() map[string]float64 }); ok {
		m.Counts("incipit_engine_total", "Requests to the PDF engine that were refused, by why, and workers that were replaced.", "what",
			prometheus.CounterValue, e.Figures)
	}
	if e, ok := a.engine.(interface{ Waiting() int }); ok {
		m.Gauge("incipit_engine_waiting", "Requests that wait for a worker of the PDF engine.", func() float64 { return float64(e.Waiting()) })
	}
	m.Gauge("incipit_images_kept_bytes", "Bytes of page images, tiles and layers that are kept.", func() float64 { return float64(a.Press.Kept()) })
	m.Gauge("incipit_images_kept_most_bytes", "Bytes of these that are kept at most.", func() float64 { return float64(a.Config.Made) })
	m.Counts("incipit_images_total", "Page images that were made.", "what", prometheus.CounterValue,
		func() map[string]float64 { return map[string]float64{"made": float64(a.Press.Made())} })
	return m
}
