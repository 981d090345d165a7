package nouns_test

import (
	"errors"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func TestWhatIsMissingIsSaid(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	for name, f := range map[string]func() error{
		"edition":   func() error { _, err := s.Library.Edition(ctx, 9); return err },
		"document":  func() error { _, err := s.Library.Document(ctx, 9); return err },
		"placement": func() error { _, err := s.Placing.PlacementByKey(ctx, "x"); return err },
		"title":     func() error { return s.Library.Retitle(ctx, 9, "x") },
		"removal":   func() error { return s.Library.RemoveDocument(ctx, 9, "Maren Oakes") },
		"account":   func() error { _, err := s.People.AccountByEmail(ctx, "x"); return err },
		"publish":   func() error { return s.Placing.Publish(ctx, 9, 9, 9, setting.Default()) },
	} {
		assert.True(t, errors.Is(f(), database.ErrNotFound), name)
	}
}
