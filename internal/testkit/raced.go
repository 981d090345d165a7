//go:build race

package testkit

const raced = true
