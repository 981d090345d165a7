package main

import (
	"os"
	"path/filepath"

	"incipit/internal/pdf/sandbox"
)

// engineCache is where the compiled engine is kept between starts.
func engineCache() string {
	if dir := os.Getenv("INCIPIT_ENGINE_CACHE"); dir != "" {
		return dir
	}
	if dir, err := os.UserCacheDir(); err == nil {
		return filepath.Join(dir, "incipit", "engine")
	}
	return filepath.Join(os.TempDir(), "incipit-engine")
}

// worker is the life of a worker subprocess; see internal/pdf/pool.
func worker(args []string) error {
	dir := engineCache()
	if len(args) > 0 {
		dir = args[0]
	}
	return sandbox.Work(dir, sandbox.DefaultLimits())
}
