package reader

import (
	"fmt"
	"strings"

	"incipit/internal/core/dress"
	"incipit/internal/core/setting"
)

// dressCSS writes border, padding and colours of a placement as CSS. Colours
// were checked when they were set.
func dressCSS(s setting.Settings) string {
	var css strings.Builder
	fmt.Fprintf(&css, ".frame{--border:%spx;--padding:%spx;--corner:%spx}", figure(s.Border), figure(s.Padding), figure(s.Corner))
	tokens := func(t dress.Tokens, scheme string) {
		fmt.Fprintf(&css, ":root{--vellum:%s;--vellum-deep:%s;--leaf:%s;--ink:%s;--ink-soft:%s;--rule:%s;--edge:%s;--rubric:%s;--lapis:%s;color-scheme:%s}",
			t.Vellum, t.VellumDeep, t.Leaf, t.Ink, t.InkSoft, t.Rule, t.Edge, t.Rubric, t.Lapis, scheme)
	}
	switch s.Scheme {
	case setting.Light:
		tokens(dress.LightTokens, "light")
	case setting.Dark:
		tokens(dress.DarkTokens, "dark")
	case setting.Own:
		tokens(dress.Own(s.Colours), "light")
	}
	if s.Background != "" {
		fmt.Fprintf(&css, ":root{--vellum-deep:%s}", s.Background)
	}
	return css.String()
}
