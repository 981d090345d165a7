// Package office makes PDFs of office documents (OpenDocument, ISO/IEC 26300; Office Open
// XML, ISO/IEC 29500; RTF) through LibreOffice, in a process that has no network, sees
// nothing of the machine but its programs, and is bounded in memory, time and what it
// writes (bubblewrap, prlimit). Where such a process cannot be had, nothing is converted.
package office

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"errors"
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

// ErrDamaged is given for what begins as office documents do, and has no list of its parts:
// its end is missing, or something else stands there.
var ErrDamaged = errors.New("begins like an office document, and is cut off or damaged")

// KindOf tells the kind of a file by its content, whatever it is called; "" is none.
func KindOf(r io.ReaderAt, size int64) (Kind, error) {
	head := make([]byte, 5)
	if n, _ := r.ReadAt(head, 0); string(head[:n]) == `{\rtf` {
		return RichText, nil
	}
	z, err := zip.NewReader(r, size)
	if err != nil && begins(r) {
		return "", ErrDamaged
	}
	if err != nil || len(z.File) > mostEntries {
		return "", nil
	}
	return kindOf(z), nil
}

// firstParts begin the name of the first part of an office document, by their standards or
// by what the programs that write most of them do.
var firstParts = []string{"[Content_Types].xml", "_rels/", "docProps/", "word/", "xl/", "ppt/"}

// begins says whether an archive's first part is one that office documents begin with
// (APPNOTE.TXT 4.3.7: the head of a part has the length of its name at 26).
func begins(r io.ReaderAt) bool {
	head := make([]byte, 30+200)
	n, _ := r.ReadAt(head, 0)
	if n < 30 || !bytes.HasPrefix(head, []byte("PK\x03\x04")) {
		return false
	}
	length, extra := int(binary.LittleEndian.Uint16(head[26:])), int(binary.LittleEndian.Uint16(head[28:]))
	name := string(head[30:min(30+length, n)])
	if name == "mimetype" {
		return bytes.HasPrefix(head[min(30+length+extra, n):n], []byte(openDocument))
	}
	return slices.ContainsFunc(firstParts, func(first string) bool { return strings.HasPrefix(name, first) })
}

const openDocument = "application/vnd.oasis.opendocument."

func kindOf(z *zip.Reader) Kind {
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
		return map[string]Kind{"text": Text, "spreadsheet": Spreadsheet, "presentation": Presentation}[strings.TrimPrefix(string(b), openDocument)]
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
