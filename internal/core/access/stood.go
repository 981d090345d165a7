package access

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"strconv"
	"time"
)

// Stood is a short seal that a viewer carries in its page and shows when it tells where it
// stands: a code (HMAC-SHA-256) over the document's key, the website that asked for the
// page, as far as the request said, and the hour. Who never opened a viewer there has none.
// The same all hour, so that a page that was asked for twice is the same page.
func Stood(secret []byte, doc, site string, at time.Time) string {
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "stood\n%s\n%s\n%s", doc, site, strconv.FormatInt(at.Unix()/stoodEach, 10))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)[:12])
}

const (
	stoodEach = int64(time.Hour / time.Second)
	// stoodHours is for how many hours back a seal holds: a viewer tells when it was opened.
	stoodHours = 2
)

// StoodAt says whether a seal is of a viewer that was opened lately for a document on a
// website, under one of some secrets.
func StoodAt(seal, doc, site string, now time.Time, secrets ...[]byte) bool {
	for _, secret := range secrets {
		for back := range stoodHours {
			if hmac.Equal([]byte(Stood(secret, doc, site, now.Add(-time.Duration(back)*time.Hour))), []byte(seal)) {
				return true
			}
		}
	}
	return false
}
