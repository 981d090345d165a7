package office_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/confined"
	"incipit/internal/core/share"
	"incipit/internal/office"
	"incipit/internal/testkit/pace"
)

// packed writes a package of some parts, the first one first.
func packed(t testing.TB, parts ...[2]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i, p := range parts {
		h := &zip.FileHeader{Name: p[0], Method: zip.Deflate}
		if i == 0 {
			h.Method = zip.Store
		}
		w, err := z.CreateHeader(h)
		require.NoError(t, err)
		_, err = w.Write([]byte(p[1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

const types = `<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/PART" ContentType="KIND"/></Types>`

const rels = `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="PART"/></Relationships>`

func xml(part, kind string) [][2]string {
	return [][2]string{{"[Content_Types].xml", strings.NewReplacer("PART", part, "KIND", kind).Replace(types)}, {"_rels/.rels", strings.ReplaceAll(rels, "PART", part)}}
}

func odf(t testing.TB, kind, body string) []byte {
	media := "application/vnd.oasis.opendocument." + kind
	const names = `xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:draw="urn:oasis:names:tc:opendocument:xmlns:drawing:1.0" xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:svg="urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0"`
	return packed(t, [2]string{"mimetype", media},
		[2]string{"META-INF/manifest.xml", `<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.2"><manifest:file-entry manifest:full-path="/" manifest:media-type="` + media + `"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>`},
		[2]string{"content.xml", `<office:document-content ` + names + ` office:version="1.2"><office:body>` + body + `</office:body></office:document-content>`})
}

// files are a small document of each kind; word is what stands in it.
func files(t testing.TB, word string) map[office.Kind][]byte {
	t.Helper()
	const main = "http://schemas.openxmlformats.org/"
	return map[office.Kind][]byte{
		office.Text:         odf(t, "text", `<office:text><text:h text:outline-level="1">`+word+`</text:h><text:p>Count</text:p></office:text>`),
		office.Spreadsheet:  odf(t, "spreadsheet", `<office:spreadsheet><table:table table:name="Count"><table:table-row><table:table-cell office:value-type="string"><text:p>`+word+`</text:p></table:table-cell></table:table-row></table:table></office:spreadsheet>`),
		office.Presentation: odf(t, "presentation", `<office:presentation><draw:page draw:name="One"><draw:frame svg:width="9cm" svg:height="3cm" svg:x="1cm" svg:y="1cm"><draw:text-box><text:p>`+word+`</text:p></draw:text-box></draw:frame></draw:page></office:presentation>`),
		office.WordText: packed(t, append(xml("word/document.xml", "application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"),
			[2]string{"word/document.xml", `<w:document xmlns:w="` + main + `wordprocessingml/2006/main"><w:body><w:p><w:r><w:t>` + word + `</w:t></w:r></w:p></w:body></w:document>`})...),
		office.WordSheet: packed(t, append(xml("xl/workbook.xml", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"),
			[2]string{"xl/workbook.xml", `<workbook xmlns="` + main + `spreadsheetml/2006/main" xmlns:r="` + main + `officeDocument/2006/relationships"><sheets><sheet name="Count" sheetId="1" r:id="rId1"/></sheets></workbook>`},
			[2]string{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="` + main + `package/2006/relationships"><Relationship Id="rId1" Type="` + main + `officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`},
			[2]string{"xl/worksheets/sheet1.xml", `<worksheet xmlns="` + main + `spreadsheetml/2006/main"><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>` + word + `</t></is></c></row></sheetData></worksheet>`})...),
		office.WordSlides: packed(t, append(xml("ppt/presentation.xml", "application/vnd.openxmlformats-officedocument.presentationml.presentation.main+xml"),
			[2]string{"ppt/presentation.xml", `<p:presentation xmlns:p="` + main + `presentationml/2006/main" xmlns:r="` + main + `officeDocument/2006/relationships"><p:sldIdLst><p:sldId id="256" r:id="rId1"/></p:sldIdLst><p:sldSz cx="9144000" cy="6858000"/></p:presentation>`},
			[2]string{"ppt/_rels/presentation.xml.rels", `<Relationships xmlns="` + main + `package/2006/relationships"><Relationship Id="rId1" Type="` + main + `officeDocument/2006/relationships/slide" Target="slides/slide1.xml"/></Relationships>`},
			[2]string{"ppt/slides/slide1.xml", `<p:sld xmlns:p="` + main + `presentationml/2006/main" xmlns:a="` + main + `drawingml/2006/main"><p:cSld><p:spTree><p:nvGrpSpPr><p:cNvPr id="1" name=""/><p:cNvGrpSpPr/><p:nvPr/></p:nvGrpSpPr><p:grpSpPr/><p:sp><p:nvSpPr><p:cNvPr id="2" name="T"/><p:cNvSpPr/><p:nvPr/></p:nvSpPr><p:spPr><a:xfrm><a:off x="0" y="0"/><a:ext cx="5000000" cy="1000000"/></a:xfrm></p:spPr><p:txBody><a:bodyPr/><a:p><a:r><a:t>` + word + `</a:t></a:r></a:p></p:txBody></p:sp></p:spTree></p:cSld></p:sld>`})...),
		office.RichText: []byte(`{\rtf1\ansi ` + word + `\par}`),
	}
}

func TestKindsAreToldByContent(t *testing.T) {
	for kind, b := range files(t, "Sanderling") {
		assert.True(t, office.Looks(b), "%s", kind)
		told, err := office.KindOf(bytes.NewReader(b), int64(len(b)))
		require.NoError(t, err)
		assert.Equal(t, kind, told)
		// However much of its end is missing: what is left of its beginning tells what it was.
		if kind == office.RichText {
			continue
		}
		for left := range len(b) {
			_, err := office.KindOf(bytes.NewReader(b[:left]), int64(left))
			if left >= 80 {
				assert.ErrorIs(t, err, office.ErrDamaged, "%s: %d of %d bytes", kind, left, len(b))
			} else if left < 30 {
				assert.NoError(t, err)
			}
		}
	}
	for name, b := range map[string][]byte{
		"a PDF":                []byte("%PDF-1.7"),
		"some other package":   packed(t, [2]string{"a.txt", "x"}),
		"half of another one":  packed(t, [2]string{"a.txt", "a long text"})[:50],
		"a kind, cut off":      packed(t, [2]string{"mimetype", "application/epub+zip"})[:60],
		"another OpenDocument": packed(t, [2]string{"mimetype", "application/vnd.oasis.opendocument.graphics"}),
		"nothing":              {},
	} {
		told, err := office.KindOf(bytes.NewReader(b), int64(len(b)))
		require.NoError(t, err, name)
		assert.Empty(t, told, name)
	}
}

func converter(t testing.TB) *office.Converter {
	t.Helper()
	c, err := office.Find(2, 1<<30)
	if err != nil {
		t.Skipf("%v: apt-get install %s", err, office.Packages)
	}
	return c
}

// convert gives the PDF that is made of a file.
func convert(t testing.TB, c *office.Converter, kind office.Kind, b []byte) ([]byte, error) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "it")
	require.NoError(t, os.WriteFile(path, b, 0o600))
	var made []byte
	err := c.Convert(context.Background(), path, kind, func(pdf *os.File) (err error) {
		made, err = io.ReadAll(pdf)
		return err
	})
	if errors.Is(err, office.ErrUnconfined) {
		t.Skip(err)
	}
	return made, err
}

func TestEachKindIsConverted(t *testing.T) {
	c := converter(t)
	for kind, b := range files(t, "Sanderling") {
		made, err := convert(t, c, kind, b)
		require.NoError(t, err, "%s", kind)
		assert.True(t, bytes.HasPrefix(made, []byte("%PDF-")), "%s", kind)
		assert.Contains(t, string(made), "/MarkInfo", "%s: it is tagged", kind)
	}
	_, err := convert(t, c, office.WordText, []byte("PK\x03\x04 and nothing more"))
	require.ErrorIs(t, err, office.ErrFailed)
}

// A small file that lasts, of many thousand pages, holds nobody for longer than
// the work in which others are done: these are made meanwhile, and it is told what it was.
func TestAConversionThatLastsHoldsNobody(t *testing.T) {
	pace.Long(t)
	c := converter(t)
	c.Within(4*time.Second, 12*time.Second)
	lasts := odf(t, "text", `<office:text>`+strings.Repeat(`<text:p>Sanderling on the tideline</text:p>`, 400_000)+`</office:text>`)
	require.Less(t, len(lasts), 100_000)
	path := filepath.Join(t.TempDir(), "lasts")
	require.NoError(t, os.WriteFile(path, lasts, 0o600))
	ended := make(chan error, 1)
	go func() {
		ended <- c.Convert(share.From(context.Background(), "one"), path, office.Text, func(*os.File) error { return nil })
	}()
	for n := range 3 {
		_, err := convert(t, c, office.RichText, files(t, fmt.Sprint("Sanderling ", n))[office.RichText])
		require.NoError(t, err)
		select {
		case err := <-ended:
			require.Fail(t, "it should last", "%v", err)
		default:
		}
	}
	require.ErrorIs(t, <-ended, confined.ErrOverran)
}

// A file that names a picture on another host makes no request, and cannot read what is on
// the machine.
func TestNothingIsAskedOfOtherHosts(t *testing.T) {
	c := converter(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	asked := make(chan struct{}, 1)
	go func() {
		if conn, err := l.Accept(); err == nil {
			conn.Close()
			asked <- struct{}{}
		}
	}()
	picture := `<text:p><draw:frame svg:width="3cm" svg:height="3cm"><draw:image xlink:href="http://` + l.Addr().String() + `/bird.png" xlink:type="simple" xlink:show="embed" xlink:actuate="onLoad"/></draw:frame>Sanderling</text:p>`
	made, err := convert(t, c, office.Text, odf(t, "text", `<office:text>`+picture+`</office:text>`))
	require.NoError(t, err)
	assert.NotEmpty(t, made)
	select {
	case <-asked:
		t.Error("it asked another host")
	default:
	}
}
