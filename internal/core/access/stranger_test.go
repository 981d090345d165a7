package access_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/access"
	"incipit/internal/core/setting"
)

func TestStranger(t *testing.T) {
	sites := setting.SiteList{"https://www.harrowmere.example"}
	for _, x := range []struct {
		sites setting.SiteList
		asked access.Asked
		want  string
	}{
		{nil, access.Asked{Origin: "https://stranger.example"}, ""},
		{sites, access.Asked{}, ""},
		{sites, access.Asked{Origin: "https://www.harrowmere.example"}, ""},
		{sites, access.Asked{Referrer: "https://ours.example/pages/visit", Destination: "iframe"}, ""},
		{sites, access.Asked{Referrer: "https://stranger.example/page?who=maren", Destination: "iframe"}, "https://stranger.example"},
		{sites, access.Asked{Referrer: "https://stranger.example/", Destination: "document"}, ""},
		{sites, access.Asked{Origin: "https://stranger.example", Referrer: "https://www.harrowmere.example/"}, "https://stranger.example"},
		{sites, access.Asked{Origin: "null", Referrer: "https://stranger.example/"}, ""}, // names nobody: the policy keeps it out
		{sites, access.Asked{Referrer: "http://www.harrowmere.example/"}, "http://www.harrowmere.example"},
	} {
		assert.Equal(t, x.want, access.Stranger(x.sites, "https://ours.example", x.asked), "%+v", x.asked)
	}
}
