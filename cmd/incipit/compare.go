package main

import (
	"context"
	"encoding/json"
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
			old, err := intake.ToCompare(ctx, engine, src[0], 3, nil)
			if err != nil {
				return err
			}
			now, err := intake.ToCompare(ctx, engine, src[1], 3, nil)
			if err != nil {
				return err
			}
			c := compare.Editions(old, now)
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
				fmt.Println("nothing visible changed")
			}
			fmt.Printf("words: %d added, %d removed\n", c.Words.Added, c.Words.Removed)
			return nil
		})
}
