// Package blob is where bytes live: a folder of this machine, or a bucket of
// an S3-compatible store when several servers share it.
//
// It is a thin face over gocloud.dev/blob that adds the two things the house
// needs: bytes are durable before they are acknowledged (a folder is synced,
// file and directory; a bucket is durable by itself), and what was left behind
// by a crash can be found and removed.
package blob

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"gocloud.dev/blob"
	"gocloud.dev/blob/fileblob"
	_ "gocloud.dev/blob/s3blob" // s3:// addresses
	"gocloud.dev/gcerrors"
)

// Store keeps bytes under keys such as files/ab/cd.
type Store struct {
	bucket *blob.Bucket
	dir    string // set when the store is a folder
	gate   *gate
}

func storeOver(b *blob.Bucket, dir string) *Store {
	s := &Store{bucket: b, dir: dir}
	s.gate = newGate(s.look)
	return s
}

// ErrNotFound is given for a key that holds nothing.
var ErrNotFound = errors.New("no such bytes")

// Open opens a store by its address.
func Open(ctx context.Context, address string) (*Store, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, fmt.Errorf("read the blob address: %w", err)
	}
	if u.Scheme == "file" {
		if err := os.MkdirAll(u.Path, 0o700); err != nil {
			return nil, fmt.Errorf("make the blob folder: %w", err)
		}
		b, err := fileblob.OpenBucket(u.Path, &fileblob.Options{NoTempDir: true, Metadata: fileblob.MetadataDontWrite, CreateDir: true})
		if err != nil {
			return nil, fmt.Errorf("open the blob folder: %w", err)
		}
		return storeOver(b, u.Path), nil
	}
	b, err := blob.OpenBucket(ctx, address)
	if err != nil {
		return nil, fmt.Errorf("open the blob store: %w", err)
	}
	return storeOver(b, ""), nil
}

// Ready says, by its error, why nothing can be kept or read.
func (s *Store) Ready(ctx context.Context) error {
	_, err := within(ctx, s.gate, "look", s.gate.times.look, func(ctx context.Context) (struct{}, error) { return struct{}{}, s.look(ctx) }, nil)
	return err
}

func (s *Store) look(ctx context.Context) error {
	there, err := s.bucket.IsAccessible(ctx)
	if err != nil {
		return fmt.Errorf("look at the blob store: %w", err)
	}
	if !there {
		return errors.New("the bucket is not there")
	}
	return nil
}

// Try writes a few bytes and removes them again: what cannot be written to is
// found at the start.
func (s *Store) Try(ctx context.Context) error {
	if err := s.Ready(ctx); err != nil {
		return err
	}
	const key = "tried"
	if _, err := s.Keep(ctx, key, strings.NewReader("x")); err != nil {
		return err
	}
	return s.Delete(ctx, key)
}

// Close gives back what the store holds.
func (s *Store) Close() error {
	close(s.gate.closed)
	return s.bucket.Close()
}

// Closed says whether the store was closed: what is still on its way then is not kept, and
// that is no trouble.
func (s *Store) Closed() bool {
	select {
	case <-s.gate.closed:
		return true
	default:
		return false
	}
}

// Write streams r to key and returns when the bytes are durable. When r or the
// store fails, nothing is left under the key.
func (s *Store) Write(ctx context.Context, key string, r io.Reader) (int64, error) {
	n, err := s.Keep(ctx, key, r)
	if err == nil && s.dir != "" {
		_, err = within(ctx, s.gate, "sync", s.gate.times.close, func(context.Context) (struct{}, error) { return struct{}{}, s.sync(key) }, nil)
	}
	return n, err
}

// attempts is how often something is tried that a store of several machines may
// refuse at one moment and do at the next.
const attempts = 4

// again does something until it succeeds, or fails for good: where nothing is
// there, where there is no room, where whoever asked has gone.
func again(ctx context.Context, do func() error) error {
	for n := 1; ; n++ {
		err := do()
		if err == nil || n == attempts || ctx.Err() != nil || notThere(err) || Full(err) || ReadOnly(err) || Away(err) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Duration(n*n) * 40 * time.Millisecond):
		}
	}
}

// Keep is Write for what can be made again: a crash may lose it. What can be read
// from the start again is tried several times.
func (s *Store) Keep(ctx context.Context, key string, r io.Reader) (n int64, err error) {
	seeker, ok := r.(io.Seeker)
	if !ok {
		return s.put(ctx, key, r)
	}
	err = again(ctx, func() error {
		if _, err := seeker.Seek(0, io.SeekStart); err != nil {
			return err
		}
		n, err = s.put(ctx, key, r)
		return err
	})
	return n, err
}

func (s *Store) put(ctx context.Context, key string, r io.Reader) (int64, error) {
	n, err := s.written(ctx, key, r)
	return n, refused(err)
}

func (s *Store) written(ctx context.Context, key string, r io.Reader) (int64, error) {
	// A writer whose context ends before Close leaves nothing behind.
	writing, abandon := context.WithCancel(ctx)
	defer abandon()
	w, err := within(ctx, s.gate, "write", s.gate.times.answer, func(context.Context) (*blob.Writer, error) {
		return s.bucket.NewWriter(writing, key, &blob.WriterOptions{ContentType: "application/octet-stream"})
	}, func(w *blob.Writer) { abandon(); w.Close() })
	if err != nil {
		return 0, fmt.Errorf("write %s: %w", key, err)
	}
	end := func(context.Context) (struct{}, error) { return struct{}{}, w.Close() }
	n, err := flow(ctx, s.gate, w, r)
	if err != nil {
		abandon()
		if !Away(err) {
			_, _ = within(context.WithoutCancel(ctx), s.gate, "write", s.gate.times.close, end, nil)
		}
		return n, err
	}
	if _, err := within(ctx, s.gate, "write", s.gate.times.close, end, nil); err != nil {
		return n, fmt.Errorf("write %s: %w", key, err)
	}
	return n, nil
}

// sync forces a key of a folder, and the directories that name it, to disk.
func (s *Store) sync(key string) error {
	path := filepath.Join(s.dir, filepath.FromSlash(key))
	for {
		f, err := os.Open(path)
		if err != nil {
			return fmt.Errorf("sync %s: %w", key, err)
		}
		err = f.Sync()
		f.Close()
		if err != nil {
			return fmt.Errorf("sync %s: %w", key, err)
		}
		if path == s.dir {
			return nil
		}
		path = filepath.Dir(path)
	}
}

// Read gives all bytes of a small blob.
func (s *Store) Read(ctx context.Context, key string) ([]byte, error) {
	var b []byte
	err := again(ctx, func() (err error) {
		b, err = within(ctx, s.gate, "read", s.gate.times.answer, func(ctx context.Context) ([]byte, error) { return s.bucket.ReadAll(ctx, key) }, nil)
		return err
	})
	return b, wrap(err, key)
}

// Open opens a blob for seeking reads.
func (s *Store) Open(ctx context.Context, key string) (io.ReadSeekCloser, error) {
	var r *blob.Reader
	err := again(ctx, func() (err error) {
		r, err = within(ctx, s.gate, "open", s.gate.times.answer, func(ctx context.Context) (*blob.Reader, error) {
			return s.bucket.NewReader(ctx, key, nil)
		}, func(r *blob.Reader) { r.Close() })
		return err
	})
	if err != nil {
		return nil, wrap(err, key)
	}
	return paced{r, ctx, s.gate}, nil
}

// Ranges gives random access to a blob; each read is one range request.
func (s *Store) Ranges(ctx context.Context, key string) io.ReaderAt {
	return ranges{ctx, s, key}
}

type ranges struct {
	ctx   context.Context
	store *Store
	key   string
}

func (r ranges) ReadAt(p []byte, offset int64) (int, error) {
	n := 0
	err := again(r.ctx, func() error {
		got, err := within(r.ctx, r.store.gate, "read", r.store.gate.times.piece, func(ctx context.Context) ([]byte, error) {
			reader, err := r.store.bucket.NewRangeReader(ctx, r.key, offset, int64(len(p)), nil)
			if err != nil {
				return nil, err
			}
			defer reader.Close()
			b := make([]byte, len(p)) // what comes late is nobody's
			n, err := io.ReadFull(reader, b)
			if errors.Is(err, io.ErrUnexpectedEOF) && offset+int64(n) >= reader.Size() {
				err = nil // the end of the blob
			}
			return b[:n], err
		}, nil)
		n = copy(p, got)
		return err
	})
	if err == nil && n < len(p) {
		return n, io.ErrUnexpectedEOF
	}
	if err != nil {
		err = wrap(err, r.key)
	}
	return n, err
}

// Delete removes a blob; one that is not there is no error.
func (s *Store) Delete(ctx context.Context, key string) error {
	if err := again(ctx, func() error {
		_, err := within(ctx, s.gate, "remove", s.gate.times.answer, func(ctx context.Context) (struct{}, error) {
			return struct{}{}, s.bucket.Delete(ctx, key)
		}, nil)
		return err
	}); err != nil && !notThere(err) {
		return fmt.Errorf("remove %s: %w", key, err)
	}
	return nil
}

// Entry is one blob in a listing.
type Entry struct {
	Key      string
	Size     int64
	Modified time.Time
}

// Each calls f for every blob whose key starts with prefix, and for what a
// write that was killed left in a folder.
func (s *Store) Each(ctx context.Context, prefix string, f func(Entry) error) error {
	it := s.bucket.List(&blob.ListOptions{Prefix: prefix})
	for {
		o, err := within(ctx, s.gate, "list", s.gate.times.close, it.Next, nil)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("list %s: %w", prefix, err)
		}
		if err := f(Entry{Key: o.Key, Size: o.Size, Modified: o.ModTime}); err != nil {
			return err
		}
	}
}

// Usage counts blobs and bytes below a prefix.
func (s *Store) Usage(ctx context.Context, prefix string) (blobs int, bytes int64, err error) {
	err = s.Each(ctx, prefix, func(e Entry) error {
		blobs++
		bytes += e.Size
		return nil
	})
	return blobs, bytes, err
}

// notThere says whether an error means that a key holds nothing.
func notThere(err error) bool { return err != nil && gcerrors.Code(err) == gcerrors.NotFound }

func wrap(err error, key string) error {
	switch {
	case err == nil:
		return nil
	case notThere(err):
		return fmt.Errorf("read %s: %w", key, ErrNotFound)
	}
	return fmt.Errorf("read %s: %w", key, err)
}
