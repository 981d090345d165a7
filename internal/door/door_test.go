package door_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/share"
	"incipit/internal/door"
	"incipit/internal/testkit/patience"
)

// open serves a handler behind a door.
func open(t *testing.T, o door.Options, handle echo.HandlerFunc) (*door.Door, string) {
	t.Helper()
	if o.Limit == nil {
		o.Limit = func(*http.Request) (int64, bool) { return 1 << 20, false }
	}
	d := door.New(o)
	e := echo.New()
	e.Pre(d.Middleware)
	e.Any("/*", handle)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := &http.Server{Handler: e}
	go func() { _ = s.Serve(d.Listen(l)) }()
	t.Cleanup(func() { s.Close() })
	return d, l.Addr().String()
}

func TestOrigins(t *testing.T) {
	d := door.New(door.Options{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("::1/128")}})
	for _, x := range []struct{ from, said, want string }{
		{"203.0.113.7:4000", "", "203.0.113.7"},
		{"203.0.113.7:4000", "198.51.100.1", "203.0.113.7"}, // nobody whom we trust says so
		{"10.0.0.2:4000", "198.51.100.1", "198.51.100.1"},
		{"10.0.0.2:4000", "1.2.3.4, 198.51.100.1, 10.0.0.9", "198.51.100.1"}, // the last that is none of ours
		{"10.0.0.2:4000", "1.2.3.4, nonsense", "10.0.0.2"},
		{"10.0.0.2:4000", "", "10.0.0.2"},
		{"[2001:db8:1:2:3:4:5:6]:4000", "", "2001:db8:1:2::/64"},
		{"[::1]:4000", "2001:db8:1:2::9", "2001:db8:1:2::/64"},
		{"[::ffff:203.0.113.7]:1", "", "203.0.113.7"},
	} {
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = x.from
		if x.said != "" {
			r.Header.Set("X-Forwarded-For", x.said)
		}
		assert.Equal(t, x.want, d.Origin(r), "%+v", x)
	}
}

func TestAnOriginHasSoManyConnections(t *testing.T) {
	_, address := open(t, door.Options{PerOrigin: 3}, func(c *echo.Context) error {
		return c.String(200,
			share.Origin(c.Request().Context()))
	})
	get := func(c net.Conn) string {
		fmt.Fprintf(c, "GET / HTTP/1.1\r\nHost: x\r\n\r\n")
		answer, err := http.ReadResponse(bufio.NewReader(c), nil)
		require.NoError(t, err)
		b, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return fmt.Sprint(answer.StatusCode, " ", string(b))
	}
	dial := func(from string) net.Conn {
		c, err := (&net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(from)}}).Dial("tcp", address)
		require.NoError(t, err)
		t.Cleanup(func() { c.Close() })
		return c
	}
	var mine []net.Conn
	for range 3 {
		mine = append(mine, dial("127.0.0.2"))
		assert.Equal(t, "200 127.0.0.2", get(mine[len(mine)-1]))
	}
	assert.Contains(t, get(dial("127.0.0.2")), "429 Too many")
	assert.Equal(t, "200 127.0.0.3", get(dial("127.0.0.3")), "others come in")
	mine[0].Close()
	patience.Until(t, func() bool { return strings.HasPrefix(get(dial("127.0.0.2")), "200") })
}

// Behind a trusted proxy, requests count for whom it speaks.
func TestAnOriginBehindAProxy(t *testing.T) {
	let := make(chan struct{})
	var in atomic.Int64
	_, address := open(t, door.Options{PerOrigin: 2, Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}},
		func(c *echo.Context) error {
			in.Add(1)
			<-let
			return c.NoContent(200)
		})
	ask := func(for_ string) int {
		r, err := http.NewRequest("GET", "http://"+address+"/", nil)
		require.NoError(t, err)
		r.Header.Set("X-Forwarded-For", for_)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode
	}
	done := make(chan int, 3)
	for range 2 {
		go func() { done <- ask("198.51.100.1") }()
	}
	patience.Until(t, func() bool { return in.Load() == 2 })
	assert.Equal(t, 429, ask("198.51.100.1"))
	go func() { done <- ask("198.51.100.2") }()
	patience.Until(t, func() bool { return in.Load() == 3 }, "another one comes in")
	close(let)
	for range 3 {
		assert.Equal(t, 200, <-done)
	}
}

// drip sends a portion at a time.
type drip struct {
	portion, left int
	every         time.Duration
}

func (d *drip) Read(p []byte) (int, error) {
	if d.left <= 0 {
		return 0, io.EOF
	}
	time.Sleep(d.every)
	n := min(d.portion, d.left, len(p))
	d.left -= n
	return n, nil
}

// A slow line goes on for as long as it brings something; one that drips does
// not, nor one that stands still.
func TestBodiesKeepAPace(t *testing.T) {
	pace := door.Pace{Grace: 300 * time.Millisecond, Rate: 10_000, Stall: 2 * time.Second}
	came := make(chan error, 1)
	_, address := open(t, door.Options{Pace: pace}, func(c *echo.Context) error {
		_, err := io.Copy(io.Discard, c.Request().Body)
		came <- err
		if err != nil {
			return err
		}
		return c.NoContent(200)
	})
	send := func(body io.Reader) {
		r, err := http.NewRequest("POST", "http://"+address+"/", body)
		require.NoError(t, err)
		if answer, err := http.DefaultClient.Do(r); err == nil {
			answer.Body.Close()
		}
	}
	go send(&drip{portion: 2000, left: 30_000, every: 100 * time.Millisecond})
	require.NoError(t, <-came, "20 kB a second, for one and a half seconds")
	go send(&drip{portion: 10, left: 3000, every: 100 * time.Millisecond})
	var said interface{ StatusCode() int }
	require.ErrorAs(t, <-came, &said, "100 bytes a second")
	assert.Equal(t, http.StatusRequestTimeout, said.StatusCode())
	still, stop := io.Pipe()
	go send(still)
	require.ErrorAs(t, <-came, &said)
	stop.Close()
}

func TestBodiesHaveALength(t *testing.T) {
	limit := func(r *http.Request) (int64, bool) { return 1000, r.URL.Path == "/hears" }
	read := make(chan int, 1)
	_, address := open(t, door.Options{Limit: limit}, func(c *echo.Context) error {
		b, err := io.ReadAll(c.Request().Body)
		read <- len(b)
		if err != nil {
			return err
		}
		return c.NoContent(200)
	})
	send := func(path string, body io.Reader) int {
		answer, err := http.Post("http://"+address+path, "text/plain", body)
		require.NoError(t, err)
		answer.Body.Close()
		return answer.StatusCode
	}
	assert.Equal(t, 200, send("/", bytes.NewReader(make([]byte, 1000))))
	assert.Equal(t, 1000, <-read)
	assert.Equal(t, 413, send("/", bytes.NewReader(make([]byte, 1001))))
	assert.Empty(t, read, "nothing of it is read")
	assert.Equal(t, 413, send("/", io.MultiReader(bytes.NewReader(make([]byte, 5000)))), "of a length that is not said")
	assert.Equal(t, 1000, <-read)
	assert.Equal(t, 413, send("/hears", bytes.NewReader(make([]byte, 5000))))
	assert.Equal(t, 1000, <-read)
}

// Somebody who does not take an answer is let go.
func TestAnswersAreTaken(t *testing.T) {
	ended := make(chan error, 1)
	_, address := open(t, door.Options{Pace: door.Pace{Grace: time.Second, Rate: 1, Stall: 300 * time.Millisecond}},
		func(c *echo.Context) error {
			for {
				if _, err := c.Response().Write(make([]byte, 1<<20)); err != nil {
					ended <- err
					return nil
				}
			}
		})
	c, err := net.Dial("tcp", address)
	require.NoError(t, err)
	defer c.Close()
	fmt.Fprintf(c, "GET / HTTP/1.1\r\nHost: x\r\n\r\n")
	select {
	case err := <-ended:
		require.Error(t, err)
	case <-time.After(20 * time.Second):
		t.Fatal("it is still being written to")
	}
}

// What is under way when a stop comes can be named.
func TestUnderway(t *testing.T) {
	in, out := make(chan struct{}), make(chan struct{})
	d, address := open(t, door.Options{}, func(c *echo.Context) error {
		close(in)
		<-out
		return c.NoContent(200)
	})
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go func() {
		r, _ := http.NewRequestWithContext(ctx, "POST", "http://"+address+"/documents", strings.NewReader("tides"))
		if answer, err := http.DefaultClient.Do(r); err == nil {
			answer.Body.Close()
		}
	}()
	<-in
	under := d.Underway()
	require.Len(t, under, 1)
	assert.Equal(t, "/documents", under[0].Path)
	assert.EqualValues(t, 5, under[0].Bytes)
	close(out)
	patience.Until(t, func() bool { return len(d.Underway()) == 0 })
}
