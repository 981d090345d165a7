package embed

import (
	"net/url"
	"strings"
)

// mostPage bounds the address of a page that is kept, in bytes.
const mostPage = 400

// HostPage gives what is kept of the address of a page that shows a document:
// its website and its path. What else stands in an address, searches, names,
// passwords, places, may tell of who reads, and is dropped. ok is false where it
// is no web page.
func HostPage(referrer string) (page string, ok bool) {
	u, err := url.Parse(strings.TrimSpace(referrer))
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return "", false
	}
	page = (&url.URL{Scheme: u.Scheme, Host: strings.ToLower(u.Host), Path: u.Path, RawPath: u.RawPath}).String()
	return page, len(page) <= mostPage
}
