package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"text/tabwriter"

	"incipit/internal/config"
	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/people"
)

// withDatabase reads the database of the environment for a command of the shell.
func withDatabase(run func(ctx context.Context, c config.Config) error) error {
	c, err := config.Read(func(name string) (string, bool) {
		v, ok := os.LookupEnv(name)
		if name == "INCIPIT_BLOB_URL" && !ok {
			return "file:///", true // files have no part in it
		}
		return v, ok
	})
	if err != nil {
		return badUse{fmt.Errorf("the configuration does not stand:\n%w", err)}
	}
	ctx, stop := stopping()
	defer stop()
	return run(ctx, c)
}

// onTables is withDatabase where the database has this program's schema; where it has not,
// the error says which command comes first.
func onTables(run func(ctx context.Context, c config.Config) error) error {
	return withDatabase(func(ctx context.Context, c config.Config) error {
		if err := database.Current(ctx, c.DatabaseURL); err != nil {
			return err
		}
		return run(ctx, c)
	})
}

// onDatabase opens it, too.
func onDatabase(run func(ctx context.Context, c config.Config, s nouns.All) error) error {
	return onTables(func(ctx context.Context, c config.Config) error {
		s, err := nouns.Open(ctx, c.DatabaseURL, database.Share(0))
		if err != nil {
			return err
		}
		defer s.DB.Close()
		return run(ctx, c, s)
	})
}

const accountUse = "write: account list | add EMAIL --name NAME | reset EMAIL | end EMAIL | suspend EMAIL | resume EMAIL | remove EMAIL"

// accounts lists, adds and lets back in who may sign in.
func accounts(args []string) error {
	flags := flag.NewFlagSet("account", flag.ContinueOnError)
	flags.SetOutput(io.Discard)
	name := flags.String("name", "", "")
	var words []string
	for len(args) > 0 {
		if err := flags.Parse(args); err != nil {
			return badUse{fmt.Errorf("account: %w; %s", err, accountUse)}
		}
		if args = flags.Args(); len(args) > 0 {
			words, args = append(words, args[0]), args[1:]
		}
	}
	does := map[string]int{"list": 1, "add": 2, "reset": 2, "end": 2, "suspend": 2, "resume": 2, "remove": 2}
	if len(words) == 0 || does[words[0]] != len(words) || words[0] == "add" && *name == "" {
		return badUse{errors.New("account: " + accountUse)}
	}
	return onDatabase(func(ctx context.Context, c config.Config, s nouns.All) error {
		a, err := people.NewAccounts(s.People)
		if err != nil {
			return err
		}
		offered := func(token string, err error) error {
			if errors.Is(err, database.ErrNotFound) {
				return fmt.Errorf("nobody has the address %s", words[1])
			}
			if err != nil {
				return err
			}
			fmt.Printf("%s chooses a password within 24 hours, once, at\n%s/new-password/%s\n", words[1], c.PublicURL, token)
			return nil
		}
		switch words[0] {
		case "list":
			return listAccounts(ctx, s)
		case "add":
			return offered(a.Add(ctx, *name, words[1]))
		case "reset":
			return offered(a.Reset(ctx, words[1]))
		}
		of, err := s.People.AccountByEmail(ctx, words[1])
		if err != nil {
			return offered("", err)
		}
		said := ""
		switch words[0] {
		case "suspend":
			err, said = s.People.Suspend(ctx, of.ID, true), "is suspended: signed out everywhere, and cannot sign in. What they made stays. account resume lets them in again."
		case "resume":
			err, said = s.People.Suspend(ctx, of.ID, false), "can sign in again, with the password they had."
		case "remove":
			err, said = s.People.Remove(ctx, of.ID), "is removed and signed out everywhere. What they made stays."
		default:
			var n int
			n, err = s.People.EndSignIns(ctx, of.ID, 0, "")
			said = fmt.Sprintf("is signed out: %d sign-ins have ended.", n)
		}
		if errors.Is(err, people.ErrLast) {
			return fmt.Errorf("%s is as before: %w (account add)", of.Email, err)
		}
		if err == nil {
			fmt.Printf("%s %s\n", of.Email, said)
		}
		return err
	})
}

func listAccounts(ctx context.Context, s nouns.All) error {
	all, err := s.People.Accounts(ctx)
	if err != nil {
		return err
	}
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	fmt.Fprintln(out, "ADDRESS\tNAME\tSINCE\tSIGNED IN\t")
	for _, a := range all {
		ins, err := s.People.SignIns(ctx, a.ID)
		if err != nil {
			return err
		}
		note := ""
		if a.Owner {
			note = "owner"
		}
		switch {
		case a.SuspendedAt != nil:
			note = "suspended since " + a.SuspendedAt.Format("2006-01-02")
		case a.PasswordHash == "":
			note = "no password yet"
		}
		fmt.Fprintf(out, "%s\t%s\t%s\t%d\t%s\n", a.Email, a.Name, a.CreatedAt.Format("2006-01-02"), len(ins), note)
	}
	return out.Flush()
}
