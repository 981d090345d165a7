package database

import (
	"crypto/rand"
	"encoding/base32"
	"fmt"
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
