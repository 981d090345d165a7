package inout

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"syscall"
)

// A folder that is taken in is a stranger's: whatever is in it, files are read below it
// alone, regular ones alone, and as they were when their hashes were compared.

var errNotRegular = errors.New("it is no regular file")

// regular opens a regular file below a root, and nothing else: no link, no pipe that nobody
// writes into, no device.
func regular(root *os.Root, name string) (*os.File, error) {
	if !filepath.IsLocal(filepath.FromSlash(name)) || path.Clean(name) != name {
		return nil, fmt.Errorf("%q is no name of a file in the folder", name)
	}
	before, err := root.Lstat(filepath.FromSlash(name))
	if err != nil {
		return nil, err
	}
	if !before.Mode().IsRegular() {
		return nil, errNotRegular
	}
	f, err := root.OpenFile(filepath.FromSlash(name), os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	now, err := f.Stat()
	if err == nil && (!now.Mode().IsRegular() || !os.SameFile(before, now)) {
		err = errNotRegular
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// heeding reads until a context ends.
type heeding struct {
	ctx context.Context
	io.Reader
}

func (h heeding) Read(b []byte) (int, error) {
	if err := h.ctx.Err(); err != nil {
		return 0, err
	}
	return h.Reader.Read(b)
}

// open opens a file that is named in the export.
func (r *reader) open(name string) (*os.File, error) {
	if r.m.Files[name] == "" {
		return nil, fmt.Errorf("%s: %w", name, os.ErrNotExist)
	}
	f, err := regular(r.root, name)
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	return f, nil
}

// bytesOf reads a file of at most so many bytes that is what it was when it was checked.
func (r *reader) bytesOf(name string, most int64) ([]byte, error) {
	f, err := r.open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	if int64(len(b)) > most {
		return nil, fmt.Errorf("%s has more than %d bytes", name, most)
	}
	if sum := sha256.Sum256(b); hex.EncodeToString(sum[:]) != r.m.Files[name] {
		return nil, fmt.Errorf("%s was changed while it was read", name)
	}
	return b, nil
}

func readJSON[T any](r *reader, name string) (v T, err error) {
	b, err := r.bytesOf(name, mostJSON)
	if err != nil {
		return v, err
	}
	if err := json.NewDecoder(bytes.NewReader(b)).Decode(&v); err != nil {
		return v, fmt.Errorf("read %s: %w", name, err)
	}
	return v, nil
}
