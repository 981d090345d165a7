package deliver

import (
	"fmt"
	"mime"
	"net/http"
	"strings"

	"github.com/klauspost/compress/gzhttp"
)

// leastSqueezed is from how many bytes on a body is worth compressing.
const leastSqueezed = 1000

// squeezedTag ends the entity tag of a body that is compressed here: those are other
// bytes than the plain ones (RFC 9110, 8.8.3.3).
const squeezedTag = "--gzip"

// squeezes says whether bodies of a media type become smaller. Images, files and fonts
// are compressed already.
func squeezes(mediaType string) bool {
	kind, _, err := mime.ParseMediaType(mediaType)
	if err != nil {
		return false
	}
	return strings.HasPrefix(kind, "text/") || strings.HasSuffix(kind, "+xml") || strings.HasSuffix(kind, "+json") ||
		kind == "application/json" || kind == "application/javascript" || kind == "application/manifest+json"
}

// Squeezed compresses what answers send, by its media type, where the browser takes
// that: never what is compressed already, and never a part of something. A condition on
// the compressed body is a condition on what it is made of.
func Squeezed(next http.Handler) (http.Handler, error) {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(leastSqueezed), gzhttp.SuffixETag(squeezedTag), gzhttp.ContentTypeFilter(squeezes),
		gzhttp.EnableZstd(false))
	if err != nil {
		return nil, fmt.Errorf("prepare compression: %w", err)
	}
	inner := wrap(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if tags := r.Header.Get("If-None-Match"); strings.Contains(tags, squeezedTag+`"`) {
			r.Header.Set("If-None-Match", strings.ReplaceAll(tags, squeezedTag+`"`, `"`))
			w = &unchanged{ResponseWriter: w}
		}
		if r.Header.Get("Range") != "" {
			next.ServeHTTP(w, r) // ranges count plain bytes
			return
		}
		inner.ServeHTTP(w, r)
	}), nil
}

// unchanged names the body that a browser has when it is told that it still holds.
type unchanged struct{ http.ResponseWriter }

func (u *unchanged) WriteHeader(status int) {
	if tag := u.Header().Get("ETag"); status == http.StatusNotModified && strings.HasSuffix(tag, `"`) {
		u.Header().Set("ETag", strings.TrimSuffix(tag, `"`)+squeezedTag+`"`)
	}
	u.ResponseWriter.WriteHeader(status)
}

// Unwrap gives the writer below to http.ResponseController.
func (u *unchanged) Unwrap() http.ResponseWriter { return u.ResponseWriter }
