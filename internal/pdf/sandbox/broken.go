package sandbox

import "incipit/internal/pdf"

// broken says what a trap of the module means: that it was denied memory, if
// it was, and else that the file is not as it should be.
func (e *engine) broken() *pdf.Problem {
	if e.memory.denied {
		return pdf.Problemf(pdf.OutOfMemory, "The file needs more memory than one document may use.")
	}
	return pdf.Problemf(pdf.Damaged, "The file stopped the engine that reads it; it is damaged, or made to do harm.")
}
