package address_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/address"
)

const key = "tidestidestidestide1"

func TestPartOf(t *testing.T) {
	for path, want := range map[string]address.Part{
		address.Reader(key): address.Viewer, address.Granted(key,
			"x.y") + "/page/a/1/800": address.Viewer, address.Stage(7): address.Viewer, address.Record("HBO 19/53"): address.Viewer,
		address.Collection(key): address.Site, address.Page(""): address.Site, address.Page("visit"): address.Site, address.Picture(3,
			"abc", 800): address.Site, "/pictures": address.Desk,
		address.Script: address.House, address.ScriptNamed("a.js"): address.House, "/health": address.House,
		"/": address.Desk, "/collections/3": address.Desk, "/web-pages/1/history": address.Desk, "/house-style": address.Desk,
		"/check":      address.Desk,
		"/robots.txt": address.Nowhere, "/rr/x": address.Nowhere,
	} {
		assert.Equal(t, want, address.PartOf(path), path)
	}
	for path, want := range map[string]bool{"/placements/7": true, "/collections/1": true, "/stage/1": true, "/": false,
		"/r/" + key: false, "/pages/visit": false, "/elsewhere": false} {
		assert.Equal(t, want, address.Editors(path), path)
	}
}

func TestKeys(t *testing.T) {
	for text, want := range map[string]string{
		"https://d.example" + address.Reader(key):             key,
		address.Granted(key, "a.b.c") + "/find/x":             key,
		"https://d.example/r/" + key + "#page=2":              key,
		`<iframe src="https://d.example/r/` + key + `" width`: key,
		"/record/1": "", "": "",
	} {
		assert.Equal(t, want, address.KeyOf(text), text)
	}
	k, grant := address.Key(key + "~1.2.3")
	assert.Equal(t, []string{key, "1.2.3"}, []string{k, grant})
	k, grant = address.Key(key)
	assert.Equal(t, []string{key, ""}, []string{k, grant})
	assert.True(t, address.IsReader("/r/"+key+"#page=3"))
	assert.False(t, address.IsReader("/r/"+key+"/file"))
	assert.Equal(t, "/record/HBO%2019%2F53", address.Record("HBO 19/53"))
}
