package setting

import (
	"encoding/json"
	"net/url"
	"regexp"
	"slices"
	"strings"
)

// SiteList are the websites that may show a placement, as origins: scheme, host
// and port. A host may begin with *. for all that end like it. No entry is any
// website.
type SiteList []string

// MostSites bounds a list.
const MostSites = 40

var siteForm = regexp.MustCompile(`^https?://(\*\.)?[a-z0-9]([a-z0-9.-]*[a-z0-9])?(:[0-9]{1,5})?$`)

// UnmarshalJSON takes addresses as people write them, and makes origins of them.
func (l *SiteList) UnmarshalJSON(b []byte) error {
	var raw []string
	if err := json.Unmarshal(b, &raw); err != nil {
		return err
	}
	out := SiteList{}
	for _, s := range raw {
		s = strings.ToLower(strings.TrimSpace(s))
		if s == "" {
			continue
		}
		if !strings.Contains(s, "://") {
			s = "https://" + s
		}
		if u, err := url.Parse(s); err == nil && u.Host != "" {
			s = u.Scheme + "://" + u.Host
		}
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	*l = out
	return nil
}

// MarshalJSON writes no list as an empty one.
func (l SiteList) MarshalJSON() ([]byte, error) { return json.Marshal(append([]string{}, l...)) }

// Allows says whether a website, named by its origin, may show it.
func (l SiteList) Allows(origin string) bool {
	if len(l) == 0 {
		return true
	}
	scheme, host, ok := strings.Cut(strings.ToLower(origin), "://")
	if !ok {
		return false
	}
	for _, s := range l {
		wantScheme, want, _ := strings.Cut(s, "://")
		if scheme != wantScheme {
			continue
		}
		if want == host || strings.HasPrefix(want, "*.") && strings.HasSuffix(host, want[1:]) {
			return true
		}
	}
	return false
}

// Wrong says in a sentence what cannot be in a list, or "".
func (l SiteList) Wrong() string {
	if len(l) > MostSites {
		return "A list has at most 40 websites."
	}
	for _, s := range l {
		if !siteForm.MatchString(s) {
			return "A website looks like https://www.example.org, or https://*.example.org for all below it. “" + s + "” does not."
		}
	}
	return ""
}
