package pdf

import (
	"bytes"
	"errors"
	"fmt"
)

// Kind says what is wrong with a file.
type Kind string

// The kinds of problem a file can have.
const (
	NotPDF        Kind = "not-a-pdf"
	Damaged       Kind = "damaged"
	NeedsPassword Kind = "needs-a-password"
	TooLarge      Kind = "too-large"
	TooManyPages  Kind = "too-many-pages"
	TookTooLong   Kind = "took-too-long"
	OutOfMemory   Kind = "out-of-memory"
	NoSuchPage    Kind = "no-such-page"
	NoConverter   Kind = "no-converter" // an office document, and nothing to make a PDF of it with
	Unwritable    Kind = "cannot-be-written-into"
	Unconverted   Kind = "not-converted" // an office document of which no PDF could be made
)

// Problem is an error that is the file's own fault. Message is a sentence for
// a person.
type Problem struct {
	Kind    Kind   `json:"kind"`
	Message string `json:"message"`
}

// ErrAway is given where the engine itself cannot be had for a while, or gets too little
// of the processors to go on; no file is to blame.
var ErrAway = errors.New("the PDF engine cannot be had just now")

func (p *Problem) Error() string { return string(p.Kind) + ": " + p.Message }

// Problemf makes a Problem with a formatted message.
func Problemf(kind Kind, format string, args ...any) *Problem {
	return &Problem{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// KindOf gives the kind of a Problem anywhere in an error's chain, or "".
func KindOf(err error) Kind {
	var p *Problem
	if errors.As(err, &p) {
		return p.Kind
	}
	return ""
}

// HeadLength is how many bytes of a file's start CheckHead wants to see.
const HeadLength = 64<<10 + len(header)

const header = "%PDF-"

// HeaderAt is where in a file its header stands, in bytes, or -1.
func HeaderAt(head []byte) int { return bytes.Index(head, []byte(header)) }

// MaxBytes is the largest file that may be handed to the engine, whatever the
// configuration says: from 4 GiB on its page counts are nonsense.
const MaxBytes = 1<<32 - 1

// CheckHead decides by content whether a file can be a PDF: its header (ISO 32000-2,
// 7.5.2) must stand within the first 64 KB. Bytes before it are passed over, as
// readers do. Name and declared type are not asked.
func CheckHead(head []byte) error {
	if len(head) > HeadLength {
		head = head[:HeadLength]
	}
	if len(head) == 0 {
		return Problemf(NotPDF, "The file is empty.")
	}
	if HeaderAt(head) < 0 {
		return Problemf(NotPDF, "The file does not begin like a PDF.")
	}
	return nil
}
