package fetch

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
)

// Link asks whether there is something at an address that somebody has put into a document.
// said is why a reader would find nothing there, or ""; a website that asks for sign-in, or
// does not answer programs, is not said to be missing anything. err is that of ctx alone.
func (f *Fetcher) Link(ctx context.Context, address string) (said string, err error) {
	u, err := Address(address)
	if err == nil {
		said, err = f.link(ctx, u)
	}
	var refusal *Refusal
	switch {
	case ctx.Err() != nil:
		return "", fmt.Errorf("ask for a web link: %w", ctx.Err())
	case errors.As(err, &refusal):
		return strings.TrimSpace(refusal.Words), nil
	case err != nil && isTimeout(err):
		return "The website did not answer within 10 seconds.", nil
	case err != nil:
		return "The website cannot be reached.", nil
	}
	return said, nil
}

func (f *Fetcher) link(ctx context.Context, u *url.URL) (string, error) {
	client := f.client(patience, "")
	defer client.CloseIdleConnections()
	for _, method := range []string{http.MethodHead, http.MethodGet} {
		r, err := http.NewRequestWithContext(ctx, method, u.String(), nil)
		if err != nil {
			return "", &Refusal{"The address cannot be read."}
		}
		r.Header.Set("User-Agent", "Incipit link check")
		if method == http.MethodGet {
			r.Header.Set("Range", "bytes=0-0")
		}
		answer, err := client.Do(r)
		if err != nil {
			return "", err
		}
		answer.Body.Close()
		switch s := answer.StatusCode; {
		case s < 400:
			return "", nil
		case method == http.MethodHead: // many know no HEAD: they are asked for a first byte
		case s == http.StatusNotFound, s == http.StatusGone:
			return fmt.Sprintf("There is nothing at this address (status %d).", s), nil
		case s >= 500:
			return fmt.Sprintf("The website is out of order (status %d).", s), nil
		}
	}
	return "", nil
}
