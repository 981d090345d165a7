//go:build !race

package sandbox

// boundedSpace says that a worker bounds its address space. The race detector
// alone needs more of it than any machine has memory.
const boundedSpace = true
