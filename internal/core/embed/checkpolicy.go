package embed

import (
	"net/url"
	"slices"
	"strings"
)

// policy checks what the page's own content security policies allow.
func (c *checking) policy(f Found) {
	for _, policy := range append(slices.Clone(c.CSP), c.page.CSP...) {
		if f.Kind != KindOpen && !allows(policy, c.Ours, "frame-src", "child-src", "default-src") {
			c.found("framepolicy", Must, f, "", "The page's policy stops the viewer", "The website sends a Content-Security-Policy that does not allow frames of %s. Whoever looks after the server adds it to frame-src.", c.Ours)
			return
		}
		if slices.Contains([]Kind{KindElement, KindOver, KindHere}, f.Kind) && !allows(policy, c.Ours, "script-src-elem", "script-src", "default-src") {
			c.found("scriptpolicy", Must, f, "", "The page's policy stops the script", "The website sends a Content-Security-Policy that does not allow scripts of %s. Add it to script-src, or use the inline frame, which needs no script.", c.Ours)
			return
		}
	}
}

// allows says whether a policy (Content Security Policy Level 3, 6.7.2) lets a
// host through, by the first of some directives that it has.
func allows(policy, ours string, directives ...string) bool {
	parts := map[string][]string{}
	for _, d := range strings.Split(policy, ";") {
		if words := strings.Fields(strings.ToLower(d)); len(words) > 0 {
			if _, twice := parts[words[0]]; !twice {
				parts[words[0]] = words[1:]
			}
		}
	}
	for _, d := range directives {
		sources, there := parts[d]
		if !there {
			continue
		}
		u, err := url.Parse(ours)
		if err != nil {
			return true
		}
		for _, s := range sources {
			bare := strings.TrimSuffix(s, "/")
			_, rest, schemed := strings.Cut(bare, "://")
			switch {
			case s == "*", s == u.Scheme+":", bare == u.Scheme+"://"+u.Host, !schemed && bare == u.Host:
				return true
			case strings.HasPrefix(rest+bare, "*.") && strings.HasSuffix(u.Hostname(), strings.TrimPrefix(map[bool]string{true: rest, false: bare}[schemed], "*")):
				return true
			}
		}
		return false
	}
	return true
}
