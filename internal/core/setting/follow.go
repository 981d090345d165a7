package setting

import "strings"

// Followed gives settings in force with some changes of house style carried
// into them, for those keys that own does not choose for itself.
func Followed(inForce Settings, own Patch, change Patch) (Settings, error) {
	p := Patch{}
	for k, v := range change {
		if _, chosen := own[k]; !chosen {
			p[k] = v
		}
	}
	return p.Over(inForce)
}

// Wish is a wish about settings: some get a value, some follow the base again.
type Wish struct {
	Set    Patch `json:"set"`
	Follow []Key `json:"follow"`
}

// Over lays a wish over settings in force, which stand on a base.
func (w Wish) Over(inForce, base Settings) (Settings, error) {
	next, err := w.Set.Over(inForce)
	if err != nil {
		return next, err
	}
	return Diff(base, next).Without(w.Follow...).Over(base)
}

// Named names settings in a sentence.
func Named(keys []Key) string {
	names := make([]string, len(keys))
	for i, k := range keys {
		names[i] = "“" + k.Name() + "”"
	}
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
	return strings.Join(names, "")
}

// Rechosen gives what is chosen over house style after a change from seen to next: what
// the change touched follows where it is as in house style, and is chosen where it is not;
// what it did not touch stays as it was chosen, also where house style has come to the same.
// What goes with another setting is chosen as it was seen: somebody who leaves house style's
// scheme for own colours gets those they saw, not house style's.
func Rechosen(own Patch, house, seen, next Settings) Patch {
	out := Patch{}
	for k, v := range own {
		out[k] = v
	}
	differs := Diff(house, next)
	for k := range Diff(seen, next) {
		if v, chosen := differs[k]; chosen {
			out[k] = v
		} else {
			delete(out, k)
		}
	}
	if given, err := out.Over(house); err == nil {
		for k, v := range Diff(given, next) {
			out[k] = v
		}
	}
	return out
}
