package door

import (
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/labstack/echo/v5"
)

// body is a request's body that has to keep up a pace and a length.
type body struct {
	io.ReadCloser
	control *http.ResponseController
	pace    Pace
	under   *Underway
	left    int64
	came    int64
	over    bool
}

// paced bounds a body.
func (d *Door) paced(w http.ResponseWriter, b io.ReadCloser, limit int64, u *Underway) io.ReadCloser {
	return &body{ReadCloser: b, control: http.NewResponseController(w), pace: d.options.Pace, under: u, left: limit}
}

// Read gives what comes, and an error that says 413 or 408 where too much comes,
// or too slowly.
func (b *body) Read(p []byte) (int, error) {
	if b.over {
		return 0, echo.ErrStatusRequestEntityTooLarge
	}
	now := time.Now()
	until := b.under.Begun.Add(b.pace.Grace + time.Duration(float64(b.came)/b.pace.Rate*float64(time.Second)))
	if most := now.Add(b.pace.Stall); until.After(most) {
		until = most
	}
	_ = b.control.SetReadDeadline(until) // a test's recorder has none
	if int64(len(p)) > b.left+1 {
		p = p[:b.left+1]
	}
	n, err := b.ReadCloser.Read(p)
	b.came += int64(n)
	b.under.mu.Lock()
	b.under.came = b.came
	b.under.mu.Unlock()
	if b.left -= int64(n); b.left < 0 {
		b.over = true
		return n - 1, echo.ErrStatusRequestEntityTooLarge
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = echo.NewHTTPError(http.StatusRequestTimeout, "too slow").Wrap(err)
	}
	if err != nil {
		// The connection may have more to say, in its own time.
		_ = b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}
