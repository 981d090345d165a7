package app_test

import (
	"html"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/address"
	"incipit/internal/testkit"
)

var hidden = regexp.MustCompile(`<input type="hidden" name="([^"]*)" value="([^"]*)">`)

// sent posts a form as a page of ours does without script.
func sent(t *testing.T, c *testkit.Client, base, path string, form url.Values, site string) (int, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, base+path, strings.NewReader(form.Encode()))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Sec-Fetch-Site", site)
	r.Header.Set("Accept", "text/html")
	answer, err := c.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(b)
}

// Every form of the desk: the session ends, somebody signs in, even with a wrong password
// first, and what was typed is there and goes to where it was sent.
func TestNoFormIsLostWhenASessionEnds(t *testing.T) {
	h := testkit.Open(t)
	typed := url.Values{"title": {"Tides of the “Harrow” & <b>more</b>"}, "text": {strings.Repeat("A long text of several lines.\n", 40)}, "chosen": {"1", "2"}, "empty": {""}}
	forms := 0
	for _, row := range h.Router.Router().Routes() {
		if row.Method != http.MethodPost || address.PartOf(row.Path) != address.Desk || strings.HasPrefix(row.Path, "/sign-in") ||
			strings.HasPrefix(row.Path, "/set-up") || strings.HasPrefix(row.Path, "/new-password") || strings.HasPrefix(row.Path, "/uploads") {
			continue
		}
		forms++
		path := regexp.MustCompile(`:[a-z]+`).ReplaceAllString(row.Path, "1")
		stranger := h.Visitor(t)
		status, page := sent(t, stranger, h.URL, path, typed, "same-origin")
		require.Equal(t, http.StatusUnauthorized, status, path)
		require.Contains(t, page, "Nothing you typed is lost", path)
		for _, password := range []string{"a wrong password", demo.Password} {
			along := url.Values{"email": {demo.Email}, "password": {password}}
			for _, m := range hidden.FindAllStringSubmatch(page, -1) {
				along.Add(m[1], html.UnescapeString(m[2]))
			}
			status, page = sent(t, stranger, h.URL, "/sign-in", along, "same-origin")
			if password != demo.Password {
				require.Equal(t, http.StatusUnprocessableEntity, status, path)
			}
		}
		require.Equal(t, http.StatusOK, status, path)
		assert.Contains(t, page, `action="`+html.EscapeString(path)+`"`, path)
		for _, values := range typed {
			for _, v := range values {
				assert.Contains(t, html.UnescapeString(page), v, path)
			}
		}
		for _, subject := range []string{"address " + demo.Email, "origin 127.0.0.1"} {
			require.NoError(t, h.People.ForgetTries(t.Context(), subject))
		}
	}
	assert.Greater(t, forms, 40)
	// What another website put together does not come along.
	status, page := sent(t, h.Visitor(t), h.URL, "/documents/1/remove", typed, "cross-site")
	assert.Less(t, status, 500)
	assert.NotContains(t, page, "kept_path")
	status, page = sent(t, h.Visitor(t), h.URL, "/sign-in", url.Values{"email": {demo.Email}, "password": {demo.Password}, "kept_path": {"//stranger.example/x"}}, "same-origin")
	assert.Equal(t, http.StatusSeeOther, status)
	assert.NotContains(t, page, "stranger.example")
}
