package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"time"

	"incipit/internal/app"
	"incipit/internal/config"
	"incipit/internal/core/address"
	"incipit/internal/inout"
)

// export writes everything that editors made into a folder that people can read.
func export(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("export: say the folder to write into; it must be empty, or not there yet")}
	}
	return withApp(false, func(ctx context.Context, a *app.App) error {
		s := inout.Source{All: a.All, Blobs: a.Blobs, Tell: tell, PageHTML: func(ctx context.Context, path string) ([]byte, error) {
			answer := httptest.NewRecorder()
			r := httptest.NewRequestWithContext(ctx, http.MethodGet, a.Config.PublicURL+address.Page(path), nil)
			if a.Router.ServeHTTP(answer, r); answer.Code != http.StatusOK {
				return nil, fmt.Errorf("the page %s answers with status %d", address.Page(path), answer.Code)
			}
			return answer.Body.Bytes(), nil
		}}
		begun := time.Now()
		n, err := s.Write(ctx, args[0])
		if err != nil {
			return err
		}
		fmt.Printf("%s: %s, in %.0f s\n", args[0], counted(n), time.Since(begun).Seconds())
		return nil
	})
}

// takeIn takes such a folder into this installation.
func takeIn(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("import: say the folder that incipit export wrote")}
	}
	return withApp(true, func(ctx context.Context, a *app.App) error {
		var missed []string
		t := inout.Target{All: a.All, Blobs: a.Blobs, Intake: a.Intake, Who: "import", Tell: tell, Left: func(line string) {
			tell("") // what stands on the terminal's line makes way
			fmt.Fprintf(os.Stderr, "Left out: %s\n", line)
			missed = append(missed, line)
		}}
		begun := time.Now()
		n, left, err := t.Read(ctx, args[0])
		if len(missed) > 0 {
			kept, failed := keepList(missed)
			if failed != nil {
				return errors.Join(err, failed)
			}
			fmt.Fprintf(os.Stderr, "What was left out is listed in %s\n", kept)
		}
		if err != nil {
			return fmt.Errorf("%w. What was taken in by then is here: %s", err, counted(n))
		}
		fmt.Printf("%s, in %.0f s\n", counted(n), time.Since(begun).Seconds())
		if left > 0 {
			return fmt.Errorf("%d things were left out, as said above", left)
		}
		return nil
	})
}

// keepList keeps what was left out in a file of its own in the folder that the command was
// called in, or, where that takes none, among temporary files.
func keepList(lines []string) (path string, err error) {
	name := "incipit-left-out-*.txt"
	f, err := os.CreateTemp(".", name)
	if err != nil {
		f, err = os.CreateTemp("", name)
	}
	if err != nil {
		return "", fmt.Errorf("keep the list of what was left out: %w", err)
	}
	if _, err := f.WriteString(strings.Join(lines, "\n") + "\n"); err != nil {
		return "", fmt.Errorf("keep the list of what was left out: %w", err)
	}
	return f.Name(), f.Close()
}

func counted(n inout.Counted) string {
	return fmt.Sprintf("%d documents, %d editions, %d placements, %d collections, %d web pages, %d pictures",
		n.Documents, n.Editions, n.Placements, n.Collections, n.WebPages, n.Pictures)
}

// withApp opens the installation that the environment names, with its engine, beside servers
// that may run; with jobs, it works them, too.
func withApp(jobs bool, do func(context.Context, *app.App) error) error {
	if err := storeNamed(); err != nil {
		return err
	}
	return onTables(func(ctx context.Context, c config.Config) error {
		log := logger(c)
		workers, err := engine(c, log)
		if err != nil {
			return err
		}
		defer workers.Close()
		a, err := app.New(ctx, app.Options{Config: c, Engine: workers, Log: log})
		if err != nil {
			return err
		}
		defer a.Close()
		if jobs {
			if err := a.Work(ctx); err != nil {
				return err
			}
			defer a.Rest(context.WithoutCancel(ctx))
		}
		return do(ctx, a)
	})
}
