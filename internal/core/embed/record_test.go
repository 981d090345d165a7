package embed_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/embed"
)

func TestCheckRecord(t *testing.T) {
	for record, ok := range map[string]bool{"": true, "survey 14": true, "4711": true, "Zählung-潮": true, "a/b": false, "a?b": false,
		"a#b": false, `a\\b`: false, strings.Repeat("a", 201): false} {
		assert.Equal(t, ok, embed.CheckRecord(record) == "", record)
	}
}
