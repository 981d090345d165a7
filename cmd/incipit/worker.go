package main

import (
	"errors"

	"incipit/internal/pdf/sandbox"
)

// worker is the life of a worker subprocess; see internal/pdf/pool.
func worker(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("worker: started by Incipit itself, with the folder of the compiled engine")}
	}
	return sandbox.Work(args[0], sandbox.DefaultLimits())
}
