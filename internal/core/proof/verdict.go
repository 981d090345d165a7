package proof

import (
	"cmp"
	"slices"
)

// Verdict is what all screens together say: the worst of each kind, wherever it is.
type Verdict struct {
	Must int `json:"must"` // kinds that have to be fixed on some screen
	Care int `json:"care"` // kinds that ask for care, and are no worse anywhere
	// Elsewhere are findings that the first screen does not show as badly.
	Elsewhere []Elsewhere `json:"elsewhere"`
}

// Elsewhere is a finding on screens other than the first.
type Elsewhere struct {
	Gloss
	Screens []string `json:"screens"` // where, by name
	Page    float64  `json:"page"`    // width of the first of them, CSS px
}

// Judge gives the verdict over views, of which the first is the one that is looked at.
func Judge(views []View) Verdict {
	out := Verdict{Elsewhere: []Elsewhere{}}
	worst := map[Kind]string{}
	for i, v := range views {
		for _, g := range v.Glosses {
			if Rank(g.Level) > Rank(worst[g.Kind]) {
				worst[g.Kind] = g.Level
			}
			here, _ := views[0].Find(g.Kind)
			if i == 0 || Rank(g.Level) <= Rank(here.Level) {
				continue
			}
			at := slices.IndexFunc(out.Elsewhere, func(e Elsewhere) bool { return e.Kind == g.Kind })
			if at < 0 {
				out.Elsewhere = append(out.Elsewhere, Elsewhere{g, []string{v.Screen.Name}, v.Screen.Page})
				continue
			}
			e := &out.Elsewhere[at]
			if Rank(g.Level) > Rank(e.Level) {
				e.Gloss, e.Page = g, v.Screen.Page
			}
			if !slices.Contains(e.Screens, v.Screen.Name) {
				e.Screens = append(e.Screens, v.Screen.Name)
			}
		}
	}
	for _, level := range worst {
		if level == MustFix {
			out.Must++
		} else if level == TakeCare {
			out.Care++
		}
	}
	slices.SortStableFunc(out.Elsewhere, func(a, b Elsewhere) int { return cmp.Compare(Rank(b.Level), Rank(a.Level)) })
	return out
}

// Musts lists what has to be fixed on any of the views, with where: what is asked about
// before it is published.
func Musts(views []View) []Elsewhere {
	out := []Elsewhere{}
	for _, v := range views {
		for _, g := range v.Glosses {
			if g.Level != MustFix {
				continue
			}
			at := slices.IndexFunc(out, func(e Elsewhere) bool { return e.Kind == g.Kind })
			if at < 0 {
				out = append(out, Elsewhere{g, []string{v.Screen.Name}, v.Screen.Page})
			} else if !slices.Contains(out[at].Screens, v.Screen.Name) {
				out[at].Screens = append(out[at].Screens, v.Screen.Name)
			}
		}
	}
	return out
}

// FirstMust says, in a few words, what has to be fixed on the first screen on which
// something has to, or "".
func FirstMust(views []View) string {
	for _, v := range views {
		for _, g := range v.Glosses {
			if g.Level == MustFix {
				return "on a " + v.Screen.Name + ": " + g.Title
			}
		}
	}
	return ""
}
