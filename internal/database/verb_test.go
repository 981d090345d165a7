package database

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTheVerbOfAStatement(t *testing.T) {
	for sql, verb := range map[string]string{
		"select 1":                         "SELECT",
		" \n\tUPDATE documents SET a = $1": "UPDATE",
		"-- name: JobGetAvailable :many\nWITH locked AS (SELECT 1) UPDATE": "WITH",
		"-- one\n-- another\nINSERT INTO a":                                "INSERT",
		"/* from here */ (SELECT 1) UNION SELECT 2":                        "SELECT",
		"-- ping":      "PING",
		"/* not ended": "PING",
		"":             "PING",
		"commit":       "COMMIT",
	} {
		assert.Equal(t, verb, verbOf(sql), sql)
	}
}
