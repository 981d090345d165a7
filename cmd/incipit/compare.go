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

// lookBudget is the work that pages may take that are looked at closely; what is left then
// is told.
const lookBudget = 30 * time.Second

// lookClosely looks at the pages that need it, as far as the budget goes.
func lookClosely(ctx context.Context, engine pdf.Engine, src []pdf.Source, editions [2][]compare.Page, c *compare.Comparison) error {
	var meter pdf.Meter
	ctx = pdf.Metered(ctx, &meter)
	sight := intake.Sight{Engine: engine, Source: [2]pdf.Source{src[0], src[1]}, Sheets: editions}
	must, _ := c.ToLook(editions[0], editions[1])
	for _, p := range must {
		if meter.Used() >= lookBudget {
			return nil
		}
		r, drawn, err := sight.Look(ctx, p)
		if err != nil {
			return fmt.Errorf("look closely at page %d: %w", p.New, err)
		}
		if drawn {
			c.Looked(p, r)
		}
	}
	return nil
}

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
			if err := lookClosely(ctx, engine, src, editions, &c); err != nil {
				return err
			}
			if asJSON {
				return json.NewEncoder(os.Stdout).Encode(c)
			}
			for _, p := range c.Pages {
				if p.Change != compare.Same {
					fmt.Println(p.Said())
				}
			}
			pages, _ := c.Said()
			fmt.Println(pages)
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
