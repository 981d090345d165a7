// Package glyphname tells which characters a glyph stands for, by its name.
//
// A font whose file gives no map to Unicode still names its glyphs. The names and
// the way to take them apart are those of the open AGL specification (section 2; the list, AGL 2.0, is in
// glyphlist.txt with its licence, BSD-3-Clause). What the list puts in the private
// area, where no other program finds it, is given as the character that it is a
// form of: an old-style three is a three.
package glyphname

import (
	_ "embed"
	"strconv"
	"strings"
	"sync"
	"unicode/utf16"
)

//go:embed glyphlist.txt
var list string

// names is the list both ways; private has the names of what lies in the private
// area.
var names = sync.OnceValues(func() (map[string]string, map[rune]string) {
	byName, private := map[string]string{}, map[rune]string{}
	for line := range strings.Lines(list) {
		name, codes, ok := strings.Cut(strings.TrimSpace(line), ";")
		if !ok || strings.HasPrefix(name, "#") {
			continue
		}
		var b strings.Builder
		for _, code := range strings.Fields(codes) {
			n, err := strconv.ParseUint(code, 16, 32)
			if err != nil {
				continue
			}
			b.WriteRune(rune(n))
			if isPrivate(rune(n)) {
				private[rune(n)] = name
			}
		}
		byName[name] = b.String()
	}
	return byName, private
})

func isPrivate(r rune) bool { return r >= 0xE000 && r <= 0xF8FF }

// Text gives what a glyph of a name stands for, or "" where that is not known.
func Text(name string) string {
	name, _, _ = strings.Cut(name, ".") // a form of the glyph
	if len(name) > 200 {
		return ""
	}
	var b strings.Builder
	for _, part := range strings.Split(name, "_") {
		text := one(part)
		if text == "" {
			return ""
		}
		b.WriteString(text)
	}
	return b.String()
}

// one gives what a part of a name stands for.
func one(name string) string {
	byName, _ := names()
	if text, ok := byName[name]; ok {
		if r := []rune(text); len(r) == 1 && isPrivate(r[0]) {
			return form(name)
		}
		return text
	}
	if code, ok := strings.CutPrefix(name, "uni"); ok && len(code) >= 4 && len(code)%4 == 0 {
		var units []uint16
		for ; code != ""; code = code[4:] {
			n, err := strconv.ParseUint(code[:4], 16, 16)
			if err != nil || strings.ToUpper(code[:4]) != code[:4] {
				return ""
			}
			units = append(units, uint16(n))
		}
		return known(string(utf16.Decode(units)))
	}
	if code, ok := strings.CutPrefix(name, "u"); ok && len(code) >= 4 && len(code) <= 6 {
		if n, err := strconv.ParseUint(code, 16, 32); err == nil && n <= 0x10FFFF && strings.ToUpper(code) == code {
			return known(string(rune(n)))
		}
	}
	return form(name)
}

func known(text string) string {
	for _, r := range text {
		if isPrivate(r) || r == '\uFFFD' {
			return ""
		}
	}
	return text
}

// pieces are the parts that tall brackets are put together from, which have
// characters of their own by now (Unicode, Miscellaneous Technical).
var pieces = map[string]string{
	"parenlefttp": "⎛", "parenleftex": "⎜", "parenleftbt": "⎝", "parenrighttp": "⎞", "parenrightex": "⎟", "parenrightbt": "⎠",
	"bracketlefttp": "⎡", "bracketleftex": "⎢", "bracketleftbt": "⎣", "bracketrighttp": "⎤", "bracketrightex": "⎥", "bracketrightbt": "⎦",
	"bracelefttp": "⎧", "braceleftmid": "⎨", "braceleftbt": "⎩", "braceex": "⎪", "bracerighttp": "⎫", "bracerightmid": "⎬",
	"bracerightbt": "⎭",
	"integralex":   "⎮", "arrowvertex": "⏐", "arrowhorizex": "⎯", "radicalex": "‾",
	"vextendsingle": "⏐", "vextenddouble": "‖",
	"registersans": "®", "registerserif": "®", "copyrightsans": "©", "copyrightserif": "©", "trademarksans": "™", "trademarkserif": "™",
	"dotlessj": "ȷ",
}

// forms are the words behind a name that say how its glyph looks, and no more.
var forms = []string{"oldstyle", "superior", "inferior", "small", "fitted", "display", "text", "Bigg", "bigg", "Big", "big"}

// form gives the character that a glyph is a form of.
func form(name string) string {
	if text, ok := pieces[name]; ok {
		return text
	}
	byName, _ := names()
	for _, ending := range forms {
		if stem, ok := strings.CutSuffix(name, ending); ok && stem != "" {
			if text, ok := byName[stem]; ok {
				return known(text)
			}
		}
	}
	return ""
}

// Public gives the character that one of the private area is a form of, where the
// list has put it there, or "".
func Public(r rune) string {
	_, private := names()
	if name, ok := private[r]; ok {
		return form(name)
	}
	return ""
}
