package database

import (
	"crypto/rand"
	"encoding/base32"
	"fmt"
	"regexp"
	"strings"
)

// NewKey makes a public key: 100 bits, readable aloud.
func NewKey() (string, error) {
	b := make([]byte, 13)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("make a key: %w", err)
	}
	return strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b))[:20], nil
}

var keys = regexp.MustCompile(`^[a-z2-7]{20}$`)

// IsKey says whether something looks as keys do.
func IsKey(s string) bool { return keys.MatchString(s) }
