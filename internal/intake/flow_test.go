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
	"incipit/internal/testkit/paper"
)

var update = flag.Bool("update", false, "write the text views anew; read them before you keep them")

// flowPages reads the pages of a demo document, or of one that tests are made with,
// as the text view needs them.
func flowPages(t *testing.T, file string) []textflow.Page {
	t.Helper()
	if file == "manual.pdf" {
		return readFile(t, file, paper.Manual(3, 24))
	}
	b, err := demo.PDF(file)
	if err != nil {
		b, err = os.ReadFile(filepath.Join("testdata", file))
	}
	require.NoError(t, err)
	return readFile(t, file, b)
}

// The text views in testdata were read by eye against the documents. Each
// document is set twice: by its tags, and as if it had none.
func TestTextViews(t *testing.T) {
	for _, file := range []string{"survey-paper.pdf", "volunteer-handbook.pdf", "leaflet-welcome.pdf", "spring-notes.pdf",
		"annual-report.pdf", "survey-form.pdf", "tide-table.pdf", "trail-map.pdf", "logbook-1953.pdf", "kinds.pdf", "scripts.pdf", "manual.pdf"} {
		pages := flowPages(t, file)
		for _, how := range []string{"tagged", "plain"} {
			t.Run(file+" "+how, func(t *testing.T) {
				if how == "plain" {
					for i := range pages {
						pages[i].Blocks = nil
					}
				}
				style := textflow.Learn(pages)
				var labels []string
				for _, p := range pages {
					labels = append(labels, p.Label)
				}
				got := textflow.HTML(textflow.Flow(pages, style), textflow.Setting{
					Language: style.Language,
					Mark:     func(page int) string { return fmt.Sprintf("[%s]", pages[page-1].Label) },
					Blank:    func(page int) string { return "no text" },
					To:       func(page int) string { return fmt.Sprintf("#t%d", page) },
					Printed:  func(number string) int { return style.PageOf(number, labels) },
					Figure:   func(page int) string { return fmt.Sprintf("picture on page %d", page) },
					Image: func(page int) textflow.PageImage {
						return textflow.PageImage{Address: fmt.Sprintf("page-%d", page), Width: pages[page-1].Width, Height: pages[page-1].Height}
					},
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
