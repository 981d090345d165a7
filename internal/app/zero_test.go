package app_test

import (
	"fmt"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/testkit"
)

// A zero byte, which PostgreSQL cannot keep, is whoever sent it's affair and no failure of
// the server, wherever it stands.
func TestZeroBytesAreRefused(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "tide-table.pdf", nil)
	editor := h.Editor(t)
	form := "application/x-www-form-urlencoded"
	for _, x := range []struct{ method, path, mediaType, body string }{
		{"POST", "/sign-in", form, url.Values{"email": {"a\x00@b.example"}, "password": {"x\x00"}}.Encode()},
		{"POST", fmt.Sprintf("/placements/%d/record", p.ID), form, url.Values{"record": {"survey\x00"}}.Encode()},
		{"POST", "/web-pages", form, url.Values{"title": {"Tides\x00"}}.Encode()},
		{"POST", "/collections", form, url.Values{"name": {"Tides\x00"}}.Encode()},
		{"GET", "/documents?q=%00", "", ""},
		{"GET", "/r/" + p.Key + "/find?q=tide%00", "", ""},
		{"GET", "/record/survey%00", "", ""},
		{"GET", "/pages/visit%00", "", ""},
		{"GET", "/r/%00aaaaaaaaaaaaaaaaaaa", "", ""},
		{"POST", "/r/" + p.Key + "/open", form, url.Values{"token": {"x\x00.y.z"}}.Encode()},
	} {
		status, body, _ := editor.Send(x.method, x.path, x.mediaType, x.body)
		assert.Less(t, status, http.StatusInternalServerError, "%s %s: %s", x.method, x.path, body)
	}
}
