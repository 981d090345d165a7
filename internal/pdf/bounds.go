package pdf

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// How long, in characters, a text may be that a file brings, and how many of a
// kind there may be. Whatever reaches the house from a worker has been cut to
// these: they bound rows, answers and readers' pages.
const (
	MostLabel     = 40   // of a page
	MostTitle     = 400  // of the document, and of an entry of the outline
	MostWords     = 2000 // author, subject, keywords, rights, an attachment's description
	MostName      = 300  // of a field, a layer, an attachment
	MostAddress   = 2000 // of a link or a licence, in bytes; a longer one leads nowhere
	MostLanguage  = 35   // RFC 5646, 4.4.1
	MostHeadings  = 5000
	MostFields    = 5000
	MostElements  = 20_000 // of a structure, of the kinds that are told
	MostLayers    = 500
	MostAttached  = 200
	MostDepth     = 32        // of an outline
	MostLetters   = 60_000    // on one page
	MostLinks     = 2000      // on one page
	MostBeside    = 50_000    // links, and notes, of a file as they are compared
	MostDecoded   = 256 << 20 // bytes of a picture that is being taken, decoded
	MostSide      = 20_000    // pixels of such a picture
	MostPictureMB = 20        // of its file
)

// Cut gives a text of a file as one that may be kept: valid, in one line, at most
// so many characters, the last an ellipsis where something was cut off.
func Cut(text string, most int) string {
	// More bytes than can matter are not even looked at.
	if len(text) > 8*most {
		text = text[:8*most]
	}
	var b strings.Builder
	n, space := 0, false
	for _, r := range strings.TrimRight(text, "\x00") {
		switch {
		case r == utf8.RuneError:
			r = '\uFFFD'
		case unicode.IsSpace(r):
			space = b.Len() > 0
			continue
		case unicode.IsControl(r):
			continue
		}
		if space {
			b.WriteByte(' ')
			n, space = n+1, false
		}
		if n++; n > most {
			return ellipsis(b.String(), most)
		}
		b.WriteRune(r)
	}
	return b.String()
}

func ellipsis(text string, most int) string {
	r := []rune(text)
	if len(r) >= most {
		r = r[:most-1]
	}
	return strings.TrimRight(string(r), " ") + "…"
}
