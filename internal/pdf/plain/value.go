// Package plain reads objects straight out of a file: what the engine has no call
// for (layers, units of pages, metadata, how a file wants to be opened), and what
// it can only tell slowly, page by page (boxes, labels, links, the outline).
//
// Cross-reference tables and streams, hybrids of both, and object streams are
// followed (ISO 32000-2, 7.5), a window at a time; nothing is repaired and
// nothing decrypted. Whoever meets a file that this package refuses has the
// engine save it anew, which makes it plain. All this happens in a worker, with
// bounds on depth, sizes and counts.
package plain

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"unicode/utf16"
	"unicode/utf8"
)

// Value is a PDF object: nil, bool, float64, Name, Text, Ref, []Value or Dict.
type Value any

// The kinds of object that Go has no type for.
type (
	Name string
	Text string // the bytes of a string
	Ref  int    // the number of an object
	Dict map[Name]Value
)

var errSyntax = errors.New("not as it should be written")

const deepest = 60

// scanner reads objects from a text.
type scanner struct {
	b  []byte
	at int
}

func (s *scanner) space() {
	for s.at < len(s.b) {
		switch c := s.b[s.at]; {
		case c == '%':
			for s.at < len(s.b) && s.b[s.at] != '\n' && s.b[s.at] != '\r' {
				s.at++
			}
		case c == 0 || c == '\t' || c == '\n' || c == '\f' || c == '\r' || c == ' ':
			s.at++
		default:
			return
		}
	}
}

func delimiter(c byte) bool {
	return bytes.IndexByte([]byte("\x00\t\n\f\r ()<>[]{}/%"), c) >= 0
}

func (s *scanner) word() string {
	from := s.at
	for s.at < len(s.b) && !delimiter(s.b[s.at]) {
		s.at++
	}
	return string(s.b[from:s.at])
}

// value reads one object.
func (s *scanner) value(depth int) (Value, error) {
	s.space()
	if depth > deepest || s.at >= len(s.b) {
		return nil, errSyntax
	}
	switch c := s.b[s.at]; {
	case c == '/':
		s.at++
		return Name(unescaped(s.word())), nil
	case bytes.HasPrefix(s.b[s.at:], []byte("<<")):
		return s.dict(depth)
	case c == '<':
		return s.hex()
	case c == '(':
		return s.text()
	case c == '[':
		s.at++
		out := []Value{}
		for {
			s.space()
			if s.at < len(s.b) && s.b[s.at] == ']' {
				s.at++
				return out, nil
			}
			v, err := s.value(depth + 1)
			if err != nil {
				return nil, err
			}
			out = append(out, v)
		}
	}
	w := s.word()
	switch w {
	case "true", "false":
		return w == "true", nil
	case "null":
		return nil, nil
	}
	n, err := strconv.ParseFloat(w, 64)
	if err != nil {
		return nil, fmt.Errorf("%w: %.20q", errSyntax, w)
	}
	// A reference is two whole numbers and an R.
	here := s.at
	if n >= 0 && n == float64(int(n)) {
		s.space()
		if s.word() != "" {
			s.space()
			if s.word() == "R" {
				return Ref(int(n)), nil
			}
		}
	}
	s.at = here
	return n, nil
}

func (s *scanner) dict(depth int) (Value, error) {
	s.at += 2
	out := Dict{}
	for {
		s.space()
		if bytes.HasPrefix(s.b[s.at:], []byte(">>")) {
			s.at += 2
			return out, nil
		}
		k, err := s.value(depth + 1)
		if err != nil {
			return nil, err
		}
		name, ok := k.(Name)
		if !ok {
			return nil, errSyntax
		}
		if out[name], err = s.value(depth + 1); err != nil {
			return nil, err
		}
	}
}

func (s *scanner) hex() (Value, error) {
	s.at++
	var out []byte
	high := -1
	for ; s.at < len(s.b) && s.b[s.at] != '>'; s.at++ {
		d, err := strconv.ParseUint(string(s.b[s.at]), 16, 8)
		if err != nil {
			continue
		}
		if high < 0 {
			high = int(d)
			continue
		}
		out, high = append(out, byte(high<<4|int(d))), -1
	}
	if high >= 0 {
		out = append(out, byte(high<<4))
	}
	if s.at >= len(s.b) {
		return nil, errSyntax
	}
	s.at++
	return Text(out), nil
}

func (s *scanner) text() (Value, error) {
	s.at++
	var out []byte
	for nested := 1; s.at < len(s.b); s.at++ {
		c := s.b[s.at]
		switch c {
		case '(':
			nested++
		case ')':
			if nested--; nested == 0 {
				s.at++
				return Text(out), nil
			}
		case '\\':
			s.at++
			if s.at >= len(s.b) {
				return nil, errSyntax
			}
			c = s.b[s.at]
			switch {
			case c >= '0' && c <= '7':
				n := 0
				for i := 0; i < 3 && s.at < len(s.b) && s.b[s.at] >= '0' && s.b[s.at] <= '7'; i++ {
					n = n*8 + int(s.b[s.at]-'0')
					s.at++
				}
				s.at--
				c = byte(n)
			case c == '\r' || c == '\n':
				continue
			default:
				if i := bytes.IndexByte([]byte("nrtbf"), c); i >= 0 {
					c = "\n\r\t\b\f"[i]
				}
			}
		}
		out = append(out, c)
	}
	return nil, errSyntax
}

func unescaped(name string) string {
	var out []byte
	for i := 0; i < len(name); i++ {
		if name[i] == '#' && i+2 < len(name) {
			if n, err := strconv.ParseUint(name[i+1:i+3], 16, 8); err == nil {
				out = append(out, byte(n))
				i += 2
				continue
			}
		}
		out = append(out, name[i])
	}
	return string(out)
}

// write writes an object.
func write(b *bytes.Buffer, v Value) {
	switch v := v.(type) {
	case nil:
		b.WriteString("null")
	case bool:
		fmt.Fprint(b, v)
	case float64:
		b.WriteString(strconv.FormatFloat(v, 'f', -1, 64))
	case Name:
		b.WriteByte('/')
		for _, c := range []byte(v) {
			if c <= ' ' || c > '~' || c == '#' || delimiter(c) {
				fmt.Fprintf(b, "#%02X", c)
			} else {
				b.WriteByte(c)
			}
		}
	case Text:
		fmt.Fprintf(b, "<%X>", string(v))
	case Ref:
		fmt.Fprintf(b, "%d 0 R", int(v))
	case []Value:
		b.WriteByte('[')
		for _, o := range v {
			write(b, o)
			b.WriteByte(' ')
		}
		b.WriteByte(']')
	case Dict:
		b.WriteString("<<")
		for _, k := range slices.Sorted(maps.Keys(v)) {
			write(b, k)
			b.WriteByte(' ')
			write(b, v[k])
			b.WriteByte('\n')
		}
		b.WriteString(">>")
	}
}

// Readable gives a text string (ISO 32000-2, 7.9.2.2) as UTF-8.
func (t Text) Readable() string {
	b := []byte(t)
	switch {
	case bytes.HasPrefix(b, []byte{0xFE, 0xFF}):
		var units []uint16
		for i := 2; i+1 < len(b); i += 2 {
			units = append(units, uint16(b[i])<<8|uint16(b[i+1]))
		}
		return string(utf16.Decode(units))
	case bytes.HasPrefix(b, []byte{0xEF, 0xBB, 0xBF}):
		b = b[3:]
		fallthrough
	case utf8.Valid(b):
		return string(bytes.ToValidUTF8(b, []byte("\uFFFD")))
	}
	out := make([]rune, len(b))
	for i, c := range b {
		out[i] = rune(c)
		if other, ok := docEncoding[c]; ok {
			out[i] = other
		}
	}
	return string(out)
}

// docEncoding is where PDFDocEncoding is not Latin 1 (ISO 32000-2, D.2).
var docEncoding = map[byte]rune{
	0x18: '˘', 0x19: 'ˇ', 0x1A: 'ˆ', 0x1B: '˙', 0x1C: '˝', 0x1D: '˛', 0x1E: '˚', 0x1F: '˜',
	0x80: '•', 0x81: '†', 0x82: '‡', 0x83: '…', 0x84: '—', 0x85: '–', 0x86: 'ƒ', 0x87: '⁄', 0x88: '‹', 0x89: '›', 0x8A: '−', 0x8B: '‰',
	0x8C: '„', 0x8D: '“', 0x8E: '”', 0x8F: '‘', 0x90: '’', 0x91: '‚', 0x92: '™', 0x93: 'ﬁ', 0x94: 'ﬂ', 0x95: 'Ł', 0x96: 'Œ', 0x97: 'Š',
	0x98: 'Ÿ', 0x99: 'Ž', 0x9A: 'ı', 0x9B: 'ł', 0x9C: 'œ', 0x9D: 'š', 0x9E: 'ž', 0xA0: '€',
}
