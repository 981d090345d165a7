package testkit

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/require"
)

// Bucket is the address of an S3-compatible store that stands in for a real one, in this
// process; programs that are started from it reach it, too. between, or nil, stands in
// front of it.
func Bucket(t testing.TB, between func(http.Handler) http.Handler) string {
	t.Helper()
	t.Setenv("AWS_ACCESS_KEY_ID", "harrowmere")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "made-up")
	kept := s3mem.New()
	require.NoError(t, kept.CreateBucket("marsh"))
	answers := gofakes3.New(kept, gofakes3.WithLogger(gofakes3.DiscardLog())).Server()
	if between != nil {
		answers = between(answers)
	}
	s := httptest.NewServer(answers)
	t.Cleanup(s.Close)
	return "s3://marsh?region=eu-north-1&use_path_style=true&disable_https=true&endpoint=" + url.QueryEscape(s.URL)
}
