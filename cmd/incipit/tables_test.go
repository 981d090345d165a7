package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
)

// On a database without tables each command that needs them says which one comes first.
func TestEveryCommandSaysWhatComesFirst(t *testing.T) {
	t.Setenv("INCIPIT_DATABASE_URL", testkit.EmptyDatabase(t))
	t.Setenv("INCIPIT_BLOB_URL", "file://"+t.TempDir())
	t.Setenv("INCIPIT_PUBLIC_URL", "http://127.0.0.1:1")
	page := filepath.Join(t.TempDir(), "page.html")
	require.NoError(t, os.WriteFile(page, []byte("<p>Birds</p>"), 0o600))
	for name, run := range map[string]func() error{
		"account":   func() error { return accounts([]string{"list"}) },
		"secrets":   func() error { return secrets([]string{"renew"}) },
		"examine":   func() error { return examine([]string{"failed"}) },
		"backup":    func() error { return backUp([]string{filepath.Join(t.TempDir(), "b.tar")}) },
		"into":      func() error { return backUp([]string{"--into", t.TempDir()}) },
		"export":    func() error { return export([]string{filepath.Join(t.TempDir(), "out")}) },
		"import":    func() error { return takeIn([]string{t.TempDir()}) },
		"checkhost": func() error { return checkHost([]string{page}) },
	} {
		err := run()
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), "incipit migrate", name)
	}
	t.Setenv("INCIPIT_BLOB_URL", "")
	for name, run := range map[string]func() error{
		"backup":  func() error { return backUp([]string{filepath.Join(t.TempDir(), "b.tar")}) },
		"restore": func() error { return restoreFrom([]string{"b.tar"}) },
		"import":  func() error { return takeIn([]string{t.TempDir()}) },
	} {
		assert.ErrorContains(t, run(), "INCIPIT_BLOB_URL", name)
	} // The name of one is said of a folder alone.
	file := filepath.Join(t.TempDir(), "b.tar")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	assert.ErrorAs(t, restoreFrom([]string{file, "2026-12-02T100000.000Z"}), &badUse{})
}
