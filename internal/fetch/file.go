package fetch

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"

	"golang.org/x/net/html"
)

// Bounds of fetching a file. A website that sends less than leastSent within stalled has
// broken off, so that one that trickles keeps nobody else's waiting for long; where it broke
// off, it is asked for the rest a few times.
const (
	fileWithin = 15 * time.Minute
	mostAsked  = 6
	headOfPage = 64 << 10
	leastSent  = 16 << 10
)

// Fetchers wait for this long by default; see Fetcher.Stalled.
const stalled = 20 * time.Second

// Mark is how a website tells one state of a file from another (RFC 9110, 8.8).
type Mark struct {
	ETag     string
	Modified string // Last-Modified, as it was written
}

// strong says whether a file with this mark can be put together of parts (RFC 9110, 13.1.5).
func (m Mark) strong() string {
	if m.ETag != "" && !strings.HasPrefix(m.ETag, "W/") {
		return m.ETag
	}
	return ""
}

// File is a file as it came.
type File struct {
	Address string // where it was in the end
	Name    string // what it calls itself, or ""
	Mark    Mark
	Bytes   int64
	Same    bool // it is as it was: nothing came
}

// Sink takes the bytes of a file, and lets go of them where it begins anew.
type Sink interface {
	io.Writer
	Truncate(size int64) error
	io.Seeker
}

const instead = "Save the file yourself and add it from your own machine."

// File fetches a file into a sink, at most so many bytes, unless it is as the mark says.
// What breaks off is asked for from there on, where the website says that it is the same
// file still. told is called with how many bytes are there, and how many there are in all,
// or -1. A *Refusal says what the website answered.
func (f *Fetcher) File(ctx context.Context, address string, had Mark, to Sink, most int64, told func(has, all int64)) (File, error) {
	u, err := Address(address)
	if err != nil {
		return File{}, err
	}
	within, stop := context.WithTimeout(ctx, fileWithin)
	defer stop()
	client := f.client(0, instead)
	defer client.CloseIdleConnections()
	g := &getting{client: client, address: u, had: had, to: to, most: most, told: told, all: -1, stalled: cmp.Or(f.Stalled, stalled)}
	for asked := 1; ; asked++ {
		done, err := g.ask(within)
		switch {
		case ctx.Err() != nil:
			return File{}, fmt.Errorf("fetch a file: %w", ctx.Err())
		case done || err != nil:
			return g.file, err
		case within.Err() != nil:
			return File{}, &Refusal{"The file did not come within 15 minutes. " + instead}
		}
		if asked == mostAsked {
			return File{}, &Refusal{fmt.Sprintf("The file broke off %d times while it came, last after %s. Try again later.", asked, size(g.has))}
		}
		select {
		case <-time.After(time.Duration(asked) * 200 * time.Millisecond):
		case <-within.Done():
		}
	}
}

// errAnew says that a file is asked for anew, from its beginning.
var errAnew = errors.New("asked for anew")

// getting is a file under way.
type getting struct {
	client   *http.Client
	address  *url.URL
	had      Mark
	to       Sink
	most     int64
	told     func(has, all int64)
	file     File
	has, all int64
	stalled  time.Duration
}

// ask asks once. Where the answer breaks off, it is not done.
func (g *getting) ask(ctx context.Context) (done bool, err error) {
	ctx, cut := context.WithCancel(ctx)
	defer cut()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, g.address.String(), nil)
	if err != nil {
		return false, &Refusal{"The address cannot be read."}
	}
	r.Header.Set("User-Agent", "Incipit document fetch")
	r.Header.Set("Accept", "application/pdf, */*;q=0.5")
	r.Header.Set("Accept-Encoding", "identity") // parts are of the file itself
	if mark := g.file.Mark.strong(); g.has > 0 && mark != "" {
		r.Header.Set("Range", fmt.Sprintf("bytes=%d-", g.has))
		r.Header.Set("If-Range", mark)
	} else if g.had.ETag != "" {
		r.Header.Set("If-None-Match", g.had.ETag)
	} else if g.had.Modified != "" {
		r.Header.Set("If-Modified-Since", g.had.Modified)
	}
	answer, err := g.client.Do(r)
	if err != nil {
		return false, g.unreached(err)
	}
	defer answer.Body.Close()
	done, err = g.begin(answer)
	switch {
	case errors.Is(err, errAnew):
		g.has, g.file.Mark = 0, Mark{}
		return false, nil
	case done || err != nil:
		return done, err
	}
	// A website that says nothing any more is not waited for.
	silence := time.AfterFunc(g.stalled, cut)
	defer silence.Stop()
	buffer := make([]byte, 64<<10)
	sent := 0
	for {
		n, err := answer.Body.Read(buffer)
		if n > 0 {
			if sent += n; sent >= leastSent {
				sent = 0
				silence.Reset(g.stalled)
			}
			if g.has += int64(n); g.has > g.most {
				return false, &Refusal{fmt.Sprintf("The file is larger than %d MB. Nothing was kept.", g.most>>20)}
			}
			if _, err := g.to.Write(buffer[:n]); err != nil {
				return false, fmt.Errorf("lay a fetched file down: %w", err)
			}
			g.told(g.has, g.all)
		}
		switch {
		case errors.Is(err, io.EOF) && (g.all < 0 || g.has == g.all):
			g.file.Bytes = g.has
			return true, nil
		case err != nil:
			return false, nil //nolint:nilerr // it broke off: it is asked for again
		}
	}
}

// unreached is why a website did not answer; nil where asking again may help.
func (g *getting) unreached(err error) error {
	var refusal *Refusal
	switch {
	case errors.As(err, &refusal):
		return refusal
	case g.has > 0:
		return nil
	case isTimeout(err):
		return &Refusal{"The website did not answer within 10 seconds. Try again later."}
	}
	return &Refusal{"The website cannot be reached. Is the address right?"}
}

// begin reads what the website says of the file before its bytes.
func (g *getting) begin(answer *http.Response) (same bool, err error) {
	from := int64(0)
	switch answer.StatusCode {
	case http.StatusNotModified:
		if g.had == (Mark{}) {
			return false, &Refusal{"The website answers that the file has not changed, though nothing was there before. Try again later."}
		}
		g.file = File{Address: answer.Request.URL.String(), Mark: g.had, Same: true}
		return true, nil
	case http.StatusOK:
	case http.StatusPartialContent:
		var end int64
		if n, err := fmt.Sscanf(answer.Header.Get("Content-Range"), "bytes %d-%d/", &from, &end); n != 2 || err != nil || from != g.has || g.has == 0 {
			return false, &Refusal{"The website answers with another part of the file than it was asked for. " + instead}
		}
	case http.StatusRequestedRangeNotSatisfiable:
		if g.has == 0 {
			return false, &Refusal{"The website answers that there is no such part of the file. " + instead}
		}
		return false, errAnew
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusProxyAuthRequired:
		return false, &Refusal{fmt.Sprintf("The website asks for sign-in (status %d). %s", answer.StatusCode, instead)}
	case http.StatusNotFound, http.StatusGone:
		return false, &Refusal{fmt.Sprintf("There is nothing at this address (status %d). Was the file moved?", answer.StatusCode)}
	default:
		return false, &Refusal{fmt.Sprintf("The website answers with status %d, not with a file. Try again later.", answer.StatusCode)}
	}
	if answer.Header.Get("Content-Encoding") != "" && answer.Header.Get("Content-Encoding") != "identity" {
		return false, &Refusal{"The website sends the file packed, though it was asked not to. " + instead}
	}
	if g.all = answer.ContentLength; g.all >= 0 {
		g.all += from
	}
	if g.all > g.most {
		return false, &Refusal{fmt.Sprintf("The file is larger than %d MB. Nothing was kept.", g.most>>20)}
	}
	if from > 0 {
		return false, nil
	}
	if err := g.to.Truncate(0); err != nil {
		return false, fmt.Errorf("begin a fetched file anew: %w", err)
	}
	if _, err := g.to.Seek(0, io.SeekStart); err != nil {
		return false, fmt.Errorf("begin a fetched file anew: %w", err)
	}
	g.has = 0
	g.file = File{Address: answer.Request.URL.String(), Name: named(answer),
		Mark: Mark{bounded(answer.Header.Get("ETag")), bounded(answer.Header.Get("Last-Modified"))}}
	return false, nil
}

// bounded lets go of a mark that is longer than any that means something.
func bounded(mark string) string {
	if len(mark) > 200 {
		return ""
	}
	return mark
}

// named is what a file is called: as its website says (RFC 6266), or by its address.
func named(answer *http.Response) string {
	if _, says, err := mime.ParseMediaType(answer.Header.Get("Content-Disposition")); err == nil && says["filename"] != "" {
		return says["filename"]
	}
	name := path.Base(answer.Request.URL.Path)
	if name == "/" || name == "." {
		return ""
	}
	return name
}

// WebPage says what web page some bytes are, as a sentence, or "": many an address of a PDF
// leads to one.
func WebPage(head []byte) string {
	head = head[:min(len(head), headOfPage)]
	if !strings.HasPrefix(http.DetectContentType(head), "text/html") {
		return ""
	}
	title := ""
	for z := html.NewTokenizer(strings.NewReader(string(head))); title == ""; {
		kind := z.Next()
		if kind == html.ErrorToken {
			break
		}
		if name, _ := z.TagName(); kind == html.StartTagToken && string(name) == "title" && z.Next() == html.TextToken {
			title = strings.Join(strings.Fields(string(z.Text())), " ")
		}
	}
	if r := []rune(title); len(r) > 80 {
		title = string(r[:80]) + "…"
	}
	if title != "" {
		title = " (“" + title + "”)"
	}
	return "There is a web page at this address" + title + ", not a PDF. It may ask for sign-in, or show the PDF inside: open it, and copy the address of the file itself."
}

func size(bytes int64) string {
	if bytes < 1<<20 {
		return fmt.Sprintf("%d KB", (bytes+512)>>10)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/(1<<20))
}
