// Package merge brings together what two people made of the same thing: a three-way
// merge over the members of JSON objects. What one of them changed is changed; what
// both changed, to different values, is a clash, which nobody can decide but they.
package merge

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
)

// Members are the members of a JSON object, each in its own text.
type Members map[string]json.RawMessage

// Of gives the members of a value that is written as an object.
func Of(v any) (Members, error) {
	b, err := json.Marshal(v)
	if err != nil {
		return nil, fmt.Errorf("write an object: %w", err)
	}
	var m Members
	if err := json.Unmarshal(b, &m); err != nil {
		return nil, fmt.Errorf("read an object: %w", err)
	}
	return m, nil
}

// Changed names the members in which two objects differ, in their order by name. A
// member that one of them has not got differs.
func Changed(before, after Members) []string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(before)) {
		if is, there := after[name]; !there || !same(before[name], is) {
			out = append(out, name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(after)) {
		if _, there := before[name]; !there {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// same compares values, not how they are written.
func same(a, b json.RawMessage) bool {
	if bytes.Equal(a, b) {
		return true
	}
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	one, err := json.Marshal(x)
	if err != nil {
		return false
	}
	other, err := json.Marshal(y)
	return err == nil && bytes.Equal(one, other)
}

// Three brings mine, which was made of seen, into now, which others made of it. Clash
// names the members that both changed to different values; there now has theirs.
func Three(seen, now, mine Members) (merged Members, clash []string) {
	merged = maps.Clone(now)
	if merged == nil {
		merged = Members{}
	}
	theirs := Changed(seen, now)
	for _, name := range Changed(seen, mine) {
		value, there := mine[name]
		if slices.Contains(theirs, name) {
			if is, kept := now[name]; kept != there || there && !same(is, value) {
				clash = append(clash, name)
			}
			continue
		}
		if there {
			merged[name] = value
		} else {
			delete(merged, name)
		}
	}
	return merged, clash
}
