package access_test

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/access"
)

var (
	secretA = []byte("a secret of thirty-two bytes, aaa")
	secretB = []byte("a secret of thirty-two bytes, bbb")
	now     = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)
)

func secret(id int64) ([]byte, error) {
	switch id {
	case 1:
		return secretA, nil
	case 2:
		return secretB, nil
	case 9:
		return nil, errors.New("the database is away")
	}
	return nil, access.ErrToken
}

func signed(t *testing.T, method jwt.SigningMethod, kid any, key any, claims jwt.MapClaims) string {
	t.Helper()
	token := jwt.NewWithClaims(method, claims)
	token.Header["kid"] = kid
	out, err := token.SignedString(key)
	require.NoError(t, err)
	return out
}

func TestTokens(t *testing.T) {
	in := func(d time.Duration) int64 { return now.Add(d).Unix() }
	good := signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute), "jti": "visit-7"})
	token, err := access.Read(good, now, secret)
	require.NoError(t, err)
	assert.Equal(t, access.Token{KeyID: 1, Doc: "tides", ID: "visit-7", Until: time.Unix(in(time.Minute), 0)}, token)
	assert.True(t, token.Opens("tides", ""))
	assert.False(t, token.Opens("map", "tides"))
	byRecord, err := access.Read(signed(t, jwt.SigningMethodHS256, "2", secretB, jwt.MapClaims{"record": "4711", "exp": in(time.Hour)}), now,
		secret)
	require.NoError(t, err)
	assert.True(t, byRecord.Opens("anything", "4711"))
	assert.False(t, byRecord.Opens("4711", ""), "no record is not a record")
	assert.False(t, access.Token{}.Opens("", ""))

	parts := strings.Split(good, ".")
	for name, bad := range map[string]string{
		"ended":          signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(-time.Second)}),
		"without an end": signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides"}),
		"too long":       signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(13 * time.Hour)}),
		"another's key":  signed(t, jwt.SigningMethodHS256, "1", secretB, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"withdrawn key":  signed(t, jwt.SigningMethodHS256, "3", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"no key":         signed(t, jwt.SigningMethodHS256, "", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"a number":       signed(t, jwt.SigningMethodHS256, 1, secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"unsigned": signed(t, jwt.SigningMethodNone, "1", jwt.UnsafeAllowNoneSignatureType,
			jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"another method": signed(t, jwt.SigningMethodHS512, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"not yet": signed(t, jwt.SigningMethodHS256, "1", secretA,
			jwt.MapClaims{"doc": "tides", "exp": in(time.Hour), "nbf": in(time.Minute)}),
		"other claims": parts[0] + "." + strings.Split(signed(t, jwt.SigningMethodHS256, "1", secretB,
			jwt.MapClaims{"doc": "map", "exp": in(time.Hour)}), ".")[1] + "." + parts[2],
		"no signature":   parts[0] + "." + parts[1] + ".",
		"nothing":        "",
		"something else": "x.y.z",
		"a long name": signed(t, jwt.SigningMethodHS256, "1", secretA,
			jwt.MapClaims{"doc": "tides", "exp": in(time.Minute), "jti": strings.Repeat("x", 201)}),
		"issued ahead":                     signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Hour), "iat": in(61 * time.Second)}),
		"an end in words":                  signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": fmt.Sprint(in(time.Minute))}),
		"issued in words":                  signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute), "iat": "now"}),
		"a key with zeros":                 signed(t, jwt.SigningMethodHS256, "01", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"a key with a sign":                signed(t, jwt.SigningMethodHS256, "+1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}),
		"a zero byte":                      signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute), "jti": "visit\x007"}),
		"a claim twice":                    raw(`{"alg":"HS256","kid":"1"}`, fmt.Sprintf(`{"doc":"map","doc":"tides","exp":%d}`, in(time.Minute))),
		"a claim twice, otherwise written": raw(`{"alg":"HS256","kid":"1"}`, fmt.Sprintf(`{"doc":"map","Doc":"tides","exp":%d}`, in(time.Minute))),
		"two keys":                         raw(`{"alg":"HS256","kid":"2","kid":"1"}`, fmt.Sprintf(`{"doc":"tides","exp":%d}`, in(time.Minute))),
		"no object":                        raw(`{"alg":"HS256","kid":"1"}`, `["tides"]`),
		"two objects":                      raw(`{"alg":"HS256","kid":"1"}`, fmt.Sprintf(`{"doc":"tides","exp":%d}{}`, in(time.Minute))),
		"a broken letter":                  good[:len(good)-4] + "AAAA",
	} {
		_, err := access.Read(bad, now, secret)
		require.ErrorIs(t, err, access.ErrToken, name)
	}
	_, err = access.Read(signed(t, jwt.SigningMethodHS256, "9", secretA, jwt.MapClaims{"doc": "tides", "exp": in(time.Minute)}), now, secret)
	require.Error(t, err)
	assert.NotErrorIs(t, err, access.ErrToken, "a database that is away is no forged token")
}

// What is just right opens: a clock that is ahead by a minute, and claims of others' own.
func TestTokensThatOpen(t *testing.T) {
	for name, good := range map[string]string{
		"issued a minute ahead": signed(t, jwt.SigningMethodHS256, "1", secretA, jwt.MapClaims{"doc": "tides", "exp": now.Add(time.Hour).Unix(), "iat": now.Add(time.Minute).Unix()}),
		"with a fraction":       raw(`{"alg":"HS256","typ":"JWT","kid":"1"}`, fmt.Sprintf(`{"doc":"tides","exp":%d.5,"member":{"doc":"x","doc":"y"}}`, now.Add(time.Hour).Unix())),
	} {
		token, err := access.Read(good, now, secret)
		require.NoError(t, err, name)
		assert.Equal(t, "tides", token.Doc)
	}
}

// raw signs a token whose parts are written as they are.
func raw(header, claims string) string {
	text := base64.RawURLEncoding.EncodeToString([]byte(header)) + "." + base64.RawURLEncoding.EncodeToString([]byte(claims))
	mac := hmac.New(sha256.New, secretA)
	mac.Write([]byte(text))
	return text + "." + base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

func TestGrants(t *testing.T) {
	token := access.Token{KeyID: 1, Doc: "tides", Until: now.Add(time.Hour)}
	grant := access.Grant(token, "tides", secretA)
	is := func(grant, doc string, at time.Time) bool {
		t.Helper()
		ok, err := access.Granted(grant, doc, at, secret)
		require.NoError(t, err)
		return ok
	}
	assert.True(t, is(grant, "tides", now))
	assert.False(t, is(grant, "map", now), "for one document")
	assert.False(t, is(grant, "tides", now.Add(time.Hour)), "and for a time")
	parts := strings.Split(grant, ".")
	later := strconv.FormatInt(now.Add(48*time.Hour).Unix(), 36)
	for _, bad := range []string{"", "..", "1.1", parts[0] + "." + later + "." + parts[2], "2." + parts[1] + "." + parts[2], "3." +
		parts[1] + "." + parts[2], parts[0] + "." + parts[1] + ".AAAA", "ü.ü.ü"} {
		assert.False(t, is(bad, "tides", now), bad)
	}
	_, err := access.Granted("9."+parts[1]+"."+parts[2], "tides", now, secret)
	assert.Error(t, err)
}

func FuzzGranted(f *testing.F) {
	f.Add("1.tdrk40.AAAAAAAAAAAAAAAAAAAAAAAAAAA")
	f.Fuzz(func(t *testing.T, grant string) {
		if ok, _ := access.Granted(grant, "tides", now, secret); ok {
			t.Fatalf("%q was guessed", grant)
		}
	})
}
