package plain

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"

	"incipit/internal/core/scanned"
)

// Said is what somebody says of a file for people who do not see its pages; what is empty
// stays as it is. Alternatives are of elements of its structure, by their objects; Texts are
// what was recognised on pages that have no text, by page.
type Said struct {
	Title, Language string
	Alternatives    map[Ref]string
	Texts           map[int][]scanned.Line
}

// ErrSigned is given for a file that somebody signed: a change would show as one.
var ErrSigned = errors.New("the file is signed")

// ErrStarted is given for a file whose objects are not numbered as an addition needs it.
var ErrStarted = errors.New("the file cannot be added to")

// Amended gives the bytes that say it, to be appended to the file: an incremental update
// (ISO 32000-2, 7.5.6), so that nothing of the file itself is changed.
func (f *File) Amended(s Said) ([]byte, error) {
	if flags, _ := f.number(f.dict(f.catalog()["AcroForm"])["SigFlags"]); int(flags)&1 != 0 || f.catalog()["Perms"] != nil {
		return nil, ErrSigned
	}
	if f.trailer == nil || f.count <= 0 || f.count > mostObjects {
		return nil, ErrStarted
	}
	u := &update{f: f, next: f.count, at: map[int]int64{}}
	for n := range f.entries {
		u.next = max(u.next, n+1)
	}
	u.b.WriteString("\n")
	catalog := maps.Clone(f.catalog())
	if s.Language != "" {
		catalog["Lang"] = textOf(s.Language)
	}
	info, hasInfo := f.trailer["Info"].(Ref)
	if s.Title != "" {
		shown := maps.Clone(f.dict(catalog["ViewerPreferences"]))
		if shown == nil {
			shown = Dict{}
		}
		shown["DisplayDocTitle"] = true
		catalog["ViewerPreferences"] = shown
		d := maps.Clone(f.dict(info))
		if d == nil || !hasInfo {
			d, info = Dict{}, u.fresh()
		}
		d["Title"] = textOf(s.Title)
		u.object(info, d)
		u.trailerInfo = info
		packet, err := f.Metadata()
		if err != nil {
			return nil, err
		}
		if titled, ok := titledPacket(packet, s.Title); ok {
			ref, _ := catalog["Metadata"].(Ref)
			if ref == 0 {
				ref = u.fresh()
				catalog["Metadata"] = ref
			}
			u.stream(ref, Dict{"Type": Name("Metadata"), "Subtype": Name("XML")}, titled)
		}
	}
	for _, ref := range slices.Sorted(maps.Keys(s.Alternatives)) {
		d := maps.Clone(f.dict(ref))
		if kind, is := f.resolved(d["S"]).(Name); !is || kind == "" {
			return nil, fmt.Errorf("object %d: %w", ref, ErrStarted)
		}
		d["Alt"] = textOf(s.Alternatives[ref])
		u.object(ref, d)
	}
	if err := u.texts(s.Texts); err != nil {
		return nil, err
	}
	u.object(f.root, catalog)
	return u.end(), nil
}

// textOf writes a text as a string of PDF (7.9.2.2): in UTF-16 with a mark.
func textOf(s string) Text {
	b := []byte{0xFE, 0xFF}
	for _, c := range utf16.Encode([]rune(s)) {
		b = append(b, byte(c>>8), byte(c))
	}
	return Text(b)
}

var (
	titleElement = regexp.MustCompile(`(?s)<dc:title\b[^>]*?(/>|>.*?</dc:title>)`)
	endOfAll     = regexp.MustCompile(`</rdf:RDF>`)
)

// titledPacket gives a metadata packet (ISO 16684-1) with a title: the one that there is,
// or a new one. What is no packet that can be told apart is left alone.
func titledPacket(packet []byte, title string) ([]byte, bool) {
	var escaped bytes.Buffer
	if err := xml.EscapeText(&escaped, []byte(title)); err != nil {
		return nil, false
	}
	element := `<dc:title><rdf:Alt><rdf:li xml:lang="x-default">` + escaped.String() + `</rdf:li></rdf:Alt></dc:title>`
	whole := `<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">` + element + `</rdf:Description>`
	switch {
	case len(bytes.TrimSpace(packet)) == 0:
		return []byte("<?xpacket begin=\"\ufeff\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n<x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">" +
			whole + "</rdf:RDF></x:xmpmeta>\n<?xpacket end=\"w\"?>"), true
	case titleElement.Match(packet):
		return titleElement.ReplaceAllLiteral(packet, []byte(element)), true
	case len(endOfAll.FindAllIndex(packet, 2)) == 1:
		return endOfAll.ReplaceAllLiteral(packet, []byte(whole+"</rdf:RDF>")), true
	}
	return nil, false
}

// update is what is appended.
type update struct {
	f           *File
	b           bytes.Buffer
	next        int
	at          map[int]int64 // where objects begin in the file
	trailerInfo Ref
}

func (u *update) fresh() Ref {
	u.next++
	return Ref(u.next - 1)
}

func (u *update) begin(ref Ref) {
	u.at[int(ref)] = u.f.size + int64(u.b.Len())
	fmt.Fprintf(&u.b, "%d 0 obj\n", ref)
}

func (u *update) object(ref Ref, v Value) {
	u.begin(ref)
	u.b.WriteString(written(v))
	u.b.WriteString("\nendobj\n")
}

func (u *update) stream(ref Ref, d Dict, b []byte) {
	u.begin(ref)
	d["Length"] = float64(len(b))
	fmt.Fprintf(&u.b, "%s\nstream\n%s\nendstream\nendobj\n", written(d), b)
}

// end adds the cross-references, of the kind that the file ends with.
func (u *update) end() []byte {
	trailer := Dict{"Root": u.f.root, "Prev": float64(u.f.start)}
	for _, key := range []Name{"Info", "ID"} {
		if v, ok := u.f.trailer[key]; ok {
			trailer[key] = v
		}
	}
	if u.trailerInfo != 0 {
		trailer["Info"] = u.trailerInfo
	}
	var start int64
	if u.f.trailer["Type"] == Name("XRef") {
		own := u.fresh()
		start = u.f.size + int64(u.b.Len())
		u.at[int(own)] = start
		var index []Value
		var rows []byte
		for _, n := range slices.Sorted(maps.Keys(u.at)) {
			index = append(index, float64(n), 1.0)
			rows = append(rows, 1)
			for shift := 56; shift >= 0; shift -= 8 {
				rows = append(rows, byte(u.at[n]>>shift))
			}
		}
		maps.Copy(trailer, Dict{"Type": Name("XRef"), "W": []Value{1.0, 8.0, 0.0}, "Index": index, "Size": float64(u.next)})
		u.stream(own, trailer, rows)
	} else {
		start = u.f.size + int64(u.b.Len())
		trailer["Size"] = float64(u.next)
		u.b.WriteString("xref\n")
		for _, n := range slices.Sorted(maps.Keys(u.at)) {
			fmt.Fprintf(&u.b, "%d 1\n%010d 00000 n \n", n, u.at[n])
		}
		fmt.Fprintf(&u.b, "trailer\n%s\n", written(trailer))
	}
	fmt.Fprintf(&u.b, "startxref\n%d\n%%%%EOF\n", start)
	return u.b.Bytes()
}

// written writes an object (7.3).
func written(v Value) string {
	switch v := v.(type) {
	case nil:
		return "null"
	case bool:
		return strconv.FormatBool(v)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case Name:
		var b strings.Builder
		b.WriteByte('/')
		for _, c := range []byte(v) {
			if c <= ' ' || c >= 0x7F || c == '#' || delimiter(c) {
				fmt.Fprintf(&b, "#%02X", c)
			} else {
				b.WriteByte(c)
			}
		}
		return b.String()
	case Text:
		return fmt.Sprintf("<%X>", string(v))
	case Ref:
		return fmt.Sprintf("%d 0 R", int(v))
	case []Value:
		var parts []string
		for _, e := range v {
			parts = append(parts, written(e))
		}
		return "[" + strings.Join(parts, " ") + "]"
	case Dict:
		var b strings.Builder
		b.WriteString("<<")
		for _, key := range slices.SortedFunc(maps.Keys(v), func(a, c Name) int { return cmp.Compare(a, c) }) {
			b.WriteString(written(key) + " " + written(v[key]) + " ")
		}
		b.WriteString(">>")
		return b.String()
	}
	return "null"
}
