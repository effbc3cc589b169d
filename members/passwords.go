package members

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/argon2"
)

// cost is how much work a hash takes; it is written into the hash.
type cost struct {
	kibi, passes uint32
	lanes        uint8
}

// usual is the second of RFC 9106's recommended settings: 64 MiB, three passes, four lanes.
var usual = cost{64 * 1024, 3, 4}

// running limits how many hashes are computed at once: each takes 64 MiB.
var running = make(chan struct{}, 2)

func (c cost) derive(password string, salt []byte) []byte {
	running <- struct{}{}
	defer func() { <-running }()
	return argon2.IDKey([]byte(password), salt, c.passes, c.kibi, c.lanes, 32)
}

// hashPassword makes the usual text form of an argon2id hash, with a fresh salt.
func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // crypto/rand never fails
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, usual.kibi, usual.passes, usual.lanes, b64(salt), b64(usual.derive(password, salt)))
}

// checkPassword tells whether a password is the one behind a hash that hashPassword made.
func checkPassword(password, hash string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		return false
	}
	var c cost
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &c.kibi, &c.passes, &c.lanes); err != nil || c.passes == 0 || c.lanes == 0 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	return err == nil && err2 == nil && subtle.ConstantTimeCompare(c.derive(password, salt), want) == 1
}

// attempts counts failed sign-ins for each mail address.
type attempts struct {
	mu     sync.Mutex
	failed map[string][]time.Time
}

const (
	mostAttempts  = 8
	attemptWindow = 15 * time.Minute
)

// allowed tells whether another attempt may be made, and how long to wait where not.
func (a *attempts) allowed(email string, now time.Time) (time.Duration, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	kept := a.failed[email][:0]
	for _, at := range a.failed[email] {
		if now.Sub(at) < attemptWindow {
			kept = append(kept, at)
		}
	}
	if len(kept) == 0 {
		delete(a.failed, email)
		return 0, true
	}
	a.failed[email] = kept
	return attemptWindow - now.Sub(kept[0]), len(kept) < mostAttempts
}

func (a *attempts) note(email string, now time.Time) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.failed == nil {
		a.failed = map[string][]time.Time{}
	}
	a.failed[email] = append(a.failed[email], now)
}
