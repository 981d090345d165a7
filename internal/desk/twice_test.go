package desk

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNoRowStandsTwice(t *testing.T) {
	assert.Empty(t, twice(routes()))
	row := func(method, path string) route { return route{method: method, path: path} }
	assert.Empty(t, twice([]route{row("GET", "/a/:id"), row("POST", "/a/:id"), row("GET", "/a/:id/b"), row("GET", "/a")}))
	assert.Equal(t, "GET /a/:number", twice([]route{row("GET", "/a/:id"), row("GET", "/b"), row("GET", "/a/:number")}), "whatever a parameter is called")
}
