package intake_test

import (
	"bytes"
	"encoding/json"
	"html"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/unicode/norm"

	"incipit/internal/core/find"
	"incipit/internal/core/textflow"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
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
		out = append(out, textflow.Page{Number: i + 1, Label: s.Label, Width: s.Width, Height: s.Height, Runs: l.Runs, Links: l.Links,
			Blocks: l.Blocks, Figures: l.Figures})
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

// letters counts the letters and digits of a text.
func letters(text string) map[rune]int {
	out := map[rune]int{}
	for _, r := range norm.NFKC.String(text) {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			out[r]++
		}
	}
	return out
}

// files are the demo's documents and those that tests are made with.
func files(t *testing.T) map[string][]byte {
	t.Helper()
	out := map[string][]byte{"register": paper.Register(12), "layered": hostile.Layered()}
	for _, pattern := range []string{"../../demo/pdf/*.pdf", "testdata/*.pdf"} {
		names, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, name := range names {
			b, err := os.ReadFile(name)
			require.NoError(t, err)
			out[filepath.Base(name)] = b
		}
	}
	require.Greater(t, len(out), 10)
	return out
}

// What is on the page is in the order of reading, in what can be found and selected,
// and in the text view or among the lines that it says it leaves out: every letter,
// once.
func TestNoLetterIsLost(t *testing.T) {
	for name, b := range files(t) {
		t.Run(name, func(t *testing.T) {
			tagged := readFile(t, name, b)
			for how, pages := range map[string][]textflow.Page{"by structure": tagged, "by place": withoutTags(tagged)} {
				style := textflow.Learn(pages)
				var drawn, ordered, found, shown strings.Builder
				for _, p := range pages {
					for _, r := range p.Runs {
						drawn.WriteString(r.Text)
					}
					inOrder := textflow.InOrder(p)
					for _, r := range inOrder {
						ordered.WriteString(r.Text)
					}
					found.WriteString(find.Of(inOrder).Plain())
					for _, line := range style.Dropped(p) {
						shown.WriteString(line)
					}
				}
				for _, block := range textflow.Flow(pages, style) {
					shown.WriteString(block.Marker + block.Text)
					if block.Caption != nil {
						shown.WriteString(block.Caption.Text)
					}
					for _, span := range block.Spans {
						shown.WriteString(span.Ruby)
					}
					for _, row := range block.Rows {
						for _, cell := range row {
							shown.WriteString(cell.Text)
						}
					}
				}
				want := letters(drawn.String())
				assert.Equal(t, want, letters(ordered.String()), "%s: in order", how)
				assert.Equal(t, want, letters(found.String()), "%s: to be found", how)
				got := letters(shown.String())
				for r, n := range want {
					assert.GreaterOrEqual(t, got[r], n, "%s: %q in the text view", how, string(r))
				}
				if how == "by place" { // the structure's words for pictures come on top
					assert.Equal(t, want, got)
				}
			}
		})
	}
}

// Another reader's words are found, each of them that it finds at all. They are asked
// for with their boxes: in running text it writes words without white between them
// that it found side by side, a vertical line and its ruby for one. Boxed letters go
// from left to right, whichever way they are read.
func TestAnotherReadersWordsAreFound(t *testing.T) {
	other, err := exec.LookPath("pdftotext")
	if err != nil {
		t.Skip("pdftotext is missing: apt-get install poppler-utils")
	}
	boxed := regexp.MustCompile(`<word [^>]*>([^<]*)</word>`)
	for name, b := range files(t) {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "a.pdf")
			require.NoError(t, os.WriteFile(path, b, 0o600))
			theirs, err := exec.CommandContext(t.Context(), other, "-bbox", "-enc", "UTF-8", path, "-").Output()
			require.NoError(t, err)
			var plains []string
			for _, p := range readFile(t, name, b) {
				plains = append(plains, find.Of(textflow.InOrder(p)).Plain())
			}
			missed, all := map[string]bool{}, map[string]bool{}
			for _, box := range boxed.FindAllSubmatch(theirs, -1) {
				for _, word := range strings.FieldsFunc(html.UnescapeString(string(box[1])),
					func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.Is(unicode.M, r) }) {
					if strings.ContainsFunc(word, func(r rune) bool { return unicode.IsLetter(r) && unicode.In(r, unicode.Hebrew, unicode.Arabic) }) {
						letters := []rune(word)
						slices.Reverse(letters)
						word = string(letters)
					}
					if all[word] {
						continue
					}
					all[word] = true
					q, err := find.Ask(word, find.Options{})
					if err == nil && !slices.ContainsFunc(plains, func(plain string) bool { return len(q.In(plain)) > 0 }) {
						missed[word] = true
					}
				}
			}
			t.Logf("%d of %d words missed: %v", len(missed), len(all), slices.Sorted(maps.Keys(missed)))
			assert.LessOrEqual(t, float64(len(missed)), 0.002*float64(len(all)))
			if len(plains) > 0 && strings.Join(plains, "") != "" {
				assert.NotEmpty(t, all, "what the other reader prints is not understood")
			}
		})
	}
}
