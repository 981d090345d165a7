package press_test

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
	"incipit/internal/press"
)

// slowEngine makes images when it is told to.
type slowEngine struct {
	pdf.Engine
	calls   atomic.Int64
	release chan struct{}
	err     error
}

func (e *slowEngine) Image(context.Context, pdf.Source, int, int) (pdf.PageImage, error) {
	e.calls.Add(1)
	if e.release != nil {
		<-e.release
	}
	return pdf.PageImage{MediaType: "image/png", Bytes: []byte("\x89PNG\r\n\x1a\nrest")}, e.err
}

func (e *slowEngine) Layer(context.Context, pdf.Source, int) (pdf.Layer, error) {
	e.calls.Add(1)
	return pdf.Layer{Runs: []overlay.Run{{Text: "tide", Length: 9, Size: 4}}}, nil
}

func open(t *testing.T, e pdf.Engine, queue int) *press.Press {
	t.Helper()
	b, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	t.Cleanup(func() { b.Close() })
	return press.New(e, b, queue)
}

var file = press.File{SHA256: "0123456789abcdef0123", BlobKey: "files/x", Bytes: 9}

func TestOneRenderHoweverManyAsk(t *testing.T) {
	e := &slowEngine{release: make(chan struct{})}
	p := open(t, e, 4)
	var asked, done sync.WaitGroup
	for range 20 {
		asked.Add(1)
		done.Go(func() {
			asked.Done()
			made, err := p.Image(context.Background(), file, 1, 800)
			assert.NoError(t, err)
			assert.Equal(t, "image/png", made.MediaType)
			assert.Equal(t, "0123456789abcdef-1-800", made.ETag)
		})
	}
	asked.Wait()
	close(e.release)
	done.Wait()
	_, err := p.Image(t.Context(), file, 1, 800)
	require.NoError(t, err)
	assert.EqualValues(t, 1, e.calls.Load())
	assert.EqualValues(t, 1, p.Made())
}

func TestAFullQueueSaysSo(t *testing.T) {
	e := &slowEngine{release: make(chan struct{})}
	p := open(t, e, 2)
	var done sync.WaitGroup
	for page := range 2 {
		done.Go(func() {
			_, err := p.Image(context.Background(), file, page+1, 800)
			assert.NoError(t, err)
		})
	}
	require.Eventually(t, func() bool { return e.calls.Load() == 2 }, 5e9, 1e6)
	_, err := p.Image(t.Context(), file, 3, 800)
	require.ErrorIs(t, err, press.ErrBusy)
	close(e.release)
	done.Wait()
	_, err = p.Image(t.Context(), file, 3, 800)
	require.NoError(t, err)
}

func TestWhoAskedFirstMayLeave(t *testing.T) {
	e := &slowEngine{release: make(chan struct{})}
	p := open(t, e, 2)
	ctx, leave := context.WithCancel(t.Context())
	left := make(chan error)
	go func() {
		_, err := p.Image(ctx, file, 1, 800)
		left <- err
	}()
	require.Eventually(t, func() bool { return e.calls.Load() == 1 }, 5e9, 1e6)
	leave()
	require.ErrorIs(t, <-left, context.Canceled)
	close(e.release)
	_, err := p.Image(t.Context(), file, 1, 800)
	require.NoError(t, err)
	assert.EqualValues(t, 1, e.calls.Load())
}

func TestOnlyTheLadderIsMade(t *testing.T) {
	p := open(t, &slowEngine{}, 2)
	for _, width := range []int{0, -1, 801, 100_000} {
		_, err := p.Image(t.Context(), file, 1, width)
		require.ErrorIs(t, err, press.ErrOffLadder)
	}
	steps := press.Ladder()
	for i := 1; i < len(steps); i++ {
		assert.LessOrEqual(t, float64(steps[i]), 1.5*float64(steps[i-1]), fmt.Sprint(steps[i]))
	}
}

func TestAFailureIsNotKept(t *testing.T) {
	e := &slowEngine{err: errors.New("no")}
	p := open(t, e, 2)
	_, err := p.Image(t.Context(), file, 1, 800)
	require.Error(t, err)
	e.err = nil
	_, err = p.Image(t.Context(), file, 1, 800)
	require.NoError(t, err)
}

func TestLayersAreKept(t *testing.T) {
	e := &slowEngine{}
	p := open(t, e, 2)
	for range 2 {
		layer, err := p.Layer(t.Context(), file, 4)
		require.NoError(t, err)
		assert.Equal(t, "tide", layer.Runs[0].Text)
	}
	assert.EqualValues(t, 1, e.calls.Load())
}
