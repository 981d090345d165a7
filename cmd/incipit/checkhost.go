package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"incipit/internal/core/embed"
	"incipit/internal/database"
	"incipit/internal/desk"
	"incipit/internal/fetch"
	"incipit/internal/nouns"
)

// checkHost checks the source of a web page, from a file or with - from standard
// input. Placements are known where the environment names a database; without
// one the check goes by the source alone. It ends with status 1 where readers
// see a fault.
func checkHost(args []string) error {
	flags := flag.NewFlagSet("checkhost", flag.ContinueOnError)
	asJSON := flags.Bool("json", false, "")
	site := flags.String("site", os.Getenv("INCIPIT_PUBLIC_URL"), "")
	address := flags.String("address", "", "")
	column := flags.Float64("column", 0, "")
	if len(args) == 0 {
		return badUse{errors.New("checkhost: which file?")}
	}
	file := args[0]
	if err := flags.Parse(args[1:]); err != nil {
		return badUse{err}
	}
	if *site == "" {
		return badUse{errors.New("checkhost: name our address with --site or INCIPIT_PUBLIC_URL")}
	}
	read := os.Stdin
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return fmt.Errorf("open the page: %w", err)
		}
		defer f.Close()
		read = f
	}
	source, err := io.ReadAll(io.LimitReader(read, 16<<20))
	if err != nil {
		return fmt.Errorf("read the page: %w", err)
	}
	text, err := fetch.Decode(source, "")
	if err != nil {
		return err
	}
	var known *desk.Known
	w := embed.Where{Ours: *site, Address: *address, Column: *column}
	if db := os.Getenv("INCIPIT_DATABASE_URL"); db != "" {
		ctx := context.Background()
		if err := database.Current(ctx, db); err != nil {
			return err
		}
		s, err := nouns.Open(ctx, db, database.Share(0))
		if err != nil {
			return err
		}
		defer s.DB.Close()
		known = desk.Know(ctx, s)
		w = known.In(w)
	}
	found := embed.Check(text, w)
	if known != nil && known.Failed != nil {
		return known.Failed
	}
	if *asJSON {
		out := json.NewEncoder(os.Stdout)
		out.SetEscapeHTML(false)
		out.SetIndent("", "  ")
		if err := out.Encode(map[string]any{"findings": found}); err != nil {
			return fmt.Errorf("write the findings: %w", err)
		}
	} else {
		for _, f := range found {
			fmt.Printf("%s:%d: %s: %s. %s\n", file, f.Line, f.Level, f.Title, f.Text)
		}
	}
	for _, f := range found {
		if f.Level == embed.Must {
			os.Exit(1)
		}
	}
	return nil
}
