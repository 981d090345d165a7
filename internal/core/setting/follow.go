package setting

import (
	"bytes"
	"strings"
)

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

// Clashing names the settings that a change touches and that somebody else has changed
// between what its maker saw and what stands now.
func Clashing(seen, now Patch, touched []Key) []Key {
	var out []Key
	for _, k := range touched {
		was, before := seen[k]
		is, after := now[k]
		if before != after || !bytes.Equal(was, is) {
			out = append(out, k)
		}
	}
	return out
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
