package main

import (
	"context"
	"flag"
	"fmt"

	"incipit/internal/config"
	"incipit/internal/database"
)

// migrate brings the database to the newest schema, for who wants it done before servers
// start: they do it, too, one after the other.
func migrate(args []string) error {
	if err := parse(flag.NewFlagSet("migrate", flag.ContinueOnError), args); err != nil {
		return err
	}
	return withDatabase(func(ctx context.Context, c config.Config) error {
		if err := database.Migrate(ctx, c.DatabaseURL); err != nil {
			return err
		}
		fmt.Printf("The database has schema %d\n", database.Newest())
		return nil
	})
}
