package testkit

import "testing"

// Long leaves a test out of a quick run.
func Long(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("it takes its time")
	}
}
