// Withdb runs a command with a throw-away PostgreSQL named by
// TEST_DATABASE_URL, so that all test packages of one run share it.
package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"

	"incipit/internal/testkit"
)

func main() {
	address, err := testkit.StartServer()
	if err != nil {
		fmt.Fprintln(os.Stderr, "withdb:", err)
		os.Exit(1)
	}
	cmd := exec.Command(os.Args[1], os.Args[2:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	cmd.Env = append(os.Environ(), "TEST_DATABASE_URL="+address)
	err = cmd.Run()
	testkit.StopServer()
	var exit *exec.ExitError
	switch {
	case errors.As(err, &exit):
		os.Exit(exit.ExitCode())
	case err != nil:
		fmt.Fprintln(os.Stderr, "withdb:", err)
		os.Exit(1)
	}
}
