package access

import (
	"net/url"

	"incipit/internal/core/setting"
)

// Asked is how a request names the website it comes from (Fetch, 3.1 and Fetch
// Metadata): its Origin, its Referer, and what is asked for.
type Asked struct {
	Origin, Referrer, Destination string
}

// Stranger gives the website, as an origin, that asks for something which only
// some websites may show and is none of them, or "". Websites that name
// themselves are told so by a note; those that do not are kept out by the policy
// that frames are sent (frame-ancestors). Somebody who follows a link is a
// reader, wherever the link stands; our own host is no stranger.
func Stranger(sites setting.SiteList, ours string, a Asked) string {
	if len(sites) == 0 || a.Destination == "document" {
		return ""
	}
	from := a.Origin
	if from == "" {
		from = a.Referrer
	}
	u, err := url.Parse(from)
	if from == "" || err != nil || u.Host == "" {
		return ""
	}
	if site := u.Scheme + "://" + u.Host; site != ours && !sites.Allows(site) {
		return site
	}
	return ""
}
