package press_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/url"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/core/overlay"
	"incipit/internal/core/share"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/testkit/patience"
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

func open(t *testing.T, e pdf.Engine, most int64) *press.Press {
	t.Helper()
	b, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	t.Cleanup(func() { b.Close() })
	return press.New(e, b, most)
}

const plenty = 1 << 30

var file = press.File{SHA256: "0123456789abcdef0123", BlobKey: "files/x", Bytes: 9}

func TestOneRenderHoweverManyAsk(t *testing.T) {
	e := &slowEngine{release: make(chan struct{})}
	p := open(t, e, plenty)
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

func TestAFullLineSaysSo(t *testing.T) {
	e := &slowEngine{err: fmt.Errorf("wait: %w", share.ErrFull)}
	p := open(t, e, plenty)
	_, err := p.Image(t.Context(), file, 3, 800)
	require.ErrorIs(t, err, press.ErrBusy)
	_, err = p.Chosen(t.Context(), file, 3, 800, "1")
	require.ErrorIs(t, err, press.ErrBusy)
	e.err = nil
	_, err = p.Image(t.Context(), file, 3, 800)
	require.NoError(t, err)
}

// waitingEngine never has a worker free.
type waitingEngine struct {
	pdf.Engine
	waiting, gone atomic.Int64
}

func (e *waitingEngine) Image(ctx context.Context, _ pdf.Source, _, _ int) (pdf.PageImage, error) {
	e.waiting.Add(1)
	<-ctx.Done()
	e.gone.Add(1)
	return pdf.PageImage{}, ctx.Err()
}

func TestWhatNobodyWaitsForIsNotMade(t *testing.T) {
	e := &waitingEngine{}
	p := open(t, e, plenty)
	first, leave := context.WithCancel(t.Context())
	second, leaveToo := context.WithCancel(t.Context())
	left := make(chan error, 2)
	for _, ctx := range []context.Context{first, second} {
		go func() { _, err := p.Image(ctx, file, 1, 800); left <- err }()
	}
	patience.Until(t, func() bool { return p.Waiting() == 2 && e.waiting.Load() == 1 })
	leave()
	require.ErrorIs(t, <-left, context.Canceled)
	assert.Zero(t, e.gone.Load(), "one still waits")
	leaveToo()
	require.ErrorIs(t, <-left, context.Canceled)
	patience.Until(t, func() bool { return e.gone.Load() == 1 })
}

func TestWhoAskedFirstMayLeave(t *testing.T) {
	e := &slowEngine{release: make(chan struct{})}
	p := open(t, e, plenty)
	ctx, leave := context.WithCancel(t.Context())
	left := make(chan error)
	go func() {
		_, err := p.Image(ctx, file, 1, 800)
		left <- err
	}()
	patience.Until(t, func() bool { return e.calls.Load() == 1 })
	leave()
	require.ErrorIs(t, <-left, context.Canceled)
	close(e.release)
	_, err := p.Image(t.Context(), file, 1, 800)
	require.NoError(t, err)
	assert.EqualValues(t, 1, e.calls.Load())
}

func TestOnlyTheLadderIsMade(t *testing.T) {
	p := open(t, &slowEngine{}, plenty)
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
	p := open(t, e, plenty)
	_, err := p.Image(t.Context(), file, 1, 800)
	require.Error(t, err)
	e.err = nil
	_, err = p.Image(t.Context(), file, 1, 800)
	require.NoError(t, err)
}

func TestLayersAreKept(t *testing.T) {
	e := &slowEngine{}
	p := open(t, e, plenty)
	for range 2 {
		layer, err := p.Layer(t.Context(), file, 4)
		require.NoError(t, err)
		assert.Equal(t, "tide", layer.Runs[0].Text)
	}
	assert.EqualValues(t, 1, e.calls.Load())
}

// sizedEngine makes images as large as their page's number in kB.
type sizedEngine struct{ pdf.Engine }

func (sizedEngine) Image(_ context.Context, _ pdf.Source, page, _ int) (pdf.PageImage, error) {
	return pdf.PageImage{MediaType: "image/png", Bytes: make([]byte, page*1000)}, nil
}

// Whatever is asked for in whatever order: what is kept stays within its bound,
// what was seen last is there, and a press that begins anew keeps to it, too.
func TestWhatIsKeptIsBounded(t *testing.T) {
	b, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	defer b.Close()
	const most = 200_000
	p := press.New(sizedEngine{}, b, most)
	random := rand.New(rand.NewPCG(3, 7))
	used := func() int64 {
		_, n, err := b.Usage(t.Context(), press.PagesPrefix)
		require.NoError(t, err)
		return n
	}
	for i := range 400 {
		page, width := 1+random.IntN(60), press.Ladder()[random.IntN(9)]
		_, err := p.Image(t.Context(), file, page, width)
		require.NoError(t, err)
		if i%20 == 0 {
			assert.LessOrEqual(t, used(), int64(most))
			assert.Equal(t, used(), p.Kept())
		}
		made := p.Made()
		again, err := p.Image(t.Context(), file, page, width)
		require.NoError(t, err)
		assert.Len(t, again.Bytes, page*1000)
		assert.Equal(t, made, p.Made(), "what was seen last is there")
	}
	smaller := press.New(sizedEngine{}, b, most/4)
	require.NoError(t, smaller.Survey(t.Context()))
	assert.LessOrEqual(t, used(), int64(most/4))
	assert.Equal(t, used(), smaller.Kept())
	require.NoError(t, p.Survey(t.Context()))
	assert.Equal(t, used(), p.Kept(), "what another server removed is forgotten")
	_, err = p.Image(t.Context(), file, 300, 800)
	require.NoError(t, err, "an image larger than all is sent, not kept")
	assert.LessOrEqual(t, used(), int64(most))
}
