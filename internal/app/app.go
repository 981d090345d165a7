// Package app puts the house together: configuration in, a running server out.
package app

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"incipit/internal/blob"
	"incipit/internal/config"
	"incipit/internal/database"
	"incipit/internal/deliver"
	"incipit/internal/desk"
	"incipit/internal/door"
	"incipit/internal/fetch"
	"incipit/internal/intake"
	"incipit/internal/metrics"
	"incipit/internal/nouns"
	"incipit/internal/office"
	"incipit/internal/pdf"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/press"
	"incipit/internal/reader"
	"incipit/internal/recognise"
	"incipit/internal/site"
	"incipit/web"
)

// Options are what a server is told besides its configuration.
type Options struct {
	Config  config.Config
	Engine  pdf.Engine
	Log     *slog.Logger
	StandIn string // address of the demo's other website, or ""
	// Recogniser reads pictures; nil is the one that is installed.
	Recogniser intake.Recogniser
}

// App is the house, ready to serve.
type App struct {
	Config config.Config
	nouns.All
	Blobs    *blob.Store
	Press    *press.Press
	Intake   *intake.Intake
	Accounts *people.Accounts
	Handler  http.Handler
	Router   *echo.Echo // all routes, below what is in front of them

	engine  pdf.Engine
	log     *slog.Logger
	door    *door.Door
	desk    *desk.Desk
	viewer  *reader.Reader
	site    *site.Site
	back    nouns.All // for jobs
	jobPool *pgxpool.Pool
	leases  *database.Leases
	Metrics *metrics.Metrics
	working bool // jobs are worked here
	jobs    *river.Client[pgx.Tx]
	atWork  atWork
	looked  context.CancelFunc // ends looking after what other servers left
}

// New connects to the database and to storage and lays out the routes. The
// database must have been migrated.
func New(ctx context.Context, o Options) (*App, error) {
	a := &App{Config: o.Config, log: o.Log, engine: o.Engine}
	fail := func(err error) (*App, error) {
		a.Close()
		return nil, err
	}
	var err error
	share := database.Share(o.Config.Connections)
	if a.All, err = nouns.Open(ctx, o.Config.DatabaseURL, share); err != nil {
		return fail(err)
	}
	back, err := a.DB.ForJobs(ctx, o.Config.DatabaseURL, share.Jobs)
	if err != nil {
		return fail(err)
	}
	a.back = nouns.Over(back)
	pool, err := pgxpool.ParseConfig(o.Config.DatabaseURL)
	if err != nil {
		return fail(fmt.Errorf("read the database's address: %w", err))
	}
	pool.MaxConns = int32(share.Queue) //nolint:gosec // a few hundred at most
	if a.jobPool, err = pgxpool.NewWithConfig(ctx, pool); err != nil {
		return fail(fmt.Errorf("connect to the database for jobs: %w", err))
	}
	if a.Blobs, err = blob.Open(ctx, o.Config.BlobURL); err != nil {
		return fail(err)
	}
	a.Press = press.New(o.Engine, a.Blobs, o.Config.Made)
	a.Intake = &intake.Intake{All: a.All, Blobs: a.Blobs, Engine: o.Engine, MaxBytes: o.Config.MaxUpload,
		Fetch: fetcher(o.StandIn)}
	a.programs(o)
	if err := a.build(o); err != nil {
		return fail(err)
	}
	return a, nil
}

// programs finds those of the machine that are used where they are there.
func (a *App) programs(o Options) {
	in, rooms, resident := a.Intake, o.Config.Rooms, o.Config.RoomMemory<<20
	if in.Recogniser = o.Recogniser; rooms == 0 {
		in.NoOffice = intake.ErrSmall
		in.NoRecogniser = in.NoOffice
		return
	}
	if c, err := office.Find(rooms, resident); err == nil {
		in.Office = c
	} else {
		in.NoOffice = err
	}
	if o.Recogniser != nil {
		return
	}
	if r, err := recognise.Find(rooms, resident); err == nil {
		in.Recogniser = r
	} else {
		in.NoRecogniser = err
	}
}

// secrets gives what keys for seals are made of: the operator's, or else the database's.
func (a *App) secrets(ctx context.Context) ([][]byte, error) {
	if len(a.Config.Secrets) > 0 {
		return a.Config.Secrets, nil
	}
	return a.DB.SealSecrets(ctx)
}

func (a *App) build(o Options) error {
	var err error
	if len(a.Config.Secrets) > 0 {
		if err := a.Placing.SealWith(context.Background(), a.Config.Secrets...); err != nil {
			return err
		}
	} else if n, err := a.Placing.Sealed(context.Background()); err != nil {
		return err
	} else if n > 0 {
		o.Log.Warn("signing keys are sealed with a secret that INCIPIT_SECRETS does not name any more: tokens signed with them are refused",
			"keys", n)
	}
	if a.Accounts, err = people.NewAccounts(a.People); err != nil {
		return err
	}
	files, err := web.Load()
	if err != nil {
		return err
	}
	sessions := scs.New()
	// Sessions that have run out are removed by the hourly sweep.
	sessions.Store = newSessions(pgxstore.NewWithCleanupInterval(a.DB.Pool, 0))
	sessions.Lifetime, sessions.IdleTimeout = 14*24*time.Hour, 3*24*time.Hour
	sessions.Cookie.Name, sessions.Cookie.HttpOnly = "incipit_session", true
	sessions.Cookie.SameSite, sessions.Cookie.Secure = http.SameSiteLaxMode, o.Config.Secure()
	sessions.HashTokenInStore = true

	public := strings.TrimSuffix(o.Config.PublicURL, "/")
	if a.viewer, err = reader.New(a.All, a.Blobs, a.Press, files, public, a.secrets); err != nil {
		return err
	}
	if a.site, err = site.New(a.All, a.Blobs, files, public); err != nil {
		return err
	}
	a.desk = &desk.Desk{
		Site: a.site, Blobs: a.Blobs,
		All: a.All, Press: a.Press, Intake: a.Intake, Accounts: a.Accounts, Sessions: sessions,
		Web: files, Log: o.Log, Shell: a.viewer.Shell, PublicURL: o.Config.PublicURL, Secure: o.Config.Secure(), StandIn: o.StandIn,
		Fetch: a.Intake.Fetch, Trouble: a.trouble,
	}
	if f, ok := o.Engine.(interface{ Forgive(string) }); ok {
		a.desk.Forgive = f.Forgive
	}
	if err := a.desk.Prepare(); err != nil {
		return err
	}
	sessions.ErrorFunc = a.desk.Down
	protect, err := a.desk.Protect()
	if err != nil {
		return err
	}
	a.door = door.New(door.Options{Proxies: o.Config.Proxies, PerOrigin: o.Config.PerOrigin, Secure: o.Config.Secure(), Limit: a.limit})
	e := echo.New()
	e.Logger = o.Log
	e.IPExtractor = a.door.Origin
	e.HTTPErrorHandler = a.failed
	a.Metrics = a.figures()
	e.Pre(a.Metrics.Door, a.door.Middleware)
	e.Use(a.Metrics.Middleware, a.observed)
	e.Use(middleware.Recover())
	e.GET("/s/*", echo.WrapHandler(files))
	e.GET("/favicon.ico", echo.WrapHandler(files.Icons()))
	e.GET("/onpage.js", echo.WrapHandler(files.Open("onpage/onpage.js")))
	script, err := files.OnPage()
	if err != nil {
		return err
	}
	e.GET("/onpage/:name", a.versioned(script))
	e.GET("/onpage.d.ts", scriptTypes(files))
	if err := a.keepScript(context.Background(), script); err != nil {
		o.Log.Warn("pages that name this version of the script lose it with the next one", "error", err)
	}
	a.desk.Script = script
	e.GET("/oembed", a.viewer.Oembed)
	for path, answer := range map[string]echo.HandlerFunc{"/health/live": a.live, "/health/ready": a.ready, "/health/parts": a.parts,
		"/live": a.live, "/ready": a.ready, "/health": a.ready} { // the short ones were there first
		e.GET(path, answer)
	}
	e.GET("/.well-known/security.txt", a.securityText)
	a.viewer.Mount(e.Group("/r/:key"))
	a.viewer.MountRecords(e.Group("/record/:record"))
	a.site.Mount(e)
	a.viewer.MountStage(e.Group("/stage/:id", echo.WrapMiddleware(sessions.LoadAndSave)), a.desk.Who)
	a.desk.Mount(e.Group("", protect...))
	a.Router = e
	if a.Handler, err = deliver.Squeezed(e); err != nil {
		return err
	}

	// Jobs have connections of their own.
	behind := *a.Intake
	behind.All = a.back
	a.leases = a.DB.Leases()
	behind.Leases = a.leases
	workers := river.NewWorkers()
	river.AddWorker(workers, &intake.Examiner{Intake: &behind})
	river.AddWorker(workers, &intake.Measurer{Intake: &behind, Press: a.Press})
	river.AddWorker(workers, &intake.Indexer{Intake: &behind})
	river.AddWorker(workers, &intake.Worder{Intake: &behind})
	river.AddWorker(workers, &intake.Mender{Intake: &behind})
	river.AddWorker(workers, &intake.PicturedWorker{Intake: &behind})
	river.AddWorker(workers, &intake.Comparer{Intake: &behind})
	river.AddWorker(workers, &intake.Reporter{Intake: &behind})
	river.AddWorker(workers, &intake.Follower{Intake: &behind})
	river.AddWorker(workers, &intake.RecogniseWorker{Intake: &behind})
	river.AddWorker(workers, &intake.Clock{Intake: &behind})
	river.AddWorker(workers, &intake.Linker{Intake: &behind, Every: o.Config.LinksEvery})
	river.AddWorker(workers, &placing.Carrier{Placer: a.back.Placing})
	river.AddWorker(workers, &intake.Sweeper{Intake: &behind, Age: o.Config.SweepAfter})
	a.jobs, err = river.NewClient(riverpgxv5.New(a.jobPool), &river.Config{
		Logger: o.Log, Workers: workers,
		Middleware: []rivertype.Middleware{river.WorkerMiddlewareFunc(traced), river.WorkerMiddlewareFunc(a.atWork.worked)},
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: 2}, intake.ExamineQueue: {MaxWorkers: 4}, intake.MeasureQueue: {MaxWorkers: 2},
			intake.IndexQueue: {MaxWorkers: 2}, intake.CompareQueue: {MaxWorkers: intake.MostComparing}, intake.FetchQueue: {MaxWorkers: 3}, intake.RecogniseQueue: {MaxWorkers: intake.MostRecognising}, placing.CarryQueue: {MaxWorkers: 1},
		},
		FetchPollInterval:    500 * time.Millisecond,
		RescueStuckJobsAfter: 30 * time.Minute,
		PeriodicJobs: []*river.PeriodicJob{river.NewPeriodicJob(river.PeriodicInterval(time.Hour),
			func() (river.JobArgs, *river.InsertOpts) { return intake.SweepArgs{}, nil },
			&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(intake.DueEvery),
				func() (river.JobArgs, *river.InsertOpts) { return intake.DueArgs{}, nil }, nil),
			river.NewPeriodicJob(river.PeriodicInterval(intake.DueEvery),
				func() (river.JobArgs, *river.InsertOpts) { return intake.LinksArgs{}, nil }, nil)},
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

// Watch begins to look at what goes on around: what other servers change, whether the
// database answers, what is kept.
func (a *App) Watch(ctx context.Context) {
	go a.DB.Watch(ctx)
	go a.present(ctx)
	go a.survey(ctx)
	go a.goOn(ctx)
}

// present takes the lease that says of this process that it serves: no other version changes
// the schema meanwhile (see database.Migrate).
func (a *App) present(ctx context.Context) {
	for {
		_, _, err := a.leases.Take(ctx, "server", rand.Int64()) //nolint:gosec // a number of its own is enough
		if err == nil {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(5 * time.Second):
		}
	}
}

// Work takes up what was left unfinished and starts the job workers.
func (a *App) Work(ctx context.Context) error {
	a.working = true
	if err := a.leases.Serving(ctx, a.jobs.ID()); err != nil {
		return err
	}
	if err := a.handBack(ctx); err != nil {
		return err
	}
	if n, err := a.Intake.Resume(ctx); err != nil {
		return err
	} else if n > 0 {
		a.log.Info("examinations go on", "editions", n)
	}
	if err := placing.Resume(ctx, a.Placing); err != nil {
		return err
	}
	if err := a.jobs.Start(ctx); err != nil {
		return fmt.Errorf("start the job workers: %w", err)
	}
	looking, end := context.WithCancel(ctx)
	a.looked = end
	go a.lookAfter(looking)
	return nil
}

// survey has the press count what is kept, now and every hour: other servers keep
// things, too.
func (a *App) survey(ctx context.Context) {
	tick := time.NewTicker(time.Hour)
	defer tick.Stop()
	for {
		if err := a.Press.Survey(ctx); err != nil && ctx.Err() == nil {
			a.log.Warn("what was made could not be surveyed", "error", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// goOn takes up examinations again whenever the database has come back: what a
// job could not note meanwhile would wait for a while.
func (a *App) goOn(ctx context.Context) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for was := false; ; {
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
		is := a.DB.IsAway()
		if was && !is {
			a.log.Warn("the database is back")
			if _, err := a.Intake.Resume(ctx); err != nil {
				a.log.Warn("examinations do not go on", "error", err)
				continue // it was too early
			}
			if err := placing.Resume(ctx, a.Placing); err != nil {
				a.log.Warn("what is left of changes of house style is not carried on", "error", err)
			}
		} else if is && !was {
			a.log.Error("the database does not answer: readers get what was seen lately")
		}
		was = is
	}
}

// Rest stops the job workers; what they are at is taken up at the next start.
func (a *App) Rest(ctx context.Context) {
	if !a.working {
		return
	}
	if a.looked != nil {
		a.looked() // nobody asks for leases from here on
	}
	defer a.leases.Close(ctx)
	if err := a.jobs.StopAndCancel(ctx); err != nil {
		a.log.Warn("job workers did not stop in time", "error", err)
	}
}

// restsWithin is how long closing waits for images that are being made.
const restsWithin = 5 * time.Second

// Close gives back what the house holds.
func (a *App) Close() {
	if a.Press != nil {
		a.Press.Rest(restsWithin)
	}
	if a.Blobs != nil {
		a.Blobs.Close()
	}
	if a.leases != nil {
		a.leases.End(context.Background())
	}
	if a.jobPool != nil {
		a.jobPool.Close()
	}
	if a.back.DB != nil {
		a.back.DB.Close()
	}
	if a.DB != nil {
		a.DB.Close()
	}
}
