package members

import (
	"context"
	"crypto/sha256"
	"net/netip"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
)

// How many attempts to sign in are let through before they are slowed down, and to what pace. A device
// that a member has signed in with before is counted by itself, so that nobody's guesses lock it out.
const (
	attemptWindow = 15 * time.Minute
	maxPerMember  = 8
	memberPace    = 30 * time.Second
	maxPerNetwork = 30
	networkPace   = 10 * time.Second
)

// Where says where a request to sign in comes from.
type Where struct {
	// Address is the client's; none is a member who is signed in already.
	Address netip.Addr
	// Device is the token of a device that somebody has signed in with; empty is a new one.
	Device string
}

// network is what attempts are counted by: an IPv4 address, or the half of an IPv6 address that belongs to
// one customer.
func (w Where) network() string {
	a := w.Address.Unmap()
	if a.Is6() {
		prefix, err := a.WithZone("").Prefix(64)
		if err == nil {
			return prefix.String()
		}
	}
	return a.String()
}

func deviceHash(token string) []byte {
	hash := sha256.Sum256([]byte(token))
	return hash[:]
}

// attempt counts an attempt before anything is hashed, and refuses it where there were too many: guesses that
// come at once are counted one after the other, on all instances. It returns the attempt's id.
func (s *Service) attempt(ctx context.Context, email string, where Where) (id int64, err error) {
	var wait time.Duration
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock($3, hashtext($1)),
			pg_advisory_xact_lock($4, hashtext($2))`, email, where.network(), database.LockSignInMember,
			database.LockSignInNetwork); err != nil {
			return err
		}
		var known bool
		if where.Device != "" {
			if err := tx.QueryRow(ctx, `select exists (select from known_device d join member m on m.id = d.member_id
				where lower(m.email) = $1 and d.hash = $2)`, email, deviceHash(where.Device)).Scan(&known); err != nil {
				return err
			}
		}
		var byMember, byNetwork int
		var lastMember, lastNetwork *time.Time
		if err := tx.QueryRow(ctx, `select count(*), max(at) from sign_in_attempt
			where email = $1 and known = $2 and at > now() - $3::interval`, email, known, attemptWindow).
			Scan(&byMember, &lastMember); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `select count(*), max(at) from sign_in_attempt
			where network = $1 and not known and at > now() - $2::interval`, where.network(), attemptWindow).
			Scan(&byNetwork, &lastNetwork); err != nil {
			return err
		}
		wait = left(byMember, maxPerMember, lastMember, memberPace)
		if !known && where.Address.IsValid() {
			wait = max(wait, left(byNetwork, maxPerNetwork, lastNetwork, networkPace))
		}
		if wait > 0 {
			return nil
		}
		return tx.QueryRow(ctx, `insert into sign_in_attempt (email, network, known) values ($1, $2, $3)
			returning id`, email, where.network(), known).Scan(&id)
	})
	if err == nil && wait > 0 {
		s.Log.Warn("an attempt to sign in was refused: too many", "email", email, "network", where.network())
		return 0, apikit.Problem(429, "", "Too many attempts. Try again in %d seconds.", int(wait.Seconds())+1)
	}
	return id, err
}

// left is how long to wait for the next attempt, where there were many.
func left(n, most int, last *time.Time, pace time.Duration) time.Duration {
	if n < most || last == nil {
		return 0
	}
	return max(0, pace-time.Since(*last))
}

// arrived forgets the failures of who signed in, and remembers the device. It returns the device's token.
func (s *Service) arrived(ctx context.Context, member int64, email string, where Where) (device string, err error) {
	if _, err := s.Pool.Exec(ctx, `delete from sign_in_attempt
		where email = $1 and network = $2`, email, where.network()); err != nil {
		return "", err
	}
	device = where.Device
	if device == "" || len(device) > 100 {
		device = secrets.Token() + secrets.Token()
	}
	_, err = s.Pool.Exec(ctx, `insert into known_device (member_id, hash) values ($1, $2)
		on conflict (member_id, hash) do update set used_at = now()`, member, deviceHash(device))
	return device, err
}
