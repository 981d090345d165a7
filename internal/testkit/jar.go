package testkit

import (
	"net/http"
	"net/http/cookiejar"
	"testing"

	"github.com/stretchr/testify/require"
)

func newJar(t testing.TB) http.CookieJar {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return jar
}
