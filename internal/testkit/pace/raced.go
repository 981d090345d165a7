//go:build race

package pace

const raced = true
