package sandbox

import (
	"strings"

	"incipit/internal/pdf"
)

func outOfMemory() *pdf.Problem {
	return pdf.Problemf(pdf.OutOfMemory, "The file needs more memory than one document may use.")
}

// broken says what a trap of the module most likely means. PDFium ends itself
// with an "unreachable" instruction when an allocation fails.
func broken(trap string) *pdf.Problem {
	for _, sign := range []string{"out of memory", "unreachable", "malloc", "memory limit"} {
		if strings.Contains(trap, sign) {
			return outOfMemory()
		}
	}
	return pdf.Problemf(pdf.Damaged, "The file stopped the engine that reads it; it is damaged, or made to do harm.")
}
