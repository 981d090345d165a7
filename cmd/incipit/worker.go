package main

import (
	"errors"
	"strconv"

	"incipit/internal/pdf/sandbox"
)

// worker is the life of a worker subprocess; see internal/pdf/pool.
func worker(args []string) error {
	if len(args) == 2 {
		if mib, err := strconv.Atoi(args[1]); err == nil {
			return sandbox.Work(args[0], sandbox.LimitsFor(mib))
		}
	}
	return badUse{errors.New("worker: started by Incipit itself, with the folder of the compiled engine and the memory it may have")}
}
