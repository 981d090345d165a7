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
