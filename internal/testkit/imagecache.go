package testkit

import (
	"context"
	"fmt"
	"testing"

	lru "github.com/hashicorp/golang-lru/v2"

	"incipit/internal/pdf"
)

// imageCache is an engine that renders a page at a width once for all the houses
// of a test run: each of them begins with empty storage, and most show the same
// demo documents. What asks for a password is rendered each time, and so is all
// that a benchmark measures.
type imageCache struct {
	pdf.Engine
	images *lru.Cache[string, pdf.PageImage]
}

const mostImages = 1500 // images

var images = func() *lru.Cache[string, pdf.PageImage] {
	c, err := lru.New[string, pdf.PageImage](mostImages)
	if err != nil {
		panic(err)
	}
	return c
}()

func houseEngine(t testing.TB) pdf.Engine {
	t.Helper()
	if _, measured := t.(*testing.B); measured {
		return Engine(t)
	}
	return imageCache{Engine(t), images}
}

func (r imageCache) Image(ctx context.Context, src pdf.Source, page, width int) (pdf.PageImage, error) {
	if src.Password != "" {
		return r.Engine.Image(ctx, src, page, width)
	}
	key := fmt.Sprintf("%s %d %s %v %d %d", src.ID, src.Size, src.Layers, src.Units, page, width)
	if made, ok := r.images.Get(key); ok {
		return made, nil
	}
	made, err := r.Engine.Image(ctx, src, page, width)
	if err == nil {
		r.images.Add(key, made)
	}
	return made, err
}
