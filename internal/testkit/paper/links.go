package paper

import (
	"fmt"

	"incipit/internal/testkit/hostile"
)

// WebLinks is a page with a link to each address, below each other.
func WebLinks(addresses ...string) []byte {
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>", ""}
	annots := ""
	for i, address := range addresses {
		objects = append(objects, fmt.Sprintf("<</Type /Annot /Subtype /Link /Rect [10 %d 190 %d] /Border [0 0 0] /A <</S /URI /URI (%s)>>>>", 20*i+4, 20*i+18, address))
		annots += fmt.Sprintf("%d 0 R ", len(objects))
	}
	objects[2] = fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Annots [%s]>>", annots)
	return hostile.Build(objects...)
}
