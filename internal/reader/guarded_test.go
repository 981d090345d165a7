package reader_test

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// signed is a token as an integrator's server makes it.
func signed(t *testing.T, k placing.SigningKey, claims jwt.MapClaims) string {
	t.Helper()
	token := jwt.NewWithClaims(jwt.SigningMethodHS256, claims)
	token.Header["kid"] = strconv.FormatInt(k.ID, 10)
	out, err := token.SignedString(k.Secret)
	require.NoError(t, err)
	return out
}

func entered(t *testing.T, address, token string) (int, string, http.Header) {
	t.Helper()
	q, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address, strings.NewReader(url.Values{"token": {token}}.Encode()))
	require.NoError(t, err)
	q.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(b), answer.Header
}

var grantIn = regexp.MustCompile(`/r/[a-z0-9]{20}~[A-Za-z0-9._-]+`)

// A guarded document opens to who shows a token, for as long as that holds, and
// to nobody else: no route gives anything without.
func TestGuardedDocuments(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.Guarded = true })
	other, _ := published(t, h, "trail-map.pdf", func(s *setting.Settings) { s.Guarded = true })
	require.NoError(t, h.Placing.SetRecord(t.Context(), p.ID, "survey 14"))
	require.ErrorIs(t, h.Placing.SetRecord(t.Context(), other.ID, "survey 14"), placing.ErrTaken)
	key, err := h.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	in := func(d time.Duration) int64 { return time.Now().Add(d).Unix() }
	base := h.URL + "/r/" + p.Key

	shut := func(base, why string) {
		t.Helper()
		for name, address := range routes(base, e) {
			status, body, _ := asked(t, address, nil)
			assert.Equal(t, http.StatusForbidden, status, "%s: %s", why, name)
			assert.Contains(t, body, "needs an invitation", "%s: %s", why, name)
			assert.NotContains(t, body, "Tide", "%s: %s", why, name)
		}
	}
	shut(base, "without a token")
	for name, token := range map[string]string{
		"forged":     signed(t, placing.SigningKey{ID: key.ID, Secret: []byte("guessed")}, jwt.MapClaims{"doc": p.Key, "exp": in(time.Minute)}),
		"ended":      signed(t, key, jwt.MapClaims{"doc": p.Key, "exp": in(-time.Minute)}),
		"another's":  signed(t, key, jwt.MapClaims{"doc": other.Key, "exp": in(time.Minute)}),
		"a record's": signed(t, key, jwt.MapClaims{"record": "survey 14", "exp": in(time.Minute)}),
		"nothing":    "",
	} {
		status, body, _ := entered(t, base+"/enter", token)
		assert.Equal(t, http.StatusForbidden, status, name)
		assert.NotContains(t, body, "Tide", name)
	}

	token := signed(t, key, jwt.MapClaims{"doc": p.Key, "exp": in(time.Hour), "jti": "visit-1"})
	status, body, header := entered(t, base+"/enter", token)
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, header.Get("Cache-Control"), "private")
	assert.NotContains(t, body, token, "the token stands nowhere")
	assert.NotContains(t, body, "oembed")
	granted := grantIn.FindString(body)
	require.NotEmpty(t, granted)
	for name, address := range routes(h.URL+granted, e) {
		status, _, header := asked(t, address, nil)
		assert.Equal(t, http.StatusOK, status, name)
		assert.NotContains(t, header.Get("Cache-Control"), "public", name)
	}
	status, _, _ = entered(t, base+"/enter", token)
	assert.Equal(t, http.StatusForbidden, status, "it opens once")
	_, grant, _ := strings.Cut(granted, "~")
	status, _, _ = asked(t, h.URL+"/r/"+other.Key+"~"+grant, nil)
	assert.Equal(t, http.StatusForbidden, status, "a grant is for one document")
	parts := strings.Split(grant, ".")
	shut(base+"~"+parts[0]+"."+strconv.FormatInt(in(24*time.Hour), 36)+"."+parts[2], "a grant made longer")
	status, _, _ = asked(t, h.URL+"/oembed?url="+url.QueryEscape(base), nil)
	assert.Equal(t, http.StatusNotFound, status)

	// By its record.
	record := h.URL + "/record/" + url.PathEscape("survey 14")
	status, _, _ = asked(t, record, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, body, _ = entered(t, record+"/enter", signed(t, key, jwt.MapClaims{"record": "survey 14", "exp": in(time.Hour)}))
	assert.Equal(t, http.StatusOK, status)
	assert.NotEmpty(t, grantIn.FindString(body))
	status, _, _ = asked(t, h.URL+"/record/unknown", nil)
	assert.Equal(t, http.StatusNotFound, status)

	// The key is withdrawn: what it opened is shut.
	require.NoError(t, h.Placing.WithdrawSigningKey(context.Background(), key.ID))
	shut(h.URL+granted, "a withdrawn key")

	// What is not guarded opens by its record to everybody.
	open, _ := published(t, h, "leaflet-welcome.pdf", nil)
	require.NoError(t, h.Placing.SetRecord(t.Context(), open.ID, "welcome"))
	status, body, _ = asked(t, h.URL+"/record/welcome", nil)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "/r/"+open.Key)
}
