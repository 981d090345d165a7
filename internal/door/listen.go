package door

import (
	"net"
	"sync"
	"sync/atomic"
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
	due  atomic.Int64 // until when what is written must have been taken, Unix nanoseconds
}

// portion is what has to be taken within Stall.
const portion = 64 << 10

// Write sends in portions.
func (c *conn) Write(p []byte) (int, error) {
	sent := 0
	for {
		part := p[sent:min(sent+portion, len(p))]
		// A timer that was set a moment ago will do: to set it for every few KB costs more
		// than what is written.
		if due := time.Now().Add(c.pace.Stall); due.UnixNano()-c.due.Load() > int64(c.pace.Stall/16) {
			if err := c.Conn.SetWriteDeadline(due); err != nil {
				return sent, err
			}
			c.due.Store(due.UnixNano())
		}
		n, err := c.Conn.Write(part)
		sent += n
		if err != nil || sent == len(p) {
			return sent, err
		}
	}
}

// SetWriteDeadline is the server's own word, which is not what Write remembers.
func (c *conn) SetWriteDeadline(t time.Time) error {
	c.due.Store(0)
	return c.Conn.SetWriteDeadline(t)
}

// SetDeadline is SetWriteDeadline for reading, too.
func (c *conn) SetDeadline(t time.Time) error {
	c.due.Store(0)
	return c.Conn.SetDeadline(t)
}

// Close lets another one of the origin in.
func (c *conn) Close() error {
	c.once.Do(c.left)
	return c.Conn.Close()
}
