package proof

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"incipit/internal/core/setting"
)

// mostFixes is how many fixes a gloss offers.
const mostFixes = 2

// Look proofs settings on every screen, without fixes. Glosses come the worst
// first.
func Look(f Facts, s setting.Settings, terms Terms, screens []Screen) []View {
	views := make([]View, len(screens))
	for i, screen := range screens {
		views[i] = looked(f, s, terms, screen)
	}
	return views
}

// Run is Look with fixes.
func Run(f Facts, s setting.Settings, terms Terms, screens []Screen) []View {
	views := Look(f, s, terms, screens)
	tried := trials{f: f, terms: terms, screens: screens, seen: map[string]trial{}}
	for i := range views {
		for k := range views[i].Glosses {
			g := &views[i].Glosses[k]
			if g.Level != InOrder {
				g.Fixes = fixes(f, s, g.Kind, views, i, tried)
			}
		}
	}
	return views
}

// looked is one screen's view with its findings, the worst first.
func looked(f Facts, s setting.Settings, terms Terms, screen Screen) View {
	v := look(f, s, screen)
	v.findings(f, s, terms)
	slices.SortStableFunc(v.Glosses, func(a, b Gloss) int { return cmp.Compare(Rank(b.Level), Rank(a.Level)) })
	return v
}

// trials remembers what settings were tried: several glosses may think of the
// same change.
type trials struct {
	f       Facts
	terms   Terms
	screens []Screen
	seen    map[string]trial
}

type trial struct {
	stands bool // settings that can stand
	after  setting.Settings
	views  []View
}

func (t trials) try(s setting.Settings, patch setting.Patch) trial {
	name := patchName(patch)
	if done, ok := t.seen[name]; ok {
		return done
	}
	var done trial
	after, err := patch.Over(s)
	done.after = after
	if err == nil && len(setting.Check(after, t.f.Pages.Count())) == 0 && len(setting.Diff(s, after)) > 0 {
		done.stands, done.views = true, Look(t.f, after, t.terms, t.screens)
	}
	t.seen[name] = done
	return done
}

func patchName(p setting.Patch) string {
	var b strings.Builder
	for _, k := range p.Keys() {
		fmt.Fprintf(&b, "%s=%s;", k, p[k])
	}
	return b.String()
}

// fixes gives those candidates that really help, those with the lowest cost
// first.
func fixes(f Facts, s setting.Settings, k Kind, before []View, at int, tried trials) []Fix {
	type weighed struct {
		Fix
		cost int
	}
	var out []weighed
	for _, c := range candidates(f, s, k, before[at]) {
		done := tried.try(s, c.set)
		if !done.stands {
			continue
		}
		if g, there := done.views[at].Find(k); there && g.Level != InOrder {
			continue
		}
		fix := Fix{Words: c.words, Set: setting.Diff(s, done.after), Worse: []Worse{}}
		cost := 0
		for i := range before {
			for _, g := range done.views[i].Heavier(before[i]) {
				was, _ := before[i].Find(g.Kind)
				cost += (Rank(g.Level) - Rank(was.Level)) * Rank(g.Level)
				fix.Worse = append(fix.Worse, Worse{g.Kind, before[i].Screen.Name, g.Title})
			}
		}
		fix.Cost = costWords(fix.Worse, distinct(before))
		if !slices.ContainsFunc(out, func(o weighed) bool { return patchName(o.Set) == patchName(fix.Set) }) {
			out = append(out, weighed{fix, cost})
		}
	}
	slices.SortStableFunc(out, func(a, b weighed) int { return cmp.Compare(a.cost, b.cost) })
	result := []Fix{}
	for _, o := range out[:min(len(out), mostFixes)] {
		result = append(result, o.Fix)
	}
	return result
}

// distinct counts the screens by name: the one on the stage may be a usual one.
func distinct(views []View) int {
	names := map[string]bool{}
	for _, v := range views {
		names[v.Screen.Name] = true
	}
	return len(names)
}

// costWords says what a fix makes worse, each kind once.
func costWords(worse []Worse, screens int) string {
	var parts []string
	var kinds []Kind
	for _, w := range worse {
		if slices.Contains(kinds, w.Kind) {
			continue
		}
		kinds = append(kinds, w.Kind)
		var on []string
		for _, o := range worse {
			if o.Kind == w.Kind && !slices.Contains(on, o.Screen) {
				on = append(on, o.Screen)
			}
		}
		where := "on " + strings.Join(on, ", ")
		switch {
		case len(on) == screens && screens > 1:
			where = "on every screen"
		case on[0] == hereName && len(on) == 1:
			where = hereName
		case on[0] == hereName:
			where = hereName + " and on " + strings.Join(on[1:], ", ")
		}
		parts = append(parts, lower(w.Title)+" "+where)
	}
	if len(parts) == 0 {
		return ""
	}
	return "Then: " + strings.Join(parts, "; ") + "."
}

func lower(title string) string {
	r := []rune(title)
	return strings.ToLower(string(r[:1])) + string(r[1:])
}
