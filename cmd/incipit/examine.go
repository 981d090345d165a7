package main

import (
	"context"
	"errors"
	"fmt"
	"strconv"

	"incipit/internal/config"
	"incipit/internal/intake"
	"incipit/internal/nouns"
)

// examine has documents examined again that could not be used: one by its number,
// or all. A running server does it.
func examine(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("examine: name the number of a document, or failed for all that cannot be used")}
	}
	return onDatabase(func(ctx context.Context, _ config.Config, s nouns.All) error {
		in := &intake.Intake{All: s}
		failed, err := s.Library.FailedEditions(ctx)
		if err != nil {
			return err
		}
		if args[0] != "failed" {
			n, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return badUse{fmt.Errorf("examine: %q is no number of a document", args[0])}
			}
			e, err := s.Library.CurrentEdition(ctx, n)
			if err != nil {
				return fmt.Errorf("there is no document %d", n)
			}
			failed = map[int64]int64{n: e.ID}
		}
		for document, edition := range failed {
			if err := in.Again(ctx, edition); err != nil {
				return err
			}
			fmt.Printf("Document %d is examined again.\n", document)
		}
		if len(failed) == 0 {
			fmt.Println("Every document can be used.")
		}
		return nil
	})
}
