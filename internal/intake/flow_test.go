package intake_test

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/textflow"
)

var update = flag.Bool("update", false, "write the text views anew; read them before you keep them")

// flowPages reads the pages of a demo document as the text view needs them.
func flowPages(t *testing.T, file string) []textflow.Page {
	t.Helper()
	b, err := demo.PDF(file)
	require.NoError(t, err)
	return readFile(t, file, b)
}

// The text views in testdata were read by eye against the documents. Each
// document is set twice: by its tags, and as if it had none.
func TestTextViews(t *testing.T) {
	for _, file := range []string{"survey-paper.pdf", "volunteer-handbook.pdf", "leaflet-welcome.pdf", "spring-notes.pdf", "annual-report.pdf"} {
		pages := flowPages(t, file)
		for _, how := range []string{"tagged", "plain"} {
			t.Run(file+" "+how, func(t *testing.T) {
				if how == "plain" {
					for i := range pages {
						pages[i].Blocks = nil
					}
				}
				got := textflow.HTML(textflow.Flow(pages, textflow.Learn(pages)), textflow.Setting{
					Mark:  func(page int) string { return fmt.Sprintf("[%s]", pages[page-1].Label) },
					Blank: func(int) string { return "" },
				})
				golden := filepath.Join("testdata", strings.TrimSuffix(file, ".pdf")+"-"+how+".html")
				if *update {
					require.NoError(t, os.WriteFile(golden, []byte(got), 0o644))
				}
				want, err := os.ReadFile(golden)
				require.NoError(t, err)
				assert.Equal(t, string(want), got)
			})
		}
	}
}
