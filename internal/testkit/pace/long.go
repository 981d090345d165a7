// Package pace says which tests take their time, and are left out of some runs (see
// scripts/test.sh).
package pace

import "testing"

// Unraced is for a test that does one thing after the other, and much of it: the race
// detector finds nothing there, and takes it ten times as long. It runs without it.
func Unraced(t testing.TB) {
	t.Helper()
	if raced {
		t.Skip("runs without the race detector")
	}
}

// Long leaves a test out of a quick run.
func Long(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("it takes its time")
	}
}
