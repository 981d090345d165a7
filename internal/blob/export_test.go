package blob

import "time"

// Hasten has a store wait a hundredth of what it waits otherwise.
func (s *Store) Hasten() {
	t := &s.gate.times
	for _, d := range []*time.Duration{&t.answer, &t.piece, &t.close, &t.every, &t.look} {
		*d /= 100
	}
}

// Bounds gives the bounds of a store.
func (s *Store) Bounds() (answer, piece, close, every, look time.Duration) {
	t := s.gate.times
	return t.answer, t.piece, t.close, t.every, t.look
}
