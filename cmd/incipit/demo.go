package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"incipit/demo"
	"incipit/internal/app"
	"incipit/internal/cluster"
	"incipit/internal/config"
	"incipit/internal/database"
	"incipit/internal/standin"
)

// runDemo serves the demo: a PostgreSQL of its own, the observatory's
// documents, and its website on another origin.
func runDemo(args []string) error {
	flags := flag.NewFlagSet("demo", flag.ContinueOnError)
	dir := flags.String("dir", "var", "folder for data")
	port := flags.Int("port", 0, "port of Incipit; 0 is the one it had last, at first 8080")
	reset := flags.Bool("reset", false, "remove the data first, and begin anew")
	if err := flags.Parse(args); err != nil {
		return badUse{err}
	}
	root, err := filepath.Abs(*dir)
	if err != nil {
		return fmt.Errorf("find %s: %w", *dir, err)
	}
	if err := os.MkdirAll(root, 0o755); err != nil {
		return fmt.Errorf("make %s: %w", root, err)
	}
	lock, err := only(root)
	if err != nil {
		return err
	}
	defer lock.Close()
	ctx, stop := stopping()
	defer stop()
	begun := time.Now()
	say := func(line string) { fmt.Println(line) }
	folder := cluster.Place(filepath.Join(root, "postgres"))
	if *reset {
		if err := beginAnew(root, folder, say); err != nil {
			return err
		}
	}
	db, err := cluster.Start(ctx, cluster.Options{Dir: folder, Say: say})
	if err != nil {
		return err
	}
	defer db.Stop()
	if err := db.Ensure(ctx, "incipit"); err != nil {
		return err
	}
	own, other, err := listenAsLast(root, *port)
	if err != nil {
		return err
	}
	if err := os.WriteFile(lock.Name(), fmt.Appendf(nil, "http://%s, process %d\n", own.Addr(), os.Getpid()), 0o644); err != nil {
		return fmt.Errorf("note where the demo runs: %w", err)
	}
	settings := map[string]string{
		"INCIPIT_ADDRESS":      own.Addr().String(),
		"INCIPIT_DATABASE_URL": db.URL("incipit"),
		"INCIPIT_BLOB_URL":     (&url.URL{Scheme: "file", Path: filepath.Join(root, "blobs")}).String(),
	}
	// A demo asks nobody outside, unless it is told to.
	if _, told := os.LookupEnv("INCIPIT_LINKS_EVERY_DAYS"); !told {
		settings["INCIPIT_LINKS_EVERY_DAYS"] = "0"
	}
	c, err := config.Read(func(name string) (string, bool) {
		if v, ok := settings[name]; ok {
			return v, true
		}
		return os.LookupEnv(name)
	})
	if err != nil {
		return badUse{fmt.Errorf("the configuration does not stand:\n%w", err)}
	}
	if err := database.Migrate(ctx, c.DatabaseURL); err != nil {
		return err
	}
	website, err := standin.Open(filepath.Join(root, "website"))
	if err != nil {
		return err
	}
	offered, err := demo.Offered()
	if err != nil {
		return err
	}
	website.Files = standin.NewFiles(offered)
	served := make(chan error, 1)
	go func() { served <- app.Serve(ctx, other, website.Handler()) }()
	// localhost is another site than 127.0.0.1, to a browser.
	websiteURL := fmt.Sprintf("http://localhost:%d", other.Addr().(*net.TCPAddr).Port)
	if err := warm(ctx, c); err != nil {
		return err
	}
	err = run(ctx, c, own, how{jobs: true, standIn: websiteURL + "/visiting"}, func(a *app.App) error {
		if err := demo.Seed(ctx, a, func(line string) { fmt.Println(line) }); err != nil {
			return err
		}
		go func() {
			if err := demo.Website(ctx, a, website); err != nil && ctx.Err() == nil {
				fmt.Fprintf(os.Stderr, "The website has no trial pages: %v\n", err)
			}
			if err := demo.Pages(ctx, a, website); err != nil && ctx.Err() == nil {
				fmt.Fprintf(os.Stderr, "The observatory has no pages here: %v\n", err)
			}
		}()
		fmt.Printf("\nReady after %.1f s.\n\n  Incipit    %s\n  sign in    %s\n  password   %s\n  website    %s\n\nCtrl-C stops both and the database; all data is kept in %s\n",
			time.Since(begun).Seconds(), c.PublicURL, demo.Email, demo.Password, websiteURL, root)
		return nil
	})
	stop()
	return errors.Join(err, <-served)
}

// only takes the data folder for this process alone, for as long as it lives.
func only(root string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(root, "running"), os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return nil, fmt.Errorf("take %s: %w", root, err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		where, _ := io.ReadAll(io.LimitReader(f, 200))
		f.Close()
		return nil, badUse{fmt.Errorf("the demo is running in %s already: %s\nStop it with Ctrl-C where it was started, or give this one another folder: make demo DEMO=other", root, strings.TrimSpace(string(where)))}
	}
	return f, nil
}

// beginAnew removes the demo's data, and nothing else.
func beginAnew(root, database string, say func(string)) error {
	if err := cluster.StopLeft(database, say); err != nil {
		return err
	}
	for _, dir := range []string{database, filepath.Join(root, "postgres"), filepath.Join(root, "blobs"), filepath.Join(root, "website")} {
		if err := os.RemoveAll(dir); err != nil {
			return fmt.Errorf("remove %s: %w", dir, err)
		}
	}
	return nil
}

// listenAsLast takes the ports that the demo had last, so that addresses stay, or
// those that are free, and notes them.
func listenAsLast(root string, wanted int) (own, other net.Listener, err error) {
	file := filepath.Join(root, "ports")
	last := [2]int{8080, 8081}
	if b, err := os.ReadFile(file); err == nil {
		_, _ = fmt.Sscan(string(b), &last[0], &last[1]) // else as at first
	}
	if wanted != 0 {
		last = [2]int{wanted, wanted + 1}
	}
	if own, err = listen("127.0.0.1", last[0]); err != nil {
		return nil, nil, err
	}
	if other, err = listen("127.0.0.1", last[1]); err != nil {
		return nil, nil, err
	}
	now := fmt.Sprintln(own.Addr().(*net.TCPAddr).Port, other.Addr().(*net.TCPAddr).Port)
	if err := os.WriteFile(file, []byte(now), 0o644); err != nil {
		return nil, nil, fmt.Errorf("note the ports: %w", err)
	}
	return own, other, nil
}

// listen takes the wanted port, or else any that is free.
func listen(host string, port int) (net.Listener, error) {
	if l, err := net.Listen("tcp", net.JoinHostPort(host, fmt.Sprint(port))); err == nil {
		return l, nil
	}
	l, err := net.Listen("tcp", net.JoinHostPort(host, "0"))
	if err != nil {
		return nil, fmt.Errorf("listen on %s: %w", host, err)
	}
	return l, nil
}

// warmUp compiles the PDF engine for the tests and for whoever serves next.
func warmUp() error {
	ctx, stop := stopping()
	defer stop()
	return warm(ctx, config.Config{EngineCache: config.EngineCache(), EngineDeadline: time.Minute})
}

// warm compiles the PDF engine into its cache folder, with a line that moves.
func warm(ctx context.Context, c config.Config) error {
	c.EngineWorkers = 2
	workers, err := engine(c, logger(c))
	if err != nil {
		return err
	}
	defer workers.Close()
	done := make(chan error, 1)
	begun := time.Now()
	go func() { done <- workers.Warm(ctx) }()
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case err := <-done:
			fmt.Printf("\rPDF engine ready after %.1f s                      \n", time.Since(begun).Seconds())
			return err
		case <-tick.C:
			fmt.Printf("\rPDF engine: compiling, %.0f s (once, 10 to 20 s)", time.Since(begun).Seconds())
		}
	}
}
