package merge

import "slices"

// Authors gives, of a row of contents, the oldest first, which one last changed each of
// the named members from the content before it: the names by place in the row. A member
// that none of them changed is in nobody's list.
func Authors(row []Members, names []string) map[int][]string {
	out := map[int][]string{}
	left := slices.Clone(names)
	for i := len(row) - 1; i > 0 && len(left) > 0; i-- {
		changed := Changed(row[i-1], row[i])
		rest := left[:0]
		for _, name := range left {
			if slices.Contains(changed, name) {
				out[i] = append(out[i], name)
			} else {
				rest = append(rest, name)
			}
		}
		left = rest
	}
	return out
}
