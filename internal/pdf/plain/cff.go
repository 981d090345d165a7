package plain

import (
	_ "embed"
	"strings"
)

// standardNames are the names that every compact font file may use without holding
// them (The Compact Font Format Specification, Technical Note 5176, Appendix A).
//
//go:embed cffnames.txt
var standardNames string

var standards = strings.Fields(standardNames)

const (
	mostGlyphs   = 65535 // as the format allows
	mostOperands = 48    // of one operator, as the format allows
)

// compact reads parts of a compact font file. Offsets count from its start; whatever
// leads outside the file ends the reading of that part.
type compact struct{ b []byte }

// whole gives the n-byte number at an offset.
func (c compact) whole(at, n int) (int, bool) {
	if at < 0 || n < 1 || n > 4 || at+n > len(c.b) {
		return 0, false
	}
	v := 0
	for _, b := range c.b[at : at+n] {
		v = v<<8 | int(b)
	}
	return v, true
}

// index reads where the entries of an INDEX (5) at an offset lie, and where it ends.
func (c compact) index(at int) (entries [][]byte, end int, ok bool) {
	count, ok := c.whole(at, 2)
	if !ok || count == 0 {
		return nil, at + 2, ok
	}
	size, ok := c.whole(at+2, 1)
	data := at + 2 + (count+1)*size // offsets count from 1
	from, more := c.whole(at+3, size)
	if !ok || !more {
		return nil, 0, false
	}
	for i := 1; i <= count; i++ {
		to, ok := c.whole(at+3+i*size, size)
		if !ok || from < 1 || to < from || data+to > len(c.b) {
			return nil, 0, false
		}
		entries = append(entries, c.b[data+from:data+to])
		from = to
	}
	return entries, data + from, true
}

// operators reads the whole numbers of a DICT (4) by operator; those of two bytes are
// 256 and more.
func operators(b []byte) map[int][]int {
	out := map[int][]int{}
	var stack []int
	for i := 0; i < len(b); i++ {
		v := int(b[i])
		switch {
		case v == 12 && i+1 < len(b):
			i++
			out[256+int(b[i])], stack = stack, nil
		case v <= 21:
			out[v], stack = stack, nil
		case v == 28 && i+2 < len(b):
			stack = append(stack, int(int16(b[i+1])<<8|int16(b[i+2])))
			i += 2
		case v == 29 && i+4 < len(b):
			stack = append(stack, int(int32(b[i+1])<<24|int32(b[i+2])<<16|int32(b[i+3])<<8|int32(b[i+4])))
			i += 4
		case v == 30: // a real, in halves of bytes up to one that ends it
			for i++; i < len(b) && b[i]&0x0f != 0x0f && b[i]>>4 != 0x0f; i++ {
			}
			stack = append(stack, 0)
		case v >= 32 && v <= 246:
			stack = append(stack, v-139)
		case v >= 247 && v <= 250 && i+1 < len(b):
			stack = append(stack, (v-247)*256+int(b[i+1])+108)
			i++
		case v >= 251 && v <= 254 && i+1 < len(b):
			stack = append(stack, -(v-251)*256-int(b[i+1])-108)
			i++
		}
		if len(stack) > mostOperands {
			return out
		}
	}
	return out
}

// The operators of the first DICT that are used here.
const (
	opCharset     = 15
	opEncoding    = 16
	opCharStrings = 17
	opROS         = 256 + 30
)

// builtIn notes the names that the file's own encoding gives to codes (12). One that
// the format defines is left to who draws; so are fonts whose glyphs have numbers
// instead of names.
func (c compact) builtIn(out *Font) {
	if major, _ := c.whole(0, 1); major != 1 {
		return // wrapped, as OpenType
	}
	header, ok := c.whole(2, 1)
	_, at, named := c.index(header)
	tops, at, topped := c.index(at)
	strs, _, stringed := c.index(at)
	if !ok || !named || !topped || !stringed || len(tops) == 0 {
		return
	}
	top := operators(tops[0])
	first := func(op int) int {
		if v := top[op]; len(v) > 0 {
			return v[0]
		}
		return 0
	}
	encoding, glyphs := first(opEncoding), first(opCharStrings)
	if _, numbered := top[opROS]; numbered || encoding < 2 {
		return
	}
	count, ok := c.whole(glyphs, 2)
	if !ok || glyphs == 0 {
		return
	}
	name := func(sid int) string {
		switch {
		case sid < len(standards):
			return standards[sid]
		case sid-len(standards) < len(strs):
			return string(strs[sid-len(standards)])
		}
		return ""
	}
	charset := c.charset(first(opCharset), min(count, mostGlyphs))
	c.codes(encoding, func(code, glyph int) {
		if glyph > 0 && glyph < len(charset) {
			out.Names[code] = name(charset[glyph])
		}
	}, func(code, sid int) { out.Names[code] = name(sid) })
}

// charset reads which name each glyph has (13). The first has none.
func (c compact) charset(at, count int) []int {
	if at < 3 {
		if at > 0 {
			return nil // of small capitals and the like
		}
		out := make([]int, min(count, 229)) // glyphs in the order of the standard names
		for i := range out {
			out[i] = i
		}
		return out
	}
	format, _ := c.whole(at, 1)
	at++
	out := make([]int, 1, max(count, 1))
	for len(out) < count {
		sid, ok := c.whole(at, 2)
		left := 0
		switch at += 2; format {
		case 0:
		case 1, 2:
			var more bool
			left, more = c.whole(at, format)
			ok, at = ok && more, at+format
		default:
			return nil
		}
		if !ok {
			return out
		}
		for ; left >= 0 && len(out) < count; left-- {
			out = append(out, sid)
			sid++
		}
	}
	return out
}

// codes reads an encoding (12): glyph is called for each code that a glyph has, extra
// for each that has a name beside.
func (c compact) codes(at int, glyph, extra func(code, to int)) {
	format, ok := c.whole(at, 1)
	count, more := c.whole(at+1, 1)
	if !ok || !more {
		return
	}
	at += 2
	next := 1
	for range count {
		code, ok := c.whole(at, 1)
		left := 0
		at++
		if format&0x7f == 1 {
			left, more = c.whole(at, 1)
			ok, at = ok && more, at+1
		}
		if !ok {
			return
		}
		for ; left >= 0 && code < 256; left-- {
			glyph(code, next)
			code++
			next++
		}
	}
	if format&0x80 == 0 {
		return
	}
	count, _ = c.whole(at, 1)
	for i := range count {
		code, ok := c.whole(at+1+3*i, 1)
		sid, more := c.whole(at+2+3*i, 2)
		if !ok || !more {
			return
		}
		extra(code, sid)
	}
}
