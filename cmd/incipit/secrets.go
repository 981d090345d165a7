package main

import (
	"context"
	"errors"
	"fmt"

	"incipit/internal/config"
	"incipit/internal/nouns"
)

// secrets changes what seals are made with, where the database keeps that.
func secrets(args []string) error {
	if len(args) != 1 || args[0] != "renew" {
		return badUse{errors.New("secrets: say renew, to make another one")}
	}
	return onDatabase(func(ctx context.Context, c config.Config, s nouns.All) error {
		if len(c.Secrets) > 0 {
			return badUse{errors.New("secrets: they are those of INCIPIT_SECRETS; put another one before them there, and take the last one out a day later")}
		}
		if err := s.DB.NewSealSecret(ctx); err != nil {
			return err
		}
		fmt.Println("Another secret seals from now on. Readers who opened a document with a password read on.")
		return nil
	})
}
