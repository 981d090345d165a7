//go:build race

package sandbox

const boundedSpace = false
