package deliver_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/deliver"
)

func send(headers map[string]string, p deliver.Parcel) *http.Response {
	r := httptest.NewRequest(http.MethodGet, "/", nil)
	for k, v := range headers {
		r.Header.Set(k, v)
	}
	w := httptest.NewRecorder()
	p.Content = bytes.NewReader([]byte("0123456789"))
	deliver.Send(w, r, p)
	return w.Result()
}

func TestSendAnswersConditionsAndRanges(t *testing.T) {
	p := deliver.Parcel{MediaType: "image/png", ETag: "abc", Forever: true}
	assert.Equal(t, "public, max-age=31536000, immutable", send(nil, p).Header.Get("Cache-Control"))
	assert.Equal(t, http.StatusNotModified, send(map[string]string{"If-None-Match": `"abc"`}, p).StatusCode)
	part := send(map[string]string{"Range": "bytes=2-4"}, p)
	assert.Equal(t, http.StatusPartialContent, part.StatusCode)
	assert.Equal(t, "bytes 2-4/10", part.Header.Get("Content-Range"))
	assert.Equal(t, http.StatusRequestedRangeNotSatisfiable, send(map[string]string{"Range": "bytes=20-"}, p).StatusCode)
}

func TestFileName(t *testing.T) {
	for title, want := range map[string]string{
		"Tide table":         "Tide table",
		"../../etc/passwd":   "etc-passwd",
		"<script>":           "script",
		"a\r\nSet-Cookie: x": "a--Set-Cookie- x",
		"..":                 "document",
		"Увага: 潮の表":         "Увага- 潮の表",
		"":                   "document",
	} {
		assert.Equal(t, want, deliver.FileName(title))
	}
	assert.Contains(t, send(nil, deliver.Parcel{SaveAs: "x\"\r\ny.pdf"}).Header.Get("Content-Disposition"), "attachment")
}
