package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"os"
	"time"

	"incipit/internal/core/compare"
	"incipit/internal/intake"
	"incipit/internal/pdf"
)

// compareBudget is what comparing two files may take.
const compareBudget = 58 * time.Second

// compareFiles says what became of the pages of a file in another edition of it.
func compareFiles(args []string) error {
	var asJSON bool
	return onFiles("compare", args, 2, compareBudget, func(f *flag.FlagSet) { f.BoolVar(&asJSON, "json", false, "") },
		func(ctx context.Context, engine pdf.Engine, src []pdf.Source) error {
			var editions [2][]compare.Page
			for i := range editions {
				var err error
				if editions[i], err = intake.ToCompare(ctx, engine, src[i], intake.TextsOf(engine, src[i]), 3, nil); err != nil {
					return inFile([]string{"The old one", "The new one"}[i], err)
				}
			}
			c := compare.Editions(editions[0], editions[1])
			if asJSON {
				return json.NewEncoder(os.Stdout).Encode(c)
			}
			differs := false
			for _, p := range c.Pages {
				switch p.Change {
				case compare.Added:
					fmt.Printf("page %d is new\n", p.New)
				case compare.Removed:
					fmt.Printf("page %d of the old one is gone\n", p.Old)
				case compare.Moved:
					fmt.Printf("page %d was page %d\n", p.New, p.Old)
				case compare.Changed:
					fmt.Printf("page %d was changed (page %d before)\n", p.New, p.Old)
				}
				differs = differs || p.Change != compare.Same
			}
			if !differs {
				fmt.Println("no change was found")
			}
			fmt.Printf("words: %d added, %d removed\n", c.Words.Added, c.Words.Removed)
			return nil
		})
}

// inFile says which of two files cannot be read.
func inFile(which string, err error) error {
	var p *pdf.Problem
	if errors.As(err, &p) {
		return pdf.Problemf(p.Kind, "%s: %s", which, p.Message)
	}
	return fmt.Errorf("%s: %w", which, err)
}
