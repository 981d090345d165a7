package machine

import "runtime/debug"

// seldom is by how many per cent the server's memory grows, over what it holds, before
// it is looked through for what nobody needs. It holds little (tens of MB) and makes a
// few KB for each answer: at Go's own 100 it would be looked through a dozen times a
// second while page images leave.
const seldom = 300

// Keep has this process keep to so many MiB of memory, and look through it seldom where
// that is far away.
func Keep(mib int) {
	debug.SetGCPercent(seldom)
	debug.SetMemoryLimit(int64(mib) << 20)
}
