package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/compare"
	"incipit/internal/testkit/paper"
)

// Editions that were made by known edits: just these are found.
func TestCompare(t *testing.T) {
	if testing.Short() {
		t.Skip("it starts the program a dozen times")
	}
	pages := paper.Waders()
	fresh := paper.Leaf{Words: strings.Repeat("The hides are open from sunrise and the key hangs at the desk. ", 6)}
	but := func(i int, change func(*paper.Leaf)) []paper.Leaf {
		out := slices.Clone(pages)
		change(&out[i])
		return out
	}
	dir := t.TempDir()
	old := filepath.Join(dir, "old.pdf")
	require.NoError(t, os.WriteFile(old, paper.Leaves(false, pages...), 0o600))
	for name, c := range map[string]struct {
		now            []paper.Leaf
		want           string // what is not the same
		added, removed int
	}{
		"resave": {pages, "", 0, 0},
		"insert": {slices.Insert(slices.Clone(pages), 3, fresh), "0>4 added", 78, 0},
		"delete": {slices.Delete(slices.Clone(pages), 0, 1), "1>0 removed", 0, 80},
		"move":   {append(slices.Delete(slices.Clone(pages), 1, 2), pages[1]), "2>8 moved", 0, 0},
		"retype": {but(4, func(l *paper.Leaf) { l.Words = strings.Replace(l.Words, "knot", "ruff", 1) }), "5>5 changed", 1, 1},
		"crop":   {but(2, func(l *paper.Leaf) { l.Entries = "/CropBox [0 0 500 842]" }), "3>3 changed", 0, 0},
		"rotate": {but(5, func(l *paper.Leaf) { l.Entries = "/Rotate 90" }), "6>6 changed", 0, 0},
		"colour": {but(6, func(l *paper.Leaf) { l.Colour = "0.7 0 0" }), "7>7 changed", 0, 0},
		"larger": {but(7, func(l *paper.Leaf) { l.Size = 13 }), "8>8 changed", 0, 0},
	} {
		now := filepath.Join(dir, name+".pdf")
		require.NoError(t, os.WriteFile(now, paper.Leaves(true, c.now...), 0o600))
		out, errs, code := shell(t, "compare", old, "--json", now)
		require.Zero(t, code, errs)
		var got compare.Comparison
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		var differs []string
		for _, p := range got.Pages {
			if p.Change != compare.Same {
				differs = append(differs, fmt.Sprintf("%d>%d %s", p.Old, p.New, p.Change))
			}
		}
		assert.Equal(t, c.want, strings.Join(differs, ", "), name)
		assert.Equal(t, compare.Words{Added: c.added, Removed: c.removed}, got.Words, name)
	}
	out, _, code := shell(t, "compare", old, filepath.Join(dir, "resave.pdf"))
	require.Zero(t, code)
	assert.Equal(t, "No change was found on the pages.\nwords: 0 added, 0 removed\n", out)
	_, errs, code := shell(t, "compare", old)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "name two files")
	_, errs, code = shell(t, "compare", old, "compare_test.go", "--json")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `{"error":`)
	assert.Contains(t, errs, "compare_test.go: ", "which of the two")
}
