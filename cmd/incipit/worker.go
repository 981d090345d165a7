package main

import (
	"incipit/internal/config"
	"incipit/internal/pdf/sandbox"
)

// worker is the life of a worker subprocess; see internal/pdf/pool.
func worker(args []string) error {
	dir := config.EngineCache()
	if len(args) > 0 {
		dir = args[0]
	}
	return sandbox.Work(dir, sandbox.DefaultLimits())
}
