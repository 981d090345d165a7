// Package cache is a small caching proxy, as one may stand in front of a server:
// it keeps what RFC 9111 lets a shared cache keep, gives it to whoever asks for as
// long as it may, and asks anew where it must.
package cache

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
)

// Proxy is a cache in front of a server.
type Proxy struct {
	URL  string
	Hits int // answers that came out of the cache

	through http.RoundTripper
	mu      sync.Mutex
	kept    map[string]*kept
}

type kept struct {
	status int
	header http.Header
	body   []byte
	until  time.Time
}

// Open puts a cache in front of a server, which it asks through a transport.
func Open(t testing.TB, server string, through http.RoundTripper) *Proxy {
	p := &Proxy{kept: map[string]*kept{}, through: through}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.serve(w, r, server) }))
	t.Cleanup(s.Close)
	p.URL = s.URL
	return p
}

func (p *Proxy) serve(w http.ResponseWriter, r *http.Request, server string) {
	name := r.URL.RequestURI() + "\n" + r.Header.Get("Accept-Language")
	p.mu.Lock()
	k := p.kept[name]
	p.mu.Unlock()
	if r.Method == http.MethodGet && k != nil && time.Now().Before(k.until) {
		p.mu.Lock()
		p.Hits++
		p.mu.Unlock()
		give(w, k.status, k.header, k.body)
		return
	}
	q, err := http.NewRequestWithContext(r.Context(), r.Method, server+r.URL.RequestURI(), r.Body)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadGateway)
		return
	}
	q.Header = r.Header.Clone()
	if k != nil && k.header.Get("ETag") != "" {
		q.Header.Set("If-None-Match", k.header.Get("ETag"))
	}
	answer, err := p.through.RoundTrip(q)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadGateway)
		return
	}
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadGateway)
		return
	}
	if answer.StatusCode == http.StatusNotModified && k != nil && r.Header.Get("If-None-Match") == "" {
		give(w, k.status, k.header, k.body)
		return
	}
	if life, may := lifetime(answer.Header); may && r.Method == http.MethodGet && answer.StatusCode == http.StatusOK {
		p.mu.Lock()
		p.kept[name] = &kept{answer.StatusCode, answer.Header.Clone(), body, time.Now().Add(life)}
		p.mu.Unlock()
	}
	give(w, answer.StatusCode, answer.Header, body)
}

func give(w http.ResponseWriter, status int, header http.Header, body []byte) {
	for name, values := range header {
		w.Header()[name] = values
	}
	w.WriteHeader(status)
	_, _ = w.Write(body)
}

// lifetime says whether a shared cache may keep an answer, and for how long
// without asking (RFC 9111, 3 and 4.2). Where nothing is said it takes a day, as
// bold caches do.
func lifetime(h http.Header) (time.Duration, bool) {
	life, said := 24*time.Hour, false
	for _, part := range strings.Split(strings.Join(h.Values("Cache-Control"), ","), ",") {
		name, value, _ := strings.Cut(strings.ToLower(strings.TrimSpace(part)), "=")
		n, _ := strconv.Atoi(strings.Trim(value, `"`))
		switch name {
		case "private", "no-store":
			return 0, false
		case "no-cache":
			return 0, true
		case "s-maxage":
			life, said = time.Duration(n)*time.Second, true
		case "max-age":
			if !said {
				life = time.Duration(n) * time.Second
			}
		}
	}
	return life, true
}
