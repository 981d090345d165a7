package access

import (
	"net/url"

	"incipit/internal/core/setting"
)

// Asked is how a request names the website it comes from (Fetch, 3.1 and Fetch
// Metadata Request Headers): its Origin, its Referer, what is asked for, and how
// the website and we are related.
type Asked struct {
	Origin, Referrer, Destination, Site string
}

// Heard takes it out of a request's headers, which get gives by name.
func Heard(get func(string) string) Asked {
	return Asked{Origin: get("Origin"), Referrer: get("Referer"), Destination: get("Sec-Fetch-Dest"), Site: get("Sec-Fetch-Site")}
}

// Stranger says whether a website asks for something which only some websites may
// show and is none of them, and gives it as an origin, or "" where it does not
// name itself. A frame of one that does not is let through: the policy that
// frames are sent keeps it out (frame-ancestors). Anything else of one that does
// not is refused, where the browser says that it comes from elsewhere. Somebody
// who follows a link is a reader, wherever the link stands; our own pages are no
// strangers.
func Stranger(sites setting.SiteList, ours string, a Asked) (site string, is bool) {
	if len(sites) == 0 || a.Destination == "document" || a.Site == "same-origin" || a.Site == "none" {
		return "", false
	}
	// "null" names nobody, and does not make up for what else is said.
	for _, from := range []string{a.Origin, a.Referrer} {
		u, err := url.Parse(from)
		if from == "" || from == "null" || err != nil || u.Host == "" {
			continue
		}
		site := u.Scheme + "://" + u.Host
		if site == ours || sites.Allows(site) {
			return "", false
		}
		return site, true
	}
	frame := a.Destination == "iframe" || a.Destination == "frame" || a.Destination == "fencedframe"
	return "", !frame && (a.Origin == "null" || a.Site == "cross-site" || a.Site == "same-site")
}
