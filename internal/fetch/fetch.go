// Package fetch is the one way in which the house asks other hosts for
// something. Somebody else names the address, so nothing is believed: only http
// and https, only addresses that the public can reach (checked when the
// connection is made, so that no name can lead elsewhere later), few redirects,
// bounded time and size, and the content is judged by its bytes.
package fetch

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"golang.org/x/net/html/charset"
)

// Bounds of one fetch.
const (
	MostBytes     = 4 << 20
	mostRedirects = 5
	patience      = 10 * time.Second
)

// Refusal is why something was not fetched, as a sentence for people.
type Refusal struct{ Words string }

func (r *Refusal) Error() string { return r.Words }

// Page is a web page as it came.
type Page struct {
	Address string // where it was in the end
	CSP     []string
	Source  string
}

// Fetcher fetches. The zero value reaches public addresses alone.
type Fetcher struct {
	// StandIns are addresses, host:port, that may be reached though they are not
	// public: the demo's other website.
	StandIns []string
	// Stalled is for how long a file may all but stop on its way; 0 is 20 seconds.
	Stalled time.Duration
}

// forbidden are ranges that netip does not count as private and that are not
// the public's either (RFC 6890).
var forbidden = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.0.2.0/24"), netip.MustParsePrefix("192.88.99.0/24"), // 6to4 relays (RFC 7526)
	netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("198.51.100.0/24"), netip.MustParsePrefix("203.0.113.0/24"),
	netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("100::/64"),
	netip.MustParsePrefix("2001:db8::/32"),
	// Addresses that hold an IPv4 address, which a host on the way may lead to:
	// compatible (RFC 4291, 2.5.5.1), Teredo (RFC 4380), 6to4 (RFC 3056);
	// and site-local ones, which are no more (RFC 3879).
	netip.MustParsePrefix("::/96"), netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("fec0::/10"),
	netip.MustParsePrefix("2001:2::/48"), netip.MustParsePrefix("2001:10::/28"), netip.MustParsePrefix("3fff::/20"),
	netip.MustParsePrefix("5f00::/16"),
}

// Public says whether an address is one that anybody can reach.
func Public(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	if !a.IsGlobalUnicast() || a.IsPrivate() || a.IsLoopback() || a.IsLinkLocalUnicast() {
		return false
	}
	for _, p := range forbidden {
		if p.Contains(a) {
			return false
		}
	}
	// ISATAP has no prefix of its own (RFC 5214, 6.1): its interface identifiers do.
	b := a.As16()
	return !a.Is6() || !bytes.Equal(b[9:12], []byte{0, 0x5e, 0xfe}) || b[8]&^2 != 0
}

// kindOf names an address that not everybody can reach, as those who use it do.
func kindOf(a netip.Addr) string {
	a = a.Unmap().WithZone("")
	switch {
	case a.IsLoopback():
		return "an address of the machine itself (localhost)"
	case a.IsPrivate(), a.IsLinkLocalUnicast():
		return fmt.Sprintf("an address inside a house's own network (%s), which cannot be seen from here", a)
	}
	return fmt.Sprintf("an address that nobody can reach from outside (%s)", a)
}

// dialer dials only what may be reached; instead says what can be done where it may not.
func (f *Fetcher) dialer(instead string) *net.Dialer {
	return &net.Dialer{Timeout: 5 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		for _, s := range f.StandIns {
			if s == address {
				return nil
			}
		}
		to, err := netip.ParseAddrPort(address)
		if err != nil {
			return &Refusal{"The address cannot be read. " + instead}
		}
		if !Public(to.Addr()) {
			return &Refusal{fmt.Sprintf("This is %s. Only public websites are asked. %s", kindOf(to.Addr()), instead)}
		}
		return nil
	}}
}

// client asks for something within a time, the bytes included.
func (f *Fetcher) client(within time.Duration, instead string) *http.Client {
	return &http.Client{
		Timeout: within,
		Transport: &http.Transport{DialContext: f.dialer(instead).DialContext, TLSHandshakeTimeout: 5 * time.Second,
			ResponseHeaderTimeout: 8 * time.Second, DisableKeepAlives: true, DisableCompression: true, MaxResponseHeaderBytes: 64 << 10},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if len(via) > mostRedirects {
				return &Refusal{fmt.Sprintf("The website sends on more than %d times.", mostRedirects)}
			}
			return allowed(r.URL)
		},
	}
}

// Address reads an address that somebody typed, or refuses it.
func Address(typed string) (*url.URL, error) {
	u, err := url.Parse(strings.TrimSpace(typed))
	if err != nil {
		return nil, &Refusal{"The address cannot be read. It looks like https://www.example.org/visiting."}
	}
	return u, allowed(u)
}

func allowed(u *url.URL) error {
	switch {
	case u.Scheme != "http" && u.Scheme != "https":
		return &Refusal{"Only addresses that begin with http or https are asked."}
	case u.Host == "":
		return &Refusal{"The address names no website."}
	case u.User != nil:
		return &Refusal{"The address holds a name or a password. Take it out."}
	}
	return nil
}

// Page fetches a web page.
func (f *Fetcher) Page(ctx context.Context, address string) (Page, error) {
	u, err := Address(address)
	if err != nil {
		return Page{}, err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return Page{}, &Refusal{"The address cannot be read."}
	}
	r.Header.Set("User-Agent", "Incipit page check")
	r.Header.Set("Accept", "text/html")
	client := f.client(patience, "Paste the page's source instead.")
	defer client.CloseIdleConnections()
	answer, err := client.Do(r)
	if err != nil {
		var refusal *Refusal
		if errors.As(err, &refusal) {
			return Page{}, refusal
		}
		if errors.Is(err, context.DeadlineExceeded) || isTimeout(err) {
			return Page{}, &Refusal{"The website did not answer within 10 seconds. Try again, or paste the page's source."}
		}
		return Page{}, &Refusal{"The website cannot be reached. Is the address right?"}
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK {
		return Page{}, &Refusal{fmt.Sprintf("The website answers with status %d, not with a page. If it asks to sign in, paste the page's source.", answer.StatusCode)}
	}
	b, err := io.ReadAll(io.LimitReader(answer.Body, MostBytes+1))
	if err != nil {
		return Page{}, &Refusal{"The page broke off while it came. Try again."}
	}
	if len(b) > MostBytes {
		return Page{}, &Refusal{"The page has more than 4 MB. Paste the part with the document."}
	}
	if kind := http.DetectContentType(b); !strings.HasPrefix(kind, "text/") {
		return Page{}, &Refusal{fmt.Sprintf("There is no web page at this address, but %s.", strings.SplitN(kind, ";", 2)[0])}
	}
	source, err := Decode(b, answer.Header.Get("Content-Type"))
	if err != nil {
		return Page{}, &Refusal{"The page is written in an encoding that cannot be read. Paste its source instead."}
	}
	return Page{Address: answer.Request.URL.String(), CSP: answer.Header.Values("Content-Security-Policy"), Source: source}, nil
}

// Decode gives a page's text, whatever encoding it is written in: by its header,
// its own meta element, or its bytes (HTML, 13.2.3).
func Decode(b []byte, contentType string) (string, error) {
	r, err := charset.NewReader(bytes.NewReader(b), contentType)
	if err != nil {
		return "", fmt.Errorf("find the encoding of a page: %w", err)
	}
	text, err := io.ReadAll(r)
	if err != nil {
		return "", fmt.Errorf("decode a page: %w", err)
	}
	return string(text), nil
}

func isTimeout(err error) bool {
	var t interface{ Timeout() bool }
	return errors.As(err, &t) && t.Timeout()
}
