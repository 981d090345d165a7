package testkit

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"sync/atomic"
)

// Many is a client each of whose requests comes from another address of this
// machine (127.0.0.0/8): many readers, not one who asks for much.
func Many() *http.Transport {
	var n atomic.Uint32
	return &http.Transport{DisableKeepAlives: true, DialContext: func(ctx context.Context, network, address string) (net.Conn, error) {
		i := n.Add(1)
		return FromAddress(fmt.Sprintf("127.%d.%d.%d", 10+i>>16&63, i>>8&255, 1+i%250))(ctx, network, address)
	}}
}

// FromAddress dials from one address of this machine.
func FromAddress(ip string) func(ctx context.Context, network, address string) (net.Conn, error) {
	d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(ip)}}
	return d.DialContext
}
