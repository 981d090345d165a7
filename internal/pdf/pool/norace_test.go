//go:build !race

package pool_test

const raceDetector = false
