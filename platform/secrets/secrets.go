// Package secrets seals connection secrets for storage with AES-256-GCM.
package secrets

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"errors"
)

// Box seals and opens secrets with one key.
type Box struct {
	aead cipher.AEAD
	hash []byte // the key of hashes, which is another than that which seals
}

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
	hash, err := hkdf.Key(sha256.New, key, nil, "hashes", sha256.Size)
	return &Box{aead, hash}, err
}

// Hash is a keyed hash of a text, HMAC-SHA-256 cut to 64 bits: who does not have the key cannot tell of what. Purpose
// is
// bound to it.
func (b *Box) Hash(purpose, text string) int64 {
	mac := hmac.New(sha256.New, b.hash)
	mac.Write([]byte(purpose + "\x00" + text))
	return int64(binary.BigEndian.Uint64(mac.Sum(nil)))
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
