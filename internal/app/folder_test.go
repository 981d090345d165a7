package app_test

import (
	"os"
	"path/filepath"
)

// filesIn lists the forms that were spooled into a folder.
func filesIn(dir string) ([]string, error) {
	if _, err := os.Stat(dir); err != nil {
		return nil, err
	}
	return filepath.Glob(filepath.Join(dir, "multipart-*"))
}
