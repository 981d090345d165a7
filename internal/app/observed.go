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
	"github.com/riverqueue/river/rivertype"

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
	m.Jobs(func(ctx context.Context) (map[[2]string]int, error) { return a.back.Library.Jobs(ctx) })
	return m
}
