package press

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"regexp"
)

// identifier is the file identifier in a trailer (ISO 32000-2, 14.4): two strings of
// sixteen bytes each.
var identifier = regexp.MustCompile(`/ID\s*\[\s*<([0-9A-Fa-f]{32})>\s*<([0-9A-Fa-f]{32})>\s*\]`)

// named gives a file that the engine wrote an identifier by what it was made of. Its own is
// another one each time, and the same page would be other bytes under one entity tag. No
// byte moves, so that what the file says of its own places holds.
func named(file []byte, of File, page int) []byte {
	all := identifier.FindAllSubmatchIndex(file, -1)
	if len(all) == 0 {
		return file
	}
	at := all[len(all)-1] // of the trailer, which stands last
	sum := sha256.Sum256(fmt.Appendf(nil, "%s page %d", of.SHA256, page))
	out := bytes.Clone(file)
	for _, i := range []int{at[2], at[4]} {
		copy(out[i:], fmt.Appendf(nil, "%X", sum[:16]))
	}
	return out
}
