package naming_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/naming"
)

func TestTitle(t *testing.T) {
	for _, text := range []string{"Annual report 2025", "湿地の春", "Tides", "Où vont les bécasseaux", "Handbook: A guide",
		"Volunteers’ day, 2 May"} {
		assert.Equal(t, text, naming.Title("  "+text+" ", "scan0043.pdf"), text)
	}
	for _, text := range []string{"", "x", "12", "Untitled", "untitled-1", "Document1", "Microsoft Word - report final.doc", "report.indd",
		"manual.dvi", "Microsoft PowerPoint Presentation", "PowerPoint Presentation",
		"Slide 1", "scan0043", "final_NEW", "file:///home/x/y", `C:\docs\a`, "scan0043.pdf", "Bez nazwy 2", "a\uFFFDb\uFFFDcd", "Layout 1"} {
		assert.Empty(t, naming.Title(text, "scan0043.pdf"), text)
	}
	assert.Empty(t, naming.Title("Tide table", "Tide table.pdf"), "what the file is called is known")
}

func ExampleTitle() {
	fmt.Println(naming.Title("Microsoft Word - tides_v3.doc", "tides.pdf") == "", naming.Title("Tides of 2027", "tides.pdf"))
	// Output: true Tides of 2027
}
