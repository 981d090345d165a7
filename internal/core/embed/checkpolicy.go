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
			c.found("framepolicy", Must, f, "", "The page's policy stops the viewer",
				"The website sends a Content-Security-Policy that does not allow frames of %s. Whoever looks after the server adds it to frame-src.",
				c.Ours)
			return
		}
		if slices.Contains([]Kind{KindElement, KindOver, KindHere}, f.Kind) &&
			!allows(policy, c.Ours, "script-src-elem", "script-src", "default-src") {
			c.found("scriptpolicy", Must, f, "", "The page's policy stops the script",
				"The website sends a Content-Security-Policy that does not allow scripts of %s. Add it to script-src, or use the inline frame, which needs no script.", c.Ours)
			return
		}
		// The script gives an element its size again.
		if f.Kind == KindFrame && f.Attr["style"] != "" && !allowsStyles(policy) {
			c.found("stylepolicy", Care, f, "", "The page's policy takes its size away",
				"The website sends a Content-Security-Policy that leaves style attributes out, so the frame stays as tall as its height attribute says, in every column. Use the element with script, which keeps its size, or allow 'unsafe-inline' in style-src-attr.")
			return
		}
	}
}

// allowsStyles says whether a policy lets style attributes stand (Content
// Security Policy Level 3, 6.1.16).
func allowsStyles(policy string) bool {
	parts := directivesOf(policy)
	for _, d := range []string{"style-src-attr", "style-src", "default-src"} {
		sources, there := parts[d]
		if !there {
			continue
		}
		stricter := func(s string) bool { return strings.HasPrefix(s, "'nonce-") || strings.HasPrefix(s, "'sha") }
		return slices.Contains(sources, "'unsafe-inline'") && !slices.ContainsFunc(sources, stricter)
	}
	return true
}

// directivesOf reads a policy; of two directives with one name the first counts.
func directivesOf(policy string) map[string][]string {
	parts := map[string][]string{}
	for _, d := range strings.Split(policy, ";") {
		if words := strings.Fields(strings.ToLower(d)); len(words) > 0 {
			if _, twice := parts[words[0]]; !twice {
				parts[words[0]] = words[1:]
			}
		}
	}
	return parts
}

// allows says whether a policy (Content Security Policy Level 3, 6.7.2) lets a
// host through, by the first of some directives that it has.
func allows(policy, ours string, directives ...string) bool {
	parts := directivesOf(policy)
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
			case strings.HasPrefix(rest+bare, "*.") && strings.HasSuffix(u.Hostname(),
				strings.TrimPrefix(map[bool]string{true: rest, false: bare}[schemed], "*")):
				return true
			}
		}
		return false
	}
	return true
}
