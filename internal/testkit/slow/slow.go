// Package slow is a line: it stands between a browser and a server and lets
// bytes through at a rate and after a delay, as a mobile network does. All
// connections share it.
package slow

import (
	"context"
	"io"
	"net"
	"sync"
	"time"
)

// Line is one such line.
type Line struct {
	Address string // to connect to
	rate    float64
	half    time.Duration // of a round trip
	mu      sync.Mutex
	free    time.Time // when the line has sent what it was given
}

// packet is how much is sent in one go, as a network does.
const packet = 1400

// Open makes a line to a server: bytes a second towards the browser, and the
// time of a round trip. It ends with ctx.
func Open(ctx context.Context, server string, bytesPerSecond float64, roundTrip time.Duration) (*Line, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	line := &Line{Address: l.Addr().String(), rate: bytesPerSecond, half: roundTrip / 2}
	context.AfterFunc(ctx, func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go line.join(ctx, c, server)
		}
	}()
	return line, nil
}

func (l *Line) join(ctx context.Context, browser net.Conn, server string) {
	defer browser.Close()
	// Connecting takes a round trip.
	time.Sleep(2 * l.half)
	up, err := net.Dial("tcp", server)
	if err != nil {
		return
	}
	defer up.Close()
	stop := context.AfterFunc(ctx, func() { browser.Close(); up.Close() })
	defer stop()
	go l.carry(up, browser, false)
	l.carry(browser, up, true)
}

// piece is bytes on their way, and when they arrive.
type piece struct {
	b  []byte
	at time.Time
}

// carry takes bytes from one end to the other. Towards the browser the line is
// narrow; the other way it only takes its time.
func (l *Line) carry(to, from net.Conn, narrow bool) {
	way := make(chan piece, 4096)
	go func() {
		defer close(way)
		for {
			b := make([]byte, packet)
			n, err := from.Read(b)
			if n > 0 {
				at := time.Now()
				if narrow {
					at = l.slot(n)
				}
				way <- piece{b[:n], at.Add(l.half)}
			}
			if err != nil {
				return
			}
		}
	}()
	for p := range way {
		time.Sleep(time.Until(p.at))
		if _, err := to.Write(p.b); err != nil {
			io.Copy(io.Discard, from) //nolint:errcheck // the other end is told by closing
			return
		}
	}
	if c, ok := to.(*net.TCPConn); ok {
		c.CloseWrite() //nolint:errcheck // it may be gone
	}
}

// slot says when so many bytes have gone through, all connections together.
func (l *Line) slot(n int) time.Time {
	l.mu.Lock()
	defer l.mu.Unlock()
	now := time.Now()
	if l.free.Before(now) {
		l.free = now
	}
	l.free = l.free.Add(time.Duration(float64(n) / l.rate * float64(time.Second)))
	return l.free
}
