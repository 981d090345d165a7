package merge

import "slices"

// Seeker looks for who made each of some members what it is, going back through contents
// from the last one on.
type Seeker struct{ left []string }

// Seek begins to look for who last changed each of the named members.
func Seek(names []string) *Seeker { return &Seeker{slices.Clone(names)} }

// Look gives those of the members still looked for that a content changed from the one
// before it: whoever made that content made them what they are.
func (s *Seeker) Look(before, after Members) []string {
	var found, left []string
	changed := Changed(before, after)
	for _, name := range s.left {
		if slices.Contains(changed, name) {
			found = append(found, name)
		} else {
			left = append(left, name)
		}
	}
	s.left = left
	return found
}

// Done says that nothing is looked for any more.
func (s *Seeker) Done() bool { return len(s.left) == 0 }
