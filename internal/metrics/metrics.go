// Package metrics counts what goes on, for whoever runs the house: requests by route, the
// database's connections, jobs that wait, and the process itself, in the text format of
// Prometheus. Routes are named by their pattern: no key, no name and nobody who asks is in
// it.
package metrics

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Metrics counts.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
}

// New makes them.
func New() *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "incipit_http_requests_total",
			Help: "Requests that were answered, by route and status."}, []string{"method", "route", "status"}),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "incipit_http_request_seconds",
			Help:    "How long answers took, by route, until the last byte was handed over.",
			Buckets: []float64{.002, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 15, 60}}, []string{"route"}),
	}
	m.registry.MustRegister(m.requests, m.seconds, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// otherRoute names requests that no route takes, and atDoor those that were refused before
// one was looked for.
const otherRoute, atDoor = "none", "door"

// Door counts what is refused before a route is looked for. What reaches a route answers by
// itself, and gives no error to here.
func (m *Metrics) Door(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		err := next(c)
		if err != nil {
			m.requests.WithLabelValues(Method(c.Request().Method), atDoor, strconv.Itoa(Status(c, err))).Inc()
		}
		return err
	}
}

// Middleware counts requests.
func (m *Metrics) Middleware(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		begun := time.Now()
		err := next(c)
		route := c.Path()
		if route == "" {
			route = otherRoute
		}
		m.requests.WithLabelValues(Method(c.Request().Method), route, strconv.Itoa(Status(c, err))).Inc()
		m.seconds.WithLabelValues(route).Observe(time.Since(begun).Seconds())
		return err
	}
}

// Method keeps what anybody may write there to what there is.
func Method(text string) string {
	switch text {
	case http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions:
		return text
	}
	return "other"
}

// Status is what a request was, or will be, answered with.
func Status(c *echo.Context, err error) int {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return r.Status
	}
	if s, ok := err.(interface{ StatusCode() int }); ok { //nolint:errorlint // as echo has it
		return s.StatusCode()
	}
	if err != nil {
		return http.StatusInternalServerError
	}
	return http.StatusOK
}

// Pool tells of a pool of the database's connections.
func (m *Metrics) Pool(name string, p *pgxpool.Pool) {
	gauge := func(what string, value func(*pgxpool.Stat) int32) {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "incipit_database_connections",
			Help:        "Connections with the database, by pool and state.",
			ConstLabels: prometheus.Labels{"pool": name, "state": what}}, func() float64 { return float64(value(p.Stat())) }))
	}
	gauge("used", (*pgxpool.Stat).AcquiredConns)
	gauge("idle", (*pgxpool.Stat).IdleConns)
	gauge("most", (*pgxpool.Stat).MaxConns)
}

// Gauge tells of a figure that is asked for when somebody looks.
func (m *Metrics) Gauge(name, help string, value func() float64) {
	m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value))
}

// Counts tells of figures that somebody else counts, by what a label says of each.
func (m *Metrics) Counts(name, help, label string, kind prometheus.ValueType, values func() map[string]float64) {
	m.registry.MustRegister(counts{prometheus.NewDesc(name, help, []string{label}, nil), kind, values})
}

type counts struct {
	desc   *prometheus.Desc
	kind   prometheus.ValueType
	values func() map[string]float64
}

// Describe implements prometheus.Collector.
func (c counts) Describe(to chan<- *prometheus.Desc) { to <- c.desc }

// Collect implements prometheus.Collector.
func (c counts) Collect(to chan<- prometheus.Metric) {
	for label, value := range c.values() {
		to <- prometheus.MustNewConstMetric(c.desc, c.kind, value, label)
	}
}

// JobsOf are the jobs of one kind in one state.
type JobsOf struct {
	Kind, State string
	N           int
	Age         float64 // of the oldest that could be worked now, in seconds; 0 of one that has a time
}

// Jobs tells of jobs by kind and state, as count gives them.
func (m *Metrics) Jobs(count func(context.Context) ([]JobsOf, error)) {
	labels := []string{"kind", "state"}
	m.registry.MustRegister(jobs{count, prometheus.NewDesc("incipit_jobs", "Jobs that wait or run, by kind and state.", labels, nil),
		prometheus.NewDesc("incipit_jobs_oldest_seconds", "How long the oldest job has waited or run, by kind and state.", labels, nil)})
}

type jobs struct {
	count     func(context.Context) ([]JobsOf, error)
	desc, age *prometheus.Desc
}

// Describe implements prometheus.Collector.
func (j jobs) Describe(to chan<- *prometheus.Desc) {
	to <- j.desc
	to <- j.age
}

// lookWithin bounds one look at the jobs.
const lookWithin = 2 * time.Second

// Collect implements prometheus.Collector.
func (j jobs) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), lookWithin)
	defer cancel()
	counts, err := j.count(ctx)
	if err != nil {
		to <- prometheus.NewInvalidMetric(j.desc, err)
		return
	}
	for _, of := range counts {
		to <- prometheus.MustNewConstMetric(j.desc, prometheus.GaugeValue, float64(of.N), of.Kind, of.State)
		to <- prometheus.MustNewConstMetric(j.age, prometheus.GaugeValue, of.Age, of.Kind, of.State)
	}
}

// Handler answers with all figures. What cannot be known just now is left out.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError, MaxRequestsInFlight: 2,
		Timeout: 10 * time.Second})
}
