// Package office makes PDFs of office documents (OpenDocument, ISO/IEC 26300; Office Open
// XML, ISO/IEC 29500; RTF) through LibreOffice, in a process that has no network, sees
// nothing of the machine but its programs, and is bounded in memory, time and what it
// writes (bubblewrap, prlimit). Where such a process cannot be had, nothing is converted.
package office

import (
	"archive/zip"
	"bytes"
	"io"
	"slices"
	"strings"
)

// Kind is a kind of office document: the ending that its files usually have.
type Kind string

// The kinds that are converted.
const (
	Text         Kind = "odt"
	Spreadsheet  Kind = "ods"
	Presentation Kind = "odp"
	WordText     Kind = "docx"
	WordSheet    Kind = "xlsx"
	WordSlides   Kind = "pptx"
	RichText     Kind = "rtf"
)

// Looks says whether a file may be an office document by how it begins.
func Looks(head []byte) bool {
	return bytes.HasPrefix(head, []byte("PK\x03\x04")) || bytes.HasPrefix(head, []byte(`{\rtf`))
}

// mostUnpacked bounds what a file unpacks to, in bytes, and mostEntries its parts.
const mostUnpacked, mostEntries = 1 << 30, 20_000

// KindOf tells the kind of a file by its content, whatever it is called; "" is none.
func KindOf(r io.ReaderAt, size int64) Kind {
	head := make([]byte, 5)
	if n, _ := r.ReadAt(head, 0); string(head[:n]) == `{\rtf` {
		return RichText
	}
	z, err := zip.NewReader(r, size)
	if err != nil || len(z.File) > mostEntries {
		return ""
	}
	var unpacked uint64
	var names []string
	for _, f := range z.File {
		if unpacked += f.UncompressedSize64; unpacked > mostUnpacked || f.UncompressedSize64 > mostUnpacked {
			return ""
		}
		names = append(names, f.Name)
	}
	if len(z.File) > 0 && z.File[0].Name == "mimetype" && z.File[0].UncompressedSize64 < 200 {
		f, err := z.File[0].Open()
		if err != nil {
			return ""
		}
		defer f.Close()
		b, _ := io.ReadAll(io.LimitReader(f, 200))
		return map[string]Kind{"text": Text, "spreadsheet": Spreadsheet, "presentation": Presentation}[strings.TrimPrefix(string(b), "application/vnd.oasis.opendocument.")]
	}
	if !slices.Contains(names, "[Content_Types].xml") {
		return ""
	}
	for name, kind := range map[string]Kind{"word/document.xml": WordText, "xl/workbook.xml": WordSheet, "ppt/presentation.xml": WordSlides} {
		if slices.Contains(names, name) {
			return kind
		}
	}
	return ""
}
