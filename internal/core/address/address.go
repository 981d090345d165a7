// Package address builds and reads every address of ours below the house's own: what
// stands in code that was pasted holds for ever, so it is spelt in one place.
package address

import (
	"fmt"
	"net/url"
	"regexp"
	"strconv"
	"strings"
)

// Part is who of the house answers below an address.
type Part int

// The parts.
const (
	Nowhere Part = iota // nothing of ours is there
	Viewer              // a document's reader: a placement, a record, the stage of a draft
	Site                // what we publish: pages, collections, pictures
	House               // what programs ask: scripts, styles, oEmbed, health
	Desk                // where editors work
)

// firsts are the first parts of all paths, and who answers there.
var firsts = map[string]Part{
	"r": Viewer, "record": Viewer, "stage": Viewer,
	"c": Site, "pages": Site, "pictures": Site,
	"s": House, "onpage.js": House, "onpage.d.ts": House, "onpage": House, "oembed": House, "favicon.ico": House, "health": House,
	"ready": House, "live": House, ".well-known": House,
	"": Desk, "sign-in": Desk, "sign-out": Desk, "set-up": Desk, "new-password": Desk, "account": Desk, "documents": Desk, "uploads": Desk, "care": Desk,
	"placements": Desk, "collections": Desk,
	"web-pages": Desk, "offers": Desk, "signing-keys": Desk, "check": Desk, "house-style": Desk,
}

// uploads is where editors add pictures, which is not where they are shown.
const uploads = "/pictures"

// PartOf says who answers at a path.
func PartOf(path string) Part {
	if path == uploads {
		return Desk
	}
	first, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	return firsts[first]
}

// Editors says whether a path leads to where editors work, the stage of a draft included:
// readers see nothing there.
func Editors(path string) bool {
	first, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	return first == "stage" || first != "" && PartOf(path) == Desk
}

// KeyPattern is how a public key is written.
const KeyPattern = `[a-z0-9]{20}`

// Reader is where readers read a placement.
func Reader(key string) string { return "/r/" + key }

// grantMark parts a key from the grant of a token.
const grantMark = "~"

// Granted is where who showed a token reads it, until the grant ends.
func Granted(key, grant string) string { return Reader(key) + grantMark + grant }

// Key gives the key and the grant, or "", of what stands after Reader's beginning.
func Key(part string) (key, grant string) {
	key, grant, _ = strings.Cut(part, grantMark)
	return key, grant
}

// KeyOf gives the key in an address or path of a reader, or "".
func KeyOf(address string) string {
	_, after, ok := strings.Cut(address, "/r/")
	if !ok {
		return ""
	}
	if i := strings.IndexAny(after, "/?#\"' \t\n"); i >= 0 {
		after = after[:i]
	}
	key, _ := Key(after)
	return key
}

var readerPath = regexp.MustCompile(`^/r/` + KeyPattern + `(#.*)?$`)

// IsReader says whether a path, with a place or without, is that of a reader.
func IsReader(path string) bool { return readerPath.MatchString(path) }

// Stage is where editors read the draft of a placement.
func Stage(placement int64) string { return "/stage/" + strconv.FormatInt(placement, 10) }

// Record is where readers read what belongs to a record of an integrator's.
func Record(record string) string { return "/record/" + url.PathEscape(record) }

// Collection is where readers find a collection.
func Collection(key string) string { return "/c/" + key }

// Page is where readers find one of our web pages.
func Page(path string) string { return strings.TrimSuffix("/pages/"+path, "/") }

// Picture is where a picture of an editor's is, by the beginning of its hash, in a width.
func Picture(id int64, mark string, width int) string {
	return fmt.Sprintf("/pictures/%d/%s/%d", id, mark, width)
}

// Script is where the script for other people's pages is, and ScriptNamed one version.
const Script = "/onpage.js"

// ScriptNamed is where one version of the script stays.
func ScriptNamed(name string) string { return "/onpage/" + name }
