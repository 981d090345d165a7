package press

import (
	"bytes"
	"container/list"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"incipit/internal/blob"
)

// shelf keeps what is made, within a number of bytes: for something new, what was
// seen longest ago is removed. It knows what this server has kept and seen, and
// by its surveys what others have; several servers on one store may exceed the
// bound until the next one, and none serves a thing that is gone: it is made
// anew.
type shelf struct {
	blobs *blob.Store
	most  int64

	mu    sync.Mutex
	all   map[string]*list.Element
	order list.List // of *kept, seen longest ago first
	bytes int64
}

type kept struct {
	key   string
	bytes int64
	since time.Time // that it is known
}

func newShelf(blobs *blob.Store, most int64) *shelf {
	return &shelf{blobs: blobs, most: most, all: map[string]*list.Element{}}
}

func (s *shelf) size() int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.bytes
}

// seen notes that something was asked for.
func (s *shelf) seen(key string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if e, known := s.all[key]; known {
		s.order.MoveToBack(e)
	}
}

// keep makes room and keeps something. What is larger than the whole shelf is
// not kept.
func (s *shelf) keep(ctx context.Context, key string, b []byte) error {
	size := int64(len(b))
	if size > s.most {
		return nil
	}
	s.mu.Lock()
	s.put(key, size)
	gone := s.excess(key)
	s.mu.Unlock()
	for _, k := range gone {
		if err := s.blobs.Delete(ctx, k); err != nil {
			return fmt.Errorf("make room for %s: %w", key, err)
		}
	}
	if _, err := s.blobs.Keep(ctx, key, bytes.NewReader(b)); err != nil {
		s.mu.Lock()
		s.forget(key)
		s.mu.Unlock()
		return fmt.Errorf("keep %s: %w", key, err)
	}
	return nil
}

func (s *shelf) put(key string, size int64) {
	s.forget(key)
	s.all[key] = s.order.PushBack(&kept{key, size, time.Now()})
	s.bytes += size
}

func (s *shelf) forget(key string) {
	if e, known := s.all[key]; known {
		s.bytes -= e.Value.(*kept).bytes
		s.order.Remove(e)
		delete(s.all, key)
	}
}

// excess takes what has to go off the list, but never the one that is being
// kept.
func (s *shelf) excess(but string) []string {
	var gone []string
	for e := s.order.Front(); e != nil && s.bytes > s.most; {
		k, next := e.Value.(*kept), e.Next()
		if k.key != but {
			s.forget(k.key)
			gone = append(gone, k.key)
		}
		e = next
	}
	return gone
}

// survey looks through the store for what is not known of, and forgets what is
// not there any more.
func (s *shelf) survey(ctx context.Context) error {
	begun := time.Now()
	there := map[string]bool{}
	var found []blob.Entry
	for _, prefix := range []string{PagesPrefix, TilesPrefix, LayersPrefix} {
		err := s.blobs.Each(ctx, prefix, func(e blob.Entry) error {
			there[e.Key] = true
			found = append(found, e)
			return nil
		})
		if err != nil {
			return fmt.Errorf("survey what was made: %w", err)
		}
	}
	slices.SortFunc(found, func(a, b blob.Entry) int { return a.Modified.Compare(b.Modified) })
	s.mu.Lock()
	for key, e := range s.all {
		// What was kept since the survey began may not have been seen by it.
		if !there[key] && e.Value.(*kept).since.Before(begun) {
			s.forget(key)
		}
	}
	front := s.order.Front()
	for _, e := range found {
		if _, known := s.all[e.Key]; known {
			continue
		}
		k := &kept{e.Key, e.Size, e.Modified}
		// Unknown things come before what was seen here, in their own order.
		if front != nil {
			s.all[e.Key] = s.order.InsertBefore(k, front)
		} else {
			s.all[e.Key] = s.order.PushBack(k)
		}
		s.bytes += e.Size
	}
	gone := s.excess("")
	s.mu.Unlock()
	for _, key := range gone {
		if err := s.blobs.Delete(ctx, key); err != nil {
			return fmt.Errorf("remove what was seen longest ago: %w", err)
		}
	}
	return nil
}
