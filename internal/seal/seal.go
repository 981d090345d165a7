// Package seal closes what is given out of the house and comes back, or lies where others
// may read it: the password of a document that a reader opened, and the secrets with which
// tokens are signed.
//
// A Ring has keys of a day and of days before: the newest one seals, each opens what was
// sealed with it, so that keys can be changed while seals are about. Keys are made of
// secrets, for one purpose each, by HKDF (RFC 5869) with SHA-256; what is sealed is closed
// with AES-256 in Galois/Counter Mode (NIST SP 800-38D) under a nonce of its own, and bound
// to what it is about. A seal begins with the name of its key.
package seal

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
)

// The errors of opening.
var (
	// ErrSeal is given for what is no seal of ours, or not of this.
	ErrSeal = errors.New("the seal does not open")
	// ErrKey is given for a seal of a key that the ring has not got: perhaps another
	// server has.
	ErrKey = errors.New("the seal is of an unknown key")
)

// Least is how many bytes a secret has at least.
const Least = 32

// nameBytes is how long the name of a key is.
const nameBytes = 4

// Ring seals and opens, for one purpose.
type Ring struct {
	keys []key
}

type key struct {
	name []byte
	aead cipher.AEAD
}

// NewRing makes a ring of secrets, the newest first, for a purpose.
func NewRing(purpose string, secrets ...[]byte) (*Ring, error) {
	r := &Ring{}
	for _, secret := range secrets {
		if len(secret) < Least {
			return nil, fmt.Errorf("a secret for seals has %d bytes, %d are the least", len(secret), Least)
		}
		b, err := hkdf.Key(sha256.New, secret, nil, "incipit "+purpose, 32+nameBytes)
		if err != nil {
			return nil, fmt.Errorf("make a key for seals: %w", err)
		}
		block, err := aes.NewCipher(b[:32])
		if err != nil {
			return nil, fmt.Errorf("make a key for seals: %w", err)
		}
		aead, err := cipher.NewGCM(block)
		if err != nil {
			return nil, fmt.Errorf("make a key for seals: %w", err)
		}
		r.keys = append(r.keys, key{b[32:], aead})
	}
	if len(r.keys) == 0 {
		return nil, errors.New("a ring for seals needs a secret")
	}
	return r, nil
}

// Seal closes a text, bound to what it is about.
func (r *Ring) Seal(about string, text []byte) ([]byte, error) {
	k := r.keys[0]
	nonce := make([]byte, k.aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, fmt.Errorf("seal: %w", err)
	}
	return k.aead.Seal(append(bytes.Clone(k.name), nonce...), nonce, text, []byte(about)), nil
}

// Open gives the text of a seal about the same, or ErrSeal, or ErrKey.
func (r *Ring) Open(about string, sealed []byte) ([]byte, error) {
	if len(sealed) < nameBytes {
		return nil, ErrSeal
	}
	for _, k := range r.keys {
		if !bytes.Equal(k.name, sealed[:nameBytes]) {
			continue
		}
		rest := sealed[nameBytes:]
		if len(rest) < k.aead.NonceSize() {
			return nil, ErrSeal
		}
		text, err := k.aead.Open(nil, rest[:k.aead.NonceSize()], rest[k.aead.NonceSize():], []byte(about))
		if err != nil {
			return nil, ErrSeal
		}
		return text, nil
	}
	return nil, ErrKey
}

// Newest says whether a seal is of the key that seals now.
func (r *Ring) Newest(sealed []byte) bool { return bytes.HasPrefix(sealed, r.keys[0].name) }

// NewSecret makes one.
func NewSecret() ([]byte, error) {
	b := make([]byte, Least)
	if _, err := rand.Read(b); err != nil {
		return nil, fmt.Errorf("make a secret: %w", err)
	}
	return b, nil
}
