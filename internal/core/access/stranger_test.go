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
		is    bool
	}{
		{nil, access.Asked{Origin: "https://stranger.example"}, "", false},
		{sites, access.Asked{}, "", false},
		{sites, access.Asked{Origin: "https://www.harrowmere.example"}, "", false},
		{sites, access.Asked{Referrer: "https://ours.example/pages/visit", Destination: "iframe"}, "", false},
		{sites, access.Asked{Referrer: "https://stranger.example/page?who=maren", Destination: "iframe"}, "https://stranger.example", true},
		{sites, access.Asked{Referrer: "https://stranger.example/", Destination: "document"}, "", false},
		{sites, access.Asked{Origin: "https://stranger.example", Referrer: "https://www.harrowmere.example/"}, "https://stranger.example", true},
		{sites, access.Asked{Origin: "null", Referrer: "https://stranger.example/"}, "https://stranger.example", true},
		{sites, access.Asked{Origin: "null"}, "", true},
		{sites, access.Asked{Origin: "null", Site: "same-origin"}, "", false},
		// our own page, which tells nobody where it is
		{sites, access.Asked{Origin: "null", Destination: "iframe", Site: "cross-site"}, "", false}, // names nobody: the policy keeps it out
		{sites, access.Asked{Destination: "image", Site: "cross-site"}, "", true},
		// a picture with referrerpolicy="no-referrer"
		{sites, access.Asked{Destination: "image", Site: "same-site"}, "", true},
		{sites, access.Asked{Destination: "image", Site: "same-origin"}, "", false},
		{sites, access.Asked{Destination: "image", Site: "cross-site", Referrer: "https://www.harrowmere.example/"}, "", false},
		{nil, access.Asked{Destination: "image", Site: "cross-site"}, "", false},
		{sites, access.Asked{Referrer: "http://www.harrowmere.example/"}, "http://www.harrowmere.example", true},
	} {
		site, is := access.Stranger(x.sites, "https://ours.example", x.asked)
		assert.Equal(t, x.want, site, "%+v", x.asked)
		assert.Equal(t, x.is, is, "%+v", x.asked)
	}
}
