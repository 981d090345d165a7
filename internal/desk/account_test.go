package desk

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestInside(t *testing.T) {
	for _, good := range []string{"/documents", "/placements/7?x=%20y", "/web-pages/3#b-1",
		"/check?address=https://www.example.org/visiting"} {
		assert.Equal(t, good, inside(good))
	}
	for _, bad := range []string{"", "documents", "//evil.example", "/\t/evil.example", "/%09/evil.example/", "/\\evil.example",
		"/%5cevil.example", "/\n/evil.example", "https://evil.example", "/ /evil.example", "/\u00a0", "/%00"} {
		assert.Equal(t, "/documents", inside(bad), "%q", bad)
	}
}

func TestAgents(t *testing.T) {
	for said, want := range map[string]string{
		"Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0":                                                                  "Firefox on Linux",
		"Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.0 Mobile/15E148 Safari/604.1": "Safari on iPhone",
		"Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36 Edg/140.0.0.0":           "Edge on Windows",
		"":                          "A browser",
		"<script>alert(1)</script>": "A browser",
	} {
		assert.Equal(t, want, agent(said), said)
	}
}
