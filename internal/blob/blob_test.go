package blob_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
)

// stores gives every kind of store there is.
func stores(t *testing.T) map[string]*blob.Store {
	t.Helper()
	fake := gofakes3.New(s3mem.New(), gofakes3.WithLogger(gofakes3.DiscardLog()))
	server := httptest.NewServer(fake.Server())
	t.Cleanup(server.Close)
	t.Setenv("AWS_ACCESS_KEY_ID", "harrowmere")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "made-up")
	require.NoError(t, createBucket(server.URL, "marsh"))
	addresses := map[string]string{
		"folder": (&url.URL{Scheme: "file", Path: filepath.Join(t.TempDir(), "deep", "er")}).String(),
		"bucket": "s3://marsh?region=eu-north-1&use_path_style=true&disable_https=true&endpoint=" + url.QueryEscape(server.URL),
	}
	out := map[string]*blob.Store{}
	for name, address := range addresses {
		s, err := blob.Open(t.Context(), address)
		require.NoError(t, err, name)
		t.Cleanup(func() { s.Close() })
		out[name] = s
	}
	return out
}

func TestEveryStoreDoesTheSame(t *testing.T) {
	for name, s := range stores(t) {
		t.Run(name, func(t *testing.T) {
			ctx := t.Context()
			content := bytes.Repeat([]byte("0123456789"), 20_000)
			n, err := s.Write(ctx, "files/ab/x", bytes.NewReader(content))
			require.NoError(t, err)
			assert.EqualValues(t, len(content), n)
			got, err := s.Read(ctx, "files/ab/x")
			require.NoError(t, err)
			assert.True(t, bytes.Equal(content, got))

			part := make([]byte, 5)
			_, err = s.Ranges(ctx, "files/ab/x").ReadAt(part, 123_454)
			require.NoError(t, err)
			assert.Equal(t, "45678", string(part))
			r, err := s.Open(ctx, "files/ab/x")
			require.NoError(t, err)
			_, err = r.Seek(-3, io.SeekEnd)
			require.NoError(t, err)
			end, err := io.ReadAll(r)
			require.NoError(t, err)
			require.NoError(t, r.Close())
			assert.Equal(t, "789", string(end))

			_, err = s.Read(ctx, "files/ab/y")
			require.ErrorIs(t, err, blob.ErrNotFound)
			_, err = s.Ranges(ctx, "files/ab/y").ReadAt(part, 0)
			require.ErrorIs(t, err, blob.ErrNotFound)

			// A source that fails leaves nothing.
			_, err = s.Write(ctx, "files/ab/z", io.MultiReader(strings.NewReader("half"), failing{}))
			require.ErrorIs(t, err, errBroken)
			_, err = s.Keep(ctx, "pages/p/1/240", strings.NewReader("image"))
			require.NoError(t, err)
			blobs, size, err := s.Usage(ctx, "")
			require.NoError(t, err)
			assert.Equal(t, 2, blobs)
			assert.EqualValues(t, len(content)+5, size)
			blobs, _, err = s.Usage(ctx, "pages/")
			require.NoError(t, err)
			assert.Equal(t, 1, blobs)
			require.NoError(t, s.Delete(ctx, "files/ab/x"))
			require.NoError(t, s.Delete(ctx, "files/ab/x"), "twice is once")
			blobs, _, err = s.Usage(ctx, "files/")
			require.NoError(t, err)
			assert.Zero(t, blobs)
		})
	}
}

var errBroken = errors.New("the line broke")

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errBroken }

func TestAFolderThatCannotBeMade(t *testing.T) {
	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, err := blob.Open(context.Background(), (&url.URL{Scheme: "file", Path: filepath.Join(file, "below")}).String())
	require.Error(t, err)
}

// createBucket makes a bucket the plain way: a PUT on its path.
func createBucket(endpoint, name string) error {
	r, err := http.NewRequest(http.MethodPut, endpoint+"/"+name, nil)
	if err != nil {
		return err
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	return answer.Body.Close()
}
