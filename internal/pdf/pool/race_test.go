//go:build race

package pool_test

// raceDetector takes memory of its own.
const raceDetector = true
