package intake_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/unicode/norm"

	"incipit/internal/core/textflow"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// readFile gives all pages of a file as the engine reads them.
func readFile(t *testing.T, name string, b []byte) []textflow.Page {
	t.Helper()
	engine := testkit.Engine(t)
	src := pdf.Source{ID: name, Size: int64(len(b)), Bytes: bytes.NewReader(b)}
	cover, err := engine.Cover(t.Context(), src)
	require.NoError(t, err)
	sheets, err := engine.Sheets(t.Context(), src, 1, cover.Pages)
	require.NoError(t, err)
	var out []textflow.Page
	for i, s := range sheets {
		l, err := engine.Layer(t.Context(), src, i+1)
		require.NoError(t, err)
		out = append(out, textflow.Page{Number: i + 1, Label: s.Label, Width: s.Width, Height: s.Height, Runs: l.Runs, Blocks: l.Blocks})
	}
	return out
}

// withoutTags gives pages as if they had no structure.
func withoutTags(pages []textflow.Page) []textflow.Page {
	out := make([]textflow.Page, len(pages))
	for i, p := range pages {
		p.Blocks = nil
		runs := p.Runs[:0:0]
		for _, r := range p.Runs {
			r.Block = 0
			runs = append(runs, r)
		}
		p.Runs = runs
		out[i] = p
	}
	return out
}

// Pages read as they were written, in every script, however they are set: by their
// structure, and by place alone. What is wanted was known before they were made
// (see demo/make/scripts.go).
func TestPagesReadAsTheyWereWritten(t *testing.T) {
	b, err := os.ReadFile(filepath.Join("testdata", "scripts.pdf"))
	require.NoError(t, err)
	list, err := os.ReadFile(filepath.Join("testdata", "scripts.json"))
	require.NoError(t, err)
	var wanted []struct {
		Name   string
		Wanted []string
		Words  bool
	}
	require.NoError(t, json.Unmarshal(list, &wanted))
	tagged := readFile(t, "scripts", b)
	require.Len(t, tagged, len(wanted))
	for how, pages := range map[string][]textflow.Page{"by structure": tagged, "by place": withoutTags(tagged)} {
		for i, p := range pages {
			t.Run(wanted[i].Name+" "+how, func(t *testing.T) {
				var got []string
				for _, block := range textflow.Flow([]textflow.Page{p}, textflow.Learn([]textflow.Page{p})) {
					got = append(got, norm.NFC.String(block.Text))
				}
				if wanted[i].Words {
					assert.ElementsMatch(t, strings.Fields(strings.Join(wanted[i].Wanted, " ")), strings.Fields(strings.Join(got, " ")))
					return
				}
				assert.Equal(t, norm.NFC.String(strings.Join(wanted[i].Wanted, "\n")), strings.Join(got, "\n"))
			})
		}
	}
}
