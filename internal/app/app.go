// Package app puts the house together: configuration in, a running server out.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/jackc/pgx/v5"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"incipit/internal/account"
	"incipit/internal/blob"
	"incipit/internal/config"
	"incipit/internal/desk"
	"incipit/internal/fetch"
	"incipit/internal/intake"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/reader"
	"incipit/internal/site"
	"incipit/internal/store"
	"incipit/web"
)

// Options are what a server is told besides its configuration.
type Options struct {
	Config  config.Config
	Engine  pdf.Engine
	Log     *slog.Logger
	StandIn string // address of the demo's other website, or ""
}

// App is the house, ready to serve.
type App struct {
	Config   config.Config
	Store    *store.Store
	Blobs    *blob.Store
	Press    *press.Press
	Intake   *intake.Intake
	Accounts *account.Accounts
	Handler  http.Handler

	log  *slog.Logger
	jobs *river.Client[pgx.Tx]
}

// New connects to the database and to storage and lays out the routes. The
// database must have been migrated.
func New(ctx context.Context, o Options) (*App, error) {
	a := &App{Config: o.Config, log: o.Log}
	var err error
	if a.Store, err = store.Open(ctx, o.Config.DatabaseURL); err != nil {
		return nil, err
	}
	if a.Blobs, err = blob.Open(ctx, o.Config.BlobURL); err != nil {
		a.Store.Close()
		return nil, err
	}
	a.Press = press.New(o.Engine, a.Blobs, o.Config.Made)
	a.Intake = &intake.Intake{Store: a.Store, Blobs: a.Blobs, Engine: o.Engine, MaxBytes: o.Config.MaxUpload}
	if err := a.build(o); err != nil {
		a.Close()
		return nil, err
	}
	return a, nil
}

func (a *App) build(o Options) error {
	var err error
	if a.Accounts, err = account.New(a.Store); err != nil {
		return err
	}
	files, err := web.Load()
	if err != nil {
		return err
	}
	sessions := scs.New()
	// Sessions that have run out are removed by the hourly sweep.
	sessions.Store = pgxstore.NewWithCleanupInterval(a.Store.Pool, 0)
	sessions.Lifetime, sessions.IdleTimeout = 14*24*time.Hour, 3*24*time.Hour
	sessions.Cookie.Name, sessions.Cookie.HttpOnly = "incipit_session", true
	sessions.Cookie.SameSite, sessions.Cookie.Secure = http.SameSiteLaxMode, o.Config.Secure()

	viewer, err := reader.New(a.Store, a.Blobs, a.Press, files, strings.TrimSuffix(o.Config.PublicURL, "/"))
	if err != nil {
		return err
	}
	published, err := site.New(a.Store, a.Blobs, files, strings.TrimSuffix(o.Config.PublicURL, "/"))
	if err != nil {
		return err
	}
	screens := &desk.Desk{
		Site: published, Blobs: a.Blobs,
		Store: a.Store, Press: a.Press, Intake: a.Intake, Accounts: a.Accounts, Sessions: sessions,
		Web: files, Log: o.Log, Shell: viewer.Shell, PublicURL: o.Config.PublicURL, Secure: o.Config.Secure(), StandIn: o.StandIn,
		Fetch: fetcher(o.StandIn),
	}
	if err := screens.Prepare(); err != nil {
		return err
	}
	protect, err := screens.Protect()
	if err != nil {
		return err
	}
	e := echo.New()
	e.Logger = o.Log
	e.HTTPErrorHandler = screens.Failed
	e.Use(middleware.Recover(), squeeze())
	e.GET("/s/*", echo.WrapHandler(files))
	e.GET("/onpage.js", echo.WrapHandler(files.Open("onpage/onpage.js")))
	e.GET("/oembed", viewer.Oembed)
	e.GET("/health", a.health)
	viewer.Mount(e.Group("/r/:key"))
	viewer.MountRecords(e.Group("/record/:record"))
	published.Mount(e)
	viewer.MountStage(e.Group("/stage/:id", echo.WrapMiddleware(sessions.LoadAndSave)), screens.Who)
	screens.Mount(e.Group("", protect...))
	a.Handler = e

	workers := river.NewWorkers()
	river.AddWorker(workers, &intake.Examiner{Intake: a.Intake})
	river.AddWorker(workers, &intake.Measurer{Intake: a.Intake, Press: a.Press})
	river.AddWorker(workers, &intake.Indexer{Intake: a.Intake})
	river.AddWorker(workers, &intake.Sweeper{Intake: a.Intake, Age: o.Config.SweepAfter})
	a.jobs, err = river.NewClient(riverpgxv5.New(a.Store.Pool), &river.Config{
		Logger: o.Log, Workers: workers,
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}},
		FetchPollInterval:    500 * time.Millisecond,
		RescueStuckJobsAfter: 30 * time.Minute,
		PeriodicJobs: []*river.PeriodicJob{river.NewPeriodicJob(river.PeriodicInterval(time.Hour),
			func() (river.JobArgs, *river.InsertOpts) { return intake.SweepArgs{}, nil },
			&river.PeriodicJobOpts{RunOnStart: true})},
	})
	if err != nil {
		return fmt.Errorf("make the job queue: %w", err)
	}
	return nil
}

// fetcher reaches public websites, and the demo's other one.
func fetcher(standIn string) *fetch.Fetcher {
	f := &fetch.Fetcher{}
	if u, err := url.Parse(standIn); err == nil && u.Host != "" {
		// The name of the stand-in is resolved before it is reached.
		f.StandIns = []string{net.JoinHostPort("127.0.0.1", u.Port())}
	}
	return f
}

// squeeze compresses what is text. Page images and files are left alone: they
// are compressed already, and ranges must count their own bytes.
func squeeze() echo.MiddlewareFunc {
	return middleware.GzipWithConfig(middleware.GzipConfig{MinLength: 1000, Skipper: func(c *echo.Context) bool {
		p := c.Request().URL.Path
		return strings.Contains(p, "/page/") || strings.Contains(p, "/cover/") || strings.HasSuffix(p, "/file") || strings.HasSuffix(p, "/bundle") || strings.HasSuffix(p, "/cover") ||
			strings.HasSuffix(p, ".woff2") || c.Request().Header.Get("Range") != ""
	}})
}

func (a *App) health(c *echo.Context) error {
	if err := a.Store.Pool.Ping(c.Request().Context()); err != nil {
		return c.String(http.StatusServiceUnavailable, "the database does not answer\n")
	}
	return c.String(http.StatusOK, "well\n")
}

// Work takes up examinations that were left unfinished and starts the job
// workers.
func (a *App) Work(ctx context.Context) error {
	if n, err := a.Intake.Resume(ctx); err != nil {
		return err
	} else if n > 0 {
		a.log.Info("examinations go on", "editions", n)
	}
	go a.Store.Watch(ctx)
	if err := a.jobs.Start(ctx); err != nil {
		return fmt.Errorf("start the job workers: %w", err)
	}
	return nil
}

// Rest stops the job workers; what they are at is taken up at the next start.
func (a *App) Rest(ctx context.Context) {
	if err := a.jobs.StopAndCancel(ctx); err != nil {
		a.log.Warn("job workers did not stop in time", "error", err)
	}
}

// Serve answers on a listener until ctx ends, then lets requests finish.
func (a *App) Serve(ctx context.Context, l net.Listener) error {
	return Serve(ctx, l, a.Handler)
}

// Serve answers on a listener until ctx ends. Headers must arrive soon; bodies
// may take their time, since a large file over a slow line is no attack.
func Serve(ctx context.Context, l net.Listener, h http.Handler) error {
	s := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
	failed := make(chan error, 1)
	go func() { failed <- s.Serve(l) }()
	select {
	case err := <-failed:
		return fmt.Errorf("serve on %s: %w", l.Addr(), err)
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 8*time.Second)
	defer cancel()
	if err := s.Shutdown(grace); err != nil {
		s.Close()
	}
	if err := <-failed; !errors.Is(err, http.ErrServerClosed) {
		return fmt.Errorf("serve on %s: %w", l.Addr(), err)
	}
	return nil
}

// Close gives back what the house holds.
func (a *App) Close() {
	a.Blobs.Close()
	a.Store.Close()
}
