package members

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"

	"plainpelican/platform/apikit"
)

// cost is how much work a hash takes; it is written into the hash.
type cost struct {
	kibi, passes uint32
	lanes        uint8
}

// usual is the second of RFC 9106's recommended settings: 64 MiB, three passes, four lanes.
var usual = cost{64 * 1024, 3, 4}

// running limits how many hashes are computed at once, each of 64 MiB; waiting how many wait for that.
var (
	running = make(chan struct{}, 2)
	waiting = make(chan struct{}, 24)
)

// inTurn computes when it is its turn. It returns a problem where too many wait already, and ends with ctx.
func inTurn[T any](ctx context.Context, compute func() T) (out T, err error) {
	select {
	case waiting <- struct{}{}:
		defer func() { <-waiting }()
	default:
		return out, apikit.Problem(503, "", "Too many are signing in at this moment. Try again in a few seconds.")
	}
	select {
	case running <- struct{}{}:
		defer func() { <-running }()
		return compute(), nil
	case <-ctx.Done():
		return out, ctx.Err()
	}
}

func (s *Service) hash(ctx context.Context, password string) (string, error) {
	return inTurn(ctx, func() string { return hashPassword(password) })
}

func (s *Service) matches(ctx context.Context, password, hash string) (bool, error) {
	s.hashed.Add(1)
	return inTurn(ctx, func() bool { return checkPassword(password, hash) })
}

func (c cost) derive(password string, salt []byte) []byte {
	return argon2.IDKey([]byte(password), salt, c.passes, c.kibi, c.lanes, 32)
}

func (c cost) text(salt, hash []byte) string {
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, c.kibi, c.passes, c.lanes, b64(salt),
		b64(hash))
}

// unmatched is a hash that no password has, and that takes as long as others to compare with.
func unmatched() string {
	salt, hash := make([]byte, 16), make([]byte, 32)
	_, _ = rand.Read(salt) // it never fails
	_, _ = rand.Read(hash)
	return usual.text(salt, hash)
}

// hashPassword makes the usual text form of an argon2id hash, with a fresh salt.
func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // crypto/rand never fails
	return usual.text(salt, usual.derive(password, salt))
}

// checkPassword tells whether a password is the one behind a hash that hashPassword made.
func checkPassword(password, hash string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		return false
	}
	var c cost
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &c.kibi, &c.passes, &c.lanes); err != nil || c.passes == 0 ||
		c.lanes == 0 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	return err == nil && err2 == nil && subtle.ConstantTimeCompare(c.derive(password, salt), want) == 1
}
