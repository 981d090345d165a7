// Package hostile makes files that mean harm, or have come to some: what an
// editor may be sent, and must not be able to break anything with.
package hostile

import (
	"bytes"
	"compress/flate"
	_ "embed"
	"encoding/binary"
	"fmt"
	"strings"
)

//go:embed testdata/locked.pdf
var locked []byte

// Password opens Locked.
const Password = "sluice"

// Locked is a file that asks for a password (AES-256), made with qpdf.
func Locked() []byte { return locked }

//go:embed testdata/forbids.pdf
var forbids []byte

// Forbids is a file that opens for anybody and forbids printing and copying, made
// with qpdf.
func Forbids() []byte { return forbids }

// Build writes a PDF of objects; the first one must be the catalog.
func Build(objects ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n")
	offsets := make([]int, len(objects))
	for i, o := range objects {
		offsets[i] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, offset := range offsets {
		fmt.Fprintf(&b, "%010d 00000 n \n", offset)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d /Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, at)
	return b.Bytes()
}

// Stream writes a stream object with dictionary entries.
func Stream(entries, content string) string {
	return fmt.Sprintf("<<%s /Length %d>>\nstream\n%s\nendstream", entries, len(content), content)
}

// OnePage writes a one-page PDF with a media box and page entries; further
// objects are numbered from 4.
func OnePage(box, entries string, more ...string) []byte {
	return Build(append([]string{
		"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [%s] %s>>", box, entries),
	}, more...)...)
}

// HugePage is a page of 20,000 × 20,000 points, with a frame drawn on it.
func HugePage() []byte {
	return OnePage("0 0 20000 20000", "/Contents 4 0 R", Stream("", "200 w 500 500 19000 19000 re S"))
}

// ThinPage is a page a hundred points wide and 20,000 high.
func ThinPage() []byte {
	return OnePage("0 0 100 20000", "/Contents 4 0 R", Stream("", "10 w 20 20 60 19960 re S"))
}

// FormBomb is a page whose drawing calls a form that calls a form, wide times
// at each of depth levels: wide to the power of depth drawings.
func FormBomb(depth, wide int) []byte {
	objects := []string{}
	for level := range depth {
		next := 5 + level
		calls := strings.Repeat("/F Do ", wide)
		resources := fmt.Sprintf("/Resources <</XObject <</F %d 0 R>>>>", next+1)
		if level == depth-1 {
			calls, resources = "0 0 m 90 90 l 10 80 l 80 10 l h f", "/Resources <<>>"
		}
		objects = append(objects, Stream("/Type /XObject /Subtype /Form /BBox [0 0 100 100] "+resources, calls))
	}
	return OnePage("0 0 100 100", "/Contents 4 0 R /Resources <</XObject <</F 5 0 R>>>>", append([]string{Stream("", "/F Do")}, objects...)...)
}

// Endless is a page whose colour is computed, for each pixel, by a program of
// so many steps (ISO 32000-2, 7.10.5): little memory, no end of time.
func Endless(steps int) []byte {
	function := Stream("/FunctionType 4 /Domain [0 1 0 1] /Range [0 1 0 1 0 1]", "{ add "+strings.Repeat("sqrt ", steps)+"dup dup }")
	return OnePage("0 0 600 600", "/Contents 4 0 R /Resources <</Shading <</S 5 0 R>>>>",
		Stream("", "q 600 0 0 600 0 0 cm /S sh Q"),
		"<</ShadingType 1 /ColorSpace /DeviceRGB /Domain [0 1 0 1] /Function 6 0 R>>", function)
}

// Inflated is a page whose drawing is a thousand times as long as the file:
// size bytes of spaces, compressed.
func Inflated(size int) []byte {
	return OnePage("0 0 100 100", "/Contents 4 0 R", Stream("/Filter /FlateDecode", squeeze(size, ' ')))
}

// Poster is a page with a picture of side × side pixels, all black.
func Poster(side int) []byte {
	picture := fmt.Sprintf("/Type /XObject /Subtype /Image /Width %d /Height %d /BitsPerComponent 8 /ColorSpace /DeviceRGB /Filter /FlateDecode", side, side)
	return OnePage("0 0 600 600", "/Contents 4 0 R /Resources <</XObject <</I 5 0 R>>>>",
		Stream("", "q 600 0 0 600 0 0 cm /I Do Q"), Stream(picture, squeeze(3*side*side, 0)))
}

// squeeze is a zlib stream (RFC 1950) of size times b. A block of it is compressed once
// and repeated, each on its own: to compress hundreds of megabytes takes a minute.
func squeeze(size int, b byte) string {
	const long = 1 << 20
	var out bytes.Buffer
	out.Write([]byte{0x78, 0x01})
	block := deflated(bytes.Repeat([]byte{b}, min(size, long)))
	for range size / long {
		out.Write(block)
	}
	if rest := size % long; rest > 0 {
		out.Write(deflated(bytes.Repeat([]byte{b}, rest)))
	}
	out.Write([]byte{0x03, 0x00}) // the last block, which is empty
	const base = 65521            // Adler-32 of equal bytes, as RFC 1950 defines it
	n, each := uint64(size), uint64(b)
	low := (1 + n*each) % base
	high := (n + n*(n+1)/2%base*each) % base
	return string(binary.BigEndian.AppendUint32(out.Bytes(), uint32(high<<16|low)))
}

// deflated is one run of blocks (RFC 1951) that ends at a byte and is not the last.
func deflated(content []byte) []byte {
	var out bytes.Buffer
	w, err := flate.NewWriter(&out, flate.BestSpeed)
	if err != nil {
		panic(err) // the level is one of flate's own
	}
	_, _ = w.Write(content) // a buffer does not fail
	_ = w.Flush()
	return out.Bytes()
}

// Linked is a page with links that a reader must not be able to follow, and
// one that may be followed. Its title means to be script.
func Linked() []byte {
	link := func(action string) string {
		return "<</Type /Annot /Subtype /Link /Rect [10 10 90 30] /Border [0 0 0] /A <<" + action + ">>>>"
	}
	return Build(
		"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Annots [4 0 R 5 0 R 6 0 R 7 0 R 8 0 R]>>",
		link("/S /URI /URI (javascript:alert\\(1\\))"), link("/S /URI /URI (file:///etc/passwd)"),
		link("/S /JavaScript /JS (app.alert\\(1\\))"), link("/S /Launch /F (/bin/sh)"),
		link("/S /URI /URI (https://harrowmere.example/?a=1&b=\"x\")"),
	)
}

// Circle is an outline whose entries are each other's children and siblings.
func Circle() []byte {
	return Build(
		"<</Type /Catalog /Pages 2 0 R /Outlines 4 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 100 100]>>", "<</First 5 0 R /Last 6 0 R>>",
		"<</Title (one) /Next 6 0 R /First 6 0 R /Last 5 0 R /Parent 4 0 R>>",
		"<</Title (two) /Next 5 0 R /First 5 0 R /Last 6 0 R /Parent 4 0 R>>",
	)
}

// ManyPages has n empty pages.
func ManyPages(n int) []byte {
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", ""}
	var kids strings.Builder
	for i := range n {
		fmt.Fprintf(&kids, "%d 0 R ", i+3)
		objects = append(objects, "<</Type /Page /Parent 2 0 R /MediaBox [0 0 200 300]>>")
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", kids.String(), n)
	return Build(objects...)
}

// Truncated keeps the first half of a file.
func Truncated(b []byte) []byte { return b[:len(b)/2] }

// HTML is a web page that somebody named like a PDF.
func HTML() []byte {
	return []byte("<!doctype html><title>Tides</title><script>alert(1)</script>" + strings.Repeat("<p>not a PDF</p>", 100))
}

// Layered is a page with three layers, each a filled square: "Paths" is on,
// "Flood (5.0 m)" is off at first, "湿地" is on. They are the objects 6 to 8.
func Layered() []byte {
	square := func(name string, x int) string {
		return fmt.Sprintf("/OC /%s BDC 0 0 1 rg %d 20 40 40 re f EMC\n", name, x)
	}
	return Build(
		"<</Type /Catalog /Pages 2 0 R /OCProperties <</OCGs [6 0 R 7 0 R 8 0 R] /D <</Order [6 0 R [7 0 R 8 0 R]] /OFF [7 0 R]>>>>>>",
		"<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 200 80] /Contents 4 0 R /Resources <</Properties <</P 6 0 R /F 7 0 R /M 8 0 R>>>>>>",
		Stream("", square("P", 20)+square("F", 80)+square("M", 140)), "null",
		"<</Type /OCG /Name (Paths)>>", `<</Type /OCG /Name (Flood \(5.0 m\))>>`, "<</Type /OCG /Name <FEFF6E7F5730>>>",
	)
}

// Large has two pages of the same boxes; the second is two and a half times as
// large by its UserUnit.
func Large() []byte {
	page := func(more string) string {
		return "<</Type /Page /Parent 2 0 R /MediaBox [0 0 400 300] /Contents 5 0 R /Resources <</Font <</F 6 0 R>>>> " + more + ">>"
	}
	return Build("<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R 4 0 R] /Count 2>>", page(""), page("/UserUnit 2.5"),
		Stream("", "BT /F 12 Tf 40 200 Td (Plan of the scrape) Tj ET"), "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>")
}

// Licensed has one page and a packet of metadata with stream entries.
func Licensed(entries, packet string) []byte {
	return Build("<</Type /Catalog /Pages 2 0 R /Metadata 4 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 400 300]>>", Stream("/Type /Metadata /Subtype /XML "+entries, packet))
}

// LongTexts gives a file of so many pages whose labels, title, author, outline,
// link, field, attachment and layer have texts of length characters each.
func LongTexts(pages, length int) []byte {
	long := strings.Repeat("tide ", length/5+1)[:length]
	kids := ""
	const first = 12
	for i := range pages {
		kids += fmt.Sprintf("%d 0 R ", first+i)
	}
	objects := []string{
		fmt.Sprintf("<</Type /Catalog /Pages 2 0 R /Lang (%s) /PageLabels <</Nums [0 <</S /D /P (%s)>>]>> /Outlines 4 0 R /AcroForm <</Fields [6 0 R]>> /OCProperties <</OCGs [9 0 R] /D <<>>>> /Names <</EmbeddedFiles <</Names [(a) 10 0 R]>>>>>>", long, long),
		fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d /MediaBox [0 0 300 300]>>", kids, pages),
		fmt.Sprintf("<</Title (%s) /Author (%s) /Subject (%s) /Keywords (%s)>>", long, long, long, long),
		"<</Type /Outlines /First 5 0 R /Last 5 0 R /Count 1>>",
		fmt.Sprintf("<</Title (%s) /Parent 4 0 R /Dest [%d 0 R /Fit]>>", long, first),
		fmt.Sprintf("<</Type /Annot /Subtype /Widget /FT /Tx /T (%s) /Rect [10 10 90 30] /P %d 0 R>>", long, first),
		fmt.Sprintf("<</Type /Annot /Subtype /Link /Rect [10 40 90 60] /A <</S /URI /URI (https://harrowmere.example/%s)>>>>",
			strings.ReplaceAll(long, " ", "-")),
		"<</Type /Annot /Subtype /Link /Rect [10 70 90 90] /A <</S /URI /URI (https://harrowmere.example/short)>>>>",
		fmt.Sprintf("<</Type /OCG /Name (%s)>>", long),
		fmt.Sprintf("<</Type /Filespec /F (%s) /UF (%s) /Desc (%s) /EF <</F 11 0 R>>>>", long, long, long),
		Stream("/Type /EmbeddedFile", "tides"),
	}
	for i := range pages {
		annots := ""
		if i == 0 {
			annots = "/Annots [6 0 R 7 0 R 8 0 R]"
		}
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R %s>>", annots))
	}
	return bytes.Replace(Build(objects...), []byte("/Root 1 0 R"), []byte("/Root 1 0 R /Info 3 0 R"), 1)
}
