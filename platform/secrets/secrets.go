// Package secrets seals connection secrets for storage with AES-256-GCM.
package secrets

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
)

// Box seals and opens secrets with one key.
type Box struct{ aead cipher.AEAD }

// ErrSealed is returned for data that this key does not open.
var ErrSealed = errors.New("the secret was sealed with another key; connect again")

// New makes a box from a key of 32 bytes.
func New(key []byte) (*Box, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	if err != nil {
		return nil, err
	}
	return &Box{aead}, nil
}

// Seal encrypts a secret; purpose is bound to it and must be the same to open it.
func (b *Box) Seal(purpose, secret string) []byte {
	return b.aead.Seal(nil, nil, []byte(secret), []byte(purpose))
}

// Open decrypts what Seal made, or returns ErrSealed.
func (b *Box) Open(purpose string, sealed []byte) (string, error) {
	plain, err := b.aead.Open(nil, nil, sealed, []byte(purpose))
	if err != nil {
		return "", ErrSealed
	}
	return string(plain), nil
}

// Token makes a random text of 26 letters and digits, 130 bits.
func Token() string { return rand.Text() }
