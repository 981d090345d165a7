package door

import (
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
)

// Origin says where a request comes from.
func (d *Door) Origin(r *http.Request) string {
	from, ok := addressOf(r.RemoteAddr)
	if !ok {
		return r.RemoteAddr
	}
	if !d.trusted(from) {
		if r.Header.Get("X-Forwarded-For") != "" {
			d.warned.Do(func() {
				slog.Warn("a proxy seems to stand in front that is not trusted: all its readers are one origin, and share what one may ask for; name it in INCIPIT_TRUSTED_PROXIES", "address", from)
			})
		}
		return grouped(from)
	}
	// Each proxy adds the one who spoke to it: the last that is none of ours.
	chain := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(chain) - 1; i >= 0; i-- {
		next, ok := addressOf(strings.TrimSpace(chain[i]))
		if !ok {
			break
		}
		if from = next; !d.trusted(next) {
			break
		}
	}
	return grouped(from)
}

// proxied says whether a trusted proxy sent a request.
func (d *Door) proxied(r *http.Request) bool {
	a, ok := addressOf(r.RemoteAddr)
	return ok && d.trusted(a) && r.Header.Get("X-Forwarded-For") != ""
}

func (d *Door) trusted(a netip.Addr) bool {
	for _, p := range d.options.Proxies {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

func addressOf(text string) (netip.Addr, bool) {
	if host, _, err := net.SplitHostPort(text); err == nil {
		text = host
	}
	a, err := netip.ParseAddr(strings.Trim(text, "[]"))
	return a.Unmap().WithZone(""), err == nil
}

// grouped names an origin: one address, or an IPv6 network that one household or
// machine has to itself.
func grouped(a netip.Addr) string {
	if a.Is6() {
		if p, err := a.Prefix(64); err == nil {
			return p.String()
		}
	}
	return a.String()
}

// gate counts who is in.
type gate struct {
	most int
	mu   sync.Mutex
	by   map[string]int
}

func (g *gate) enter(name string) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.by[name] >= g.most {
		return false
	}
	g.by[name]++
	return true
}

func (g *gate) leave(name string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.by[name]--; g.by[name] <= 0 {
		delete(g.by, name)
	}
}
