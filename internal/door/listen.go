package door

import (
	"net"
	"sync"
	"time"
)

// Listen bounds the connections of a listener: how many one origin may have, and
// how long it may let an answer wait.
func (d *Door) Listen(l net.Listener) net.Listener { return &listener{l, d} }

type listener struct {
	net.Listener
	door *Door
}

// refusal is told to who has too many connections. Nothing of theirs is read.
const refusal = "HTTP/1.1 429 Too Many Requests\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Security-Policy: default-src 'none'\r\nRetry-After: 5\r\nConnection: close\r\nContent-Length: 49\r\n\r\nToo many connections come from you. Please wait.\n"

// Accept gives the next connection that may come in.
func (l *listener) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		name := c.RemoteAddr().String()
		if a, ok := addressOf(name); ok {
			if l.door.trusted(a) {
				return &conn{Conn: c, pace: l.door.options.Pace, left: func() {}}, nil
			}
			name = grouped(a)
		}
		name = "c " + name
		if l.door.gate.enter(name) {
			return &conn{Conn: c, pace: l.door.options.Pace, left: func() { l.door.gate.leave(name) }}, nil
		}
		_ = c.SetWriteDeadline(time.Now().Add(time.Second))
		_, _ = c.Write([]byte(refusal))
		c.Close()
	}
}

// conn has every part of an answer taken within a time.
type conn struct {
	net.Conn
	pace Pace
	left func()
	once sync.Once
}

// portion is what has to be taken within Stall.
const portion = 64 << 10

// Write sends in portions.
func (c *conn) Write(p []byte) (int, error) {
	sent := 0
	for {
		part := p[sent:min(sent+portion, len(p))]
		if err := c.SetWriteDeadline(time.Now().Add(c.pace.Stall)); err != nil {
			return sent, err
		}
		n, err := c.Conn.Write(part)
		sent += n
		if err != nil || sent == len(p) {
			return sent, err
		}
	}
}

// Close lets another one of the origin in.
func (c *conn) Close() error {
	c.once.Do(c.left)
	return c.Conn.Close()
}
