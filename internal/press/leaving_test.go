package press_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// workersOf lists the engine's workers that this process has started and that live.
func workersOf(t *testing.T) []string {
	t.Helper()
	lists, err := filepath.Glob("/proc/self/task/*/children")
	require.NoError(t, err)
	var out []string
	for _, l := range lists {
		b, err := os.ReadFile(l)
		if err != nil {
			continue // that thread has ended
		}
		out = append(out, strings.Fields(string(b))...)
	}
	return out
}

// A thousand readers who leave in the midst of a page cost no worker: the file's bytes
// come to the end, though the store heeds who asks for them.
func TestAThousandReadersLeave(t *testing.T) {
	blobs, err := blob.Open(t.Context(), testkit.Bucket(t, nil))
	require.NoError(t, err)
	t.Cleanup(func() { blobs.Close() })
	content := hostile.ManyPages(1000)
	_, err = blobs.Write(t.Context(), "files/ab/x", bytes.NewReader(content))
	require.NoError(t, err)
	file := press.File{SHA256: "aaaaaaaaaaaaaaaaaaaaaaaa", BlobKey: "files/ab/x", Bytes: int64(len(content))}
	engine := testkit.Workers(t, 2, 20*time.Second)
	p := press.New(engine, blobs, plenty)
	// Workers run, and have read the document.
	var first sync.WaitGroup
	for page := range 4 {
		first.Go(func() {
			_, err := p.Image(t.Context(), file, page+1, 240)
			assert.NoError(t, err)
		})
	}
	first.Wait()
	before := workersOf(t)
	require.NotEmpty(t, before)

	seen := map[string]bool{}
	r := rand.New(rand.NewPCG(15, 1000))
	var readers sync.WaitGroup
	for page := range 1000 {
		stays := time.Duration(r.IntN(6000)) * time.Microsecond
		readers.Go(func() {
			ctx, leave := context.WithTimeout(t.Context(), stays)
			defer leave()
			own := file
			own.SHA256 = fmt.Sprintf("%024x", page) // a document that no worker has open
			_, _ = p.Image(ctx, own, page+1, 240)   // whatever comes of it
		})
		if page%8 == 0 {
			readers.Wait()
			for _, id := range workersOf(t) {
				seen[id] = true
			}
		}
	}
	readers.Wait()
	_, err = p.Image(t.Context(), file, 500, 1200)
	require.NoError(t, err)
	after := workersOf(t)
	assert.Subset(t, after, before, "those that there were")
	assert.LessOrEqual(t, len(seen), 2, "and none in the place of another")
}
