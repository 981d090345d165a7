package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"
)

// Serve answers on a listener until ctx ends, then lets requests under way end
// within the configured time, and says what it cut.
func (a *App) Serve(ctx context.Context, l net.Listener) error {
	return serve(ctx, a.door.Listen(l), a.Handler, a.Config.StopWithin, func() {
		for _, u := range a.door.Underway() {
			a.log.Warn("a request was cut off by the stop", "method", u.Method, "path", u.Path, "came", u.Came(), "of", u.Bytes, "after",
				time.Since(u.Begun).Round(time.Second))
		}
	})
}

// Serve answers on a listener until ctx ends, for the simulated outside.
func Serve(ctx context.Context, l net.Listener, h http.Handler) error {
	return serve(ctx, l, h, 8*time.Second, func() {})
}

// serve leaves the pace of bodies and answers to the door.
func serve(ctx context.Context, l net.Listener, h http.Handler, grace time.Duration, cut func()) error {
	s := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 128 << 10,
		ErrorLog: slog.NewLogLogger(slog.Default().Handler(), slog.LevelDebug)}
	failed := make(chan error, 1)
	go func() { failed <- s.Serve(l) }()
	select {
	case err := <-failed:
		return fmt.Errorf("serve on %s: %w", l.Addr(), err)
	case <-ctx.Done():
	}
	within, cancel := context.WithTimeout(context.WithoutCancel(ctx), grace)
	defer cancel()
	if err := s.Shutdown(within); err != nil {
		cut()
		s.Close()
	}
	if err := <-failed; !errors.Is(err, http.ErrServerClosed) {
		return fmt.Errorf("serve on %s: %w", l.Addr(), err)
	}
	return nil
}
