package backup

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"incipit/internal/blob"
)

// Folder keeps many backups: backups/TIME.tar holds the rows of one and the hashes of what
// they are about, bytes/ab/HASH the bytes of all, each once. What is in it never changes; a
// backup that was cut off has left bytes that no other needs, which Prune removes.
type Folder struct {
	dir  string
	lock *os.File
	sums map[string]string // what was read and found to be, by the name that it has
}

// ErrBusy is a folder that another program writes into, or reads, just now.
var ErrBusy = errors.New("another program is at work in this folder")

// Shared and Alone are how a folder is opened: by those that read it, or by one that
// changes it.
const (
	Shared = syscall.LOCK_SH
	Alone  = syscall.LOCK_EX
)

const (
	backupsOf = "backups"
	bytesOf   = "bytes"
	half      = ".half-" // how a name begins that is not whole
	stamp     = "2006-01-02T150405.000Z"
)

// IsFolder says whether a path is a Folder.
func IsFolder(dir string) bool {
	for _, part := range []string{backupsOf, bytesOf} {
		if info, err := os.Stat(filepath.Join(dir, part)); err != nil || !info.IsDir() {
			return false
		}
	}
	return true
}

// MakeFolder makes a Folder where there is none, or nothing.
func MakeFolder(dir string) error {
	if IsFolder(dir) {
		return nil
	}
	there, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("look into the folder of backups: %w", err)
	}
	for _, e := range there {
		if name := e.Name(); name != backupsOf && name != bytesOf && name != "lost+found" {
			return fmt.Errorf("%s holds something else (%s): give a folder that is empty, or one of backups", dir, name)
		}
	}
	for _, part := range []string{backupsOf, bytesOf} {
		if err := os.MkdirAll(filepath.Join(dir, part), 0o700); err != nil {
			return fmt.Errorf("make the folder of backups: %w", err)
		}
	}
	return nil
}

// OpenFolder opens a Folder, Shared or Alone, until it is closed.
func OpenFolder(dir string, how int) (*Folder, error) {
	if !IsFolder(dir) {
		return nil, fmt.Errorf("%s is no folder of backups", dir)
	}
	lock, err := os.Open(filepath.Join(dir, backupsOf))
	if err != nil {
		return nil, fmt.Errorf("open the folder of backups: %w", err)
	}
	if err := syscall.Flock(int(lock.Fd()), how|syscall.LOCK_NB); err != nil { //nolint:gosec // a descriptor
		lock.Close()
		if errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, ErrBusy
		}
		return nil, fmt.Errorf("have the folder of backups to itself: %w", err)
	}
	return &Folder{dir: dir, lock: lock, sums: map[string]string{}}, nil
}

// Close lets others in.
func (f *Folder) Close() error { return f.lock.Close() }

// Names lists the backups, the oldest first.
func (f *Folder) Names() ([]string, error) {
	all, err := os.ReadDir(filepath.Join(f.dir, backupsOf))
	if err != nil {
		return nil, fmt.Errorf("list the backups: %w", err)
	}
	var out []string
	for _, e := range all {
		name, is := strings.CutSuffix(e.Name(), ".tar")
		if _, err := time.Parse(stamp, name); is && err == nil && e.Type().IsRegular() {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out, nil
}

// Backup opens one, by its name, to be checked or restored; the second result closes it.
func (f *Folder) Backup(name string) (*Backup, func() error, error) {
	file, err := os.Open(filepath.Join(f.dir, backupsOf, name+".tar"))
	if err != nil {
		return nil, nil, fmt.Errorf("open the backup %s: %w", name, err)
	}
	return &Backup{file: file, folder: f}, file.Close, nil
}

// Written says what a backup added to its folder.
type Written struct {
	Manifest

	Name  string
	New   int   // files whose bytes were not there before
	Bytes int64 // of these, and of the backup's own file
}

// Write adds a backup of an installation. Bytes of a key that the newest backup has, and
// that were not touched since, are taken to be those it names (what is kept under a key never
// changes), and are read in the folder alone; where they are damaged there, and those of all
// other keys, they are read in the store. What was written is read back.
func (f *Folder) Write(ctx context.Context, address string, blobs *blob.Store, told func(what string)) (Written, error) {
	var out Written
	known, since, err := f.newest()
	if err != nil {
		return out, err
	}
	file, err := os.CreateTemp(filepath.Join(f.dir, backupsOf), half)
	if err != nil {
		return out, fmt.Errorf("write the backup: %w", err)
	}
	defer os.Remove(file.Name())
	defer file.Close()
	w := &writer{tar: tar.NewWriter(file), hashes: map[string]string{}}
	w.keep = func(_ context.Context, e blob.Entry, open opening) error {
		name := "blobs/" + e.Key
		if hash := known[name]; hash != "" && e.Modified.Before(since) {
			if there, err := f.sum(hash); err == nil && there == hash {
				w.hashes[name] = hash
				return nil
			}
		}
		hash, added, err := f.add(open)
		if err == nil && added > 0 {
			out.New++
			out.Bytes += added
			delete(f.sums, hash)
		}
		w.hashes[name] = hash
		return err
	}
	if out.Manifest, err = w.write(ctx, address, blobs, told); err != nil {
		return out, err
	}
	if told != nil {
		told("reading it back")
	}
	if err := file.Sync(); err != nil {
		return out, fmt.Errorf("write the backup: %w", err)
	}
	if err := (&Backup{file: file, folder: f}).Check(); err != nil { // what cannot be restored is no backup
		return out, fmt.Errorf("read the backup back: %w", err)
	}
	info, err := file.Stat()
	if err != nil {
		return out, fmt.Errorf("write the backup: %w", err)
	}
	if out.Name, err = f.next(out.MadeAt); err != nil {
		return out, err
	}
	out.Bytes += info.Size()
	if err := os.Link(file.Name(), filepath.Join(f.dir, backupsOf, out.Name+".tar")); err != nil {
		return out, fmt.Errorf("keep the backup: %w", err)
	}
	return out, synced(filepath.Join(f.dir, backupsOf))
}

// next gives the name of a backup that is added now: its time, or, where a clock went back,
// one behind the newest, so that their order is the one in which they were made. The
// manifest has the time that the clock said.
func (f *Folder) next(at time.Time) (string, error) {
	names, err := f.Names()
	if err != nil || len(names) == 0 {
		return at.Format(stamp), err
	}
	last, err := time.Parse(stamp, names[len(names)-1])
	if err != nil {
		return "", fmt.Errorf("read the time of the newest backup: %w", err)
	}
	if after := last.Add(time.Millisecond); at.Before(after) {
		at = after
	}
	return at.Format(stamp), nil
}

// clocks is how far apart those of the store and of this machine may be.
const clocks = time.Hour

// newest gives the hashes of the newest backup, and up to when bytes that were not touched
// are known by it. One that cannot be read makes all be read again.
func (f *Folder) newest() (map[string]string, time.Time, error) {
	names, err := f.Names()
	if err != nil || len(names) == 0 {
		return nil, time.Time{}, err
	}
	last := names[len(names)-1]
	at, err := time.Parse(stamp, last)
	if err != nil {
		return nil, at, fmt.Errorf("read the time of the backup %s: %w", last, err)
	}
	hashes, err := f.hashes(last)
	if err != nil || time.Now().Before(at) { // where a clock went back, no time says what was touched
		return nil, at, nil //nolint:nilerr // all is read again
	}
	return hashes, at.Add(-clocks), nil
}

// hashes reads what a backup is about, without reading its bytes.
func (f *Folder) hashes(name string) (map[string]string, error) {
	file, err := os.Open(filepath.Join(f.dir, backupsOf, name+".tar"))
	if err != nil {
		return nil, fmt.Errorf("open the backup %s: %w", name, err)
	}
	defer file.Close()
	t := tar.NewReader(file)
	for {
		e, err := t.Next()
		if err != nil {
			return nil, fmt.Errorf("read the backup %s: %w", name, err)
		}
		if e.Name == "hashes.json" {
			if e.Size > mostListed {
				return nil, fmt.Errorf("the hashes of the backup %s are longer than any that is written", name)
			}
			var out map[string]string
			if err := json.NewDecoder(t).Decode(&out); err != nil {
				return nil, fmt.Errorf("read the hashes of the backup %s: %w", name, err)
			}
			return out, nil
		}
	}
}

// path is where bytes lie; what is no hash is no name.
func (f *Folder) path(hash string) (string, error) {
	if b, err := hex.DecodeString(hash); err != nil || len(b) != sha256.Size || strings.ToLower(hash) != hash {
		return "", fmt.Errorf("%q is no SHA-256", hash)
	}
	return filepath.Join(f.dir, bytesOf, hash[:2], hash), nil
}

// open opens bytes of the folder: a regular file, no link and no pipe.
func (f *Folder) open(hash string) (*os.File, error) {
	path, err := f.path(hash)
	if err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NOFOLLOW|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, fmt.Errorf("open its bytes: %w", err)
	}
	if info, err := file.Stat(); err != nil || !info.Mode().IsRegular() {
		file.Close()
		return nil, errors.Join(fmt.Errorf("%s is no regular file", path), err)
	}
	return file, nil
}

// sum reads bytes and gives their hash, once for all backups that name them.
func (f *Folder) sum(hash string) (string, error) {
	if known := f.sums[hash]; known != "" {
		return known, nil
	}
	file, err := f.open(hash)
	if err != nil {
		return "", err
	}
	defer file.Close()
	h := sha256.New()
	if _, err := io.Copy(h, file); err != nil {
		return "", fmt.Errorf("read its bytes: %w", err)
	}
	f.sums[hash] = sum(h)
	return f.sums[hash], nil
}

// add keeps bytes and gives their hash, and how many there were where they are new. Those
// that lie there with another content than their name says are set right.
func (f *Folder) add(open opening) (string, int64, error) {
	r, err := open()
	if err != nil {
		return "", 0, err
	}
	defer r.Close()
	file, err := os.CreateTemp(filepath.Join(f.dir, bytesOf), half)
	if err != nil {
		return "", 0, fmt.Errorf("keep bytes: %w", err)
	}
	defer os.Remove(file.Name())
	defer file.Close()
	h := sha256.New()
	n, err := io.Copy(io.MultiWriter(file, h), r)
	if err != nil {
		return "", 0, fmt.Errorf("keep bytes: %w", err)
	}
	hash := sum(h)
	if there, err := f.sum(hash); err == nil && there == hash {
		return hash, 0, nil
	}
	path, err := f.path(hash)
	if err != nil {
		return "", 0, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", 0, fmt.Errorf("keep bytes: %w", err)
	}
	if err := errors.Join(file.Sync(), os.Rename(file.Name(), path), synced(filepath.Dir(path)), synced(filepath.Join(f.dir, bytesOf))); err != nil {
		return "", 0, fmt.Errorf("keep bytes: %w", err)
	}
	return hash, n, nil
}

// synced forces the names of a directory to disk.
func synced(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return fmt.Errorf("keep the names of %s: %w", dir, err)
	}
	defer d.Close()
	if err := d.Sync(); err != nil {
		return fmt.Errorf("keep the names of %s: %w", dir, err)
	}
	return nil
}

// Pruned counts what Prune removed.
type Pruned struct {
	Backups int
	Files   int
	Bytes   int64
}

// Prune removes all but the newest backups, and bytes that no backup names. Nothing is
// removed where one that stays cannot be read, for nobody knows what it needs, or where
// bytes that it names are not there: an older one may be all there is. Whether bytes are
// sound Check says.
func (f *Folder) Prune(keep int) (Pruned, error) {
	var out Pruned
	if keep < 1 {
		return out, errors.New("keep one backup, or more")
	}
	names, err := f.Names()
	if err != nil {
		return out, err
	}
	old := names[:max(len(names)-keep, 0)]
	needed := map[string]bool{}
	for _, name := range names[len(old):] {
		hashes, err := f.hashes(name)
		if err != nil {
			return out, fmt.Errorf("%w. Nothing was removed", err)
		}
		for entry, hash := range hashes {
			if !strings.HasPrefix(entry, "blobs/") || needed[hash] {
				continue
			}
			file, err := f.open(hash)
			if err != nil {
				return out, fmt.Errorf("the backup %s lacks %s: %w. Nothing was removed", name, entry, err)
			}
			file.Close()
			needed[hash] = true
		}
	}
	for _, name := range old {
		if err := os.Remove(filepath.Join(f.dir, backupsOf, name+".tar")); err != nil {
			return out, fmt.Errorf("remove the backup %s: %w", name, err)
		}
		out.Backups++
	}
	remove := func(path string, info os.FileInfo) error {
		if err := os.Remove(path); err != nil {
			return fmt.Errorf("remove bytes: %w", err)
		}
		out.Files++
		out.Bytes += info.Size()
		return nil
	}
	for _, part := range []string{backupsOf, bytesOf} {
		err := filepath.Walk(filepath.Join(f.dir, part), func(path string, info os.FileInfo, err error) error {
			name := filepath.Base(path)
			switch {
			case err != nil:
				return fmt.Errorf("look for bytes that no backup names: %w", err)
			case !info.Mode().IsRegular():
				return nil
			case strings.HasPrefix(name, half):
				return remove(path, info)
			case part == bytesOf && len(name) == hex.EncodedLen(sha256.Size) && !needed[name]:
				return remove(path, info)
			}
			return nil
		})
		if err != nil {
			return out, err
		}
	}
	return out, nil
}
