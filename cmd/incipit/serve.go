package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/signal"
	"strconv"
	"syscall"
	"time"

	"incipit/internal/app"
	"incipit/internal/config"
	"incipit/internal/database"
	"incipit/internal/machine"
	"incipit/internal/pdf/pool"
	"incipit/internal/tracing"
)

// stopping gives a context that ends with Ctrl-C, a polite kill, or when the
// terminal closes. A second one ends the program at once.
func stopping() (context.Context, context.CancelFunc) {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	context.AfterFunc(ctx, stop)
	return ctx, stop
}

// logger writes the log as a configuration asks for.
func logger(c config.Config) *slog.Logger {
	o := &slog.HandlerOptions{Level: c.LogLevel}
	if c.LogJSON {
		return slog.New(slog.NewJSONHandler(os.Stderr, o))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, o))
}

// engine makes the pool of workers that a configuration asks for.
func engine(c config.Config, log *slog.Logger) (*pool.Pool, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, fmt.Errorf("find this program: %w", err)
	}
	return pool.Open(pool.Options{Command: []string{self, "worker", c.EngineCache, strconv.Itoa(cmp.Or(c.EngineMemory, machine.Most))},
		Workers: c.EngineWorkers, Waiting: c.PressQueue, Deadline: c.EngineDeadline, Log: log}), nil
}

// configured reads the environment and brings its database to the newest schema.
func configured(ctx context.Context) (config.Config, error) {
	c, err := config.FromEnvironment()
	if err != nil {
		return c, badUse{fmt.Errorf("the configuration does not stand:\n%w", err)}
	}
	return c, database.Migrate(ctx, c.DatabaseURL)
}

// serve runs against the PostgreSQL and blob store of the environment. With --no-jobs
// another process works the jobs (see work).
func serve(args []string) error {
	flags := flag.NewFlagSet("serve", flag.ContinueOnError)
	noJobs := flags.Bool("no-jobs", false, "")
	if err := parse(flags, args); err != nil {
		return err
	}
	ctx, stop := stopping()
	defer stop()
	c, err := configured(ctx)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", c.Address)
	if err != nil {
		return fmt.Errorf("listen on %s: %w", c.Address, err)
	}
	return run(ctx, c, l, how{jobs: !*noJobs}, func(a *app.App) error {
		token, err := a.Accounts.OfferSetup(ctx)
		if err != nil {
			return err
		}
		fmt.Printf("Incipit serves on %s\n", c.PublicURL)
		if token != "" {
			fmt.Printf("Nobody has an account yet. Make the owner's within 24 hours at\n%s/set-up/%s\n", c.PublicURL, token)
		}
		return nil
	})
}

// writable says, by its error, why a folder cannot be written to.
func writable(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, "tried-")
	if err != nil {
		return err
	}
	return errors.Join(f.Close(), os.Remove(f.Name()))
}

// work works the jobs of the house and serves nobody: any number of such processes may
// run beside any number of servers, on one database and one blob store.
func work(args []string) error {
	if err := parse(flag.NewFlagSet("work", flag.ContinueOnError), args); err != nil {
		return err
	}
	ctx, stop := stopping()
	defer stop()
	c, err := configured(ctx)
	if err != nil {
		return err
	}
	return run(ctx, c, nil, how{jobs: true}, func(*app.App) error {
		fmt.Println("Incipit works the jobs")
		return nil
	})
}

// how says what a process does: work jobs; and where the demo's other website is.
type how struct {
	jobs    bool
	standIn string
}

// run serves on a listener, if there is one, until ctx ends; ready is called once
// everything stands.
func run(ctx context.Context, c config.Config, l net.Listener, h how, ready func(*app.App) error) error {
	log := logger(c)
	slog.SetDefault(log)
	if err := writable(c.EngineCache); err != nil {
		return fmt.Errorf("the folder of the compiled engine cannot be written to: %w; name another one in INCIPIT_ENGINE_CACHE", err)
	}
	if c.Traces != "" {
		flush, err := tracing.To(ctx, c.Traces, version(), c.TraceShare)
		if err != nil {
			return err
		}
		defer func() {
			within, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
			defer cancel()
			if err := flush(within); err != nil {
				log.Warn("the last traces were not sent", "error", err)
			}
		}()
	}
	// The server itself keeps to its share of the memory; workers have theirs.
	machine.Keep(c.ServerMemory)
	workers, err := engine(c, log)
	if err != nil {
		return err
	}
	defer workers.Close()
	a, err := app.New(ctx, app.Options{Config: c, Engine: workers, Log: log, StandIn: h.standIn})
	if err != nil {
		return err
	}
	defer a.Close()
	trying, cancel := context.WithTimeout(ctx, 20*time.Second)
	err = a.Blobs.Try(trying)
	cancel()
	if err != nil {
		return fmt.Errorf("nothing can be kept in the blob store: %w; see to what INCIPIT_BLOB_URL names", err)
	}
	go func() {
		if err := workers.Warm(ctx); err != nil && ctx.Err() == nil {
			log.Error("the PDF engine does not start", "error", err)
		}
	}()
	if c.Metrics != "" {
		figures, err := net.Listen("tcp", c.Metrics)
		if err != nil {
			return fmt.Errorf("listen on %s for figures: %w", c.Metrics, err)
		}
		go func() {
			if err := app.Serve(ctx, figures, a.Metrics.Handler()); err != nil {
				log.Error("figures are not served any more", "error", err)
			}
		}()
	}
	log.Info("it stands", "version", version(), "schema", database.Newest(), "address", c.Address, "public", c.PublicURL, "bytes",
		blobPlace(c.BlobURL), "jobs", h.jobs, "serves", l != nil)
	a.Watch(ctx)
	if h.jobs {
		if err := a.Work(ctx); err != nil {
			return err
		}
	}
	defer a.Rest(context.WithoutCancel(ctx))
	if err := ready(a); err != nil {
		return err
	}
	if l == nil {
		<-ctx.Done()
		return nil
	}
	return a.Serve(ctx, l)
}

// parse reads the flags of a command that takes nothing else.
func parse(flags *flag.FlagSet, args []string) error {
	flags.SetOutput(io.Discard)
	if err := flags.Parse(args); err != nil {
		return badUse{fmt.Errorf("%s: %w", flags.Name(), err)}
	}
	if flags.NArg() > 0 {
		return badUse{fmt.Errorf("%s: there is nothing to do with %q", flags.Name(), flags.Arg(0))}
	}
	return nil
}
