package setting_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
)

func TestSitesAreReadAsPeopleWriteThem(t *testing.T) {
	var l setting.SiteList
	require.NoError(t, json.Unmarshal([]byte(`[" www.harrowmere.example/visiting ", "https://WWW.harrowmere.example", "http://localhost:8081/x", "https://*.marsh.example", ""]`), &l))
	assert.Equal(t, setting.SiteList{"https://www.harrowmere.example", "http://localhost:8081", "https://*.marsh.example"}, l)
	s := setting.Default()
	s.Sites = l
	assert.Empty(t, setting.Check(s, 0))
	for _, bad := range []string{"javascript://x y", "https://", "https://ex ample.org", "ftp://example.org", "https://*",
		"https://example.org'; script-src *"} {
		s.Sites = setting.SiteList{bad}
		found := setting.Check(s, 0)
		require.Len(t, found, 1, bad)
		assert.Equal(t, setting.Sites, found[0].Key)
	}
}

func TestSitesAllow(t *testing.T) {
	l := setting.SiteList{"https://www.harrowmere.example", "https://*.marsh.example", "http://localhost:8081"}
	for origin, want := range map[string]bool{
		"https://www.harrowmere.example": true, "https://WWW.harrowmere.example": true, "http://www.harrowmere.example": false,
		"https://harrowmere.example":                  false,
		"https://www.harrowmere.example.evil.example": false, "https://evilwww.harrowmere.example": false,
		"https://a.marsh.example": true, "https://a.b.marsh.example": true, "https://marsh.example": false, "https://evilmarsh.example": false,
		"http://localhost:8081": true, "http://localhost:8082": false, "null": false, "": false,
	} {
		assert.Equal(t, want, l.Allows(origin), origin)
	}
	assert.True(t, setting.SiteList{}.Allows("https://anybody.example"))
}
