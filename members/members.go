// Package members signs people in, holds their roles and tokens, and keeps the audit trail.
package members

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Service is the members capability.
type Service struct {
	Pool     *pgxpool.Pool
	Sessions *scs.SessionManager
	Log      *slog.Logger
	hashed   atomic.Int64
	// Unavailable answers a request while the database is away.
	Unavailable http.HandlerFunc
	// Address is where a request comes from.
	Address func(*http.Request) netip.Addr
	// DeviceCookie is the name of the cookie that a device is known again by.
	DeviceCookie string
}

// New makes the service; secure says whether browsers reach it over https.
func New(pool *pgxpool.Pool, secure bool, log *slog.Logger) *Service {
	sessions := scs.New()
	sessions.Store = pgxstore.NewWithCleanupInterval(pool, 0) // Prune does it
	sessions.Lifetime = 14 * 24 * time.Hour
	sessions.HashTokenInStore = true
	sessions.Cookie.Name = cookieName("session", secure)
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = secure
	return &Service{Pool: pool, Sessions: sessions, Log: log, DeviceCookie: cookieName("device", secure)}
}

// cookieName has browsers hold to https and this host alone, where https is used (RFC 6265bis, section 4.1.3.2).
func cookieName(name string, secure bool) string {
	if secure {
		return "__Host-" + name
	}
	return name
}

// Hashed counts how often a password was held against a hash here.
func (s *Service) Hashed() int64 { return s.hashed.Load() }

// Prune forgets sessions that have ended, old attempts to sign in and devices that were not used for a year.
func (s *Service) Prune(ctx context.Context) error {
	for _, statement := range []string{`delete from sessions where expiry < now()`, `delete from sign_in_attempt
		where at < now() - interval '1 day'`,
		`delete from known_device where used_at < now() - interval '1 year'`} {
		if _, err := s.Pool.Exec(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

// Member is a person with a role.
type Member struct {
	ID    int64       `json:"id"`
	Email string      `json:"email"`
	Name  string      `json:"name"`
	Role  access.Role `json:"role" enum:"owner,editor,fulfiller,order_handler"`
	// Disabled members cannot sign in.
	Disabled bool `json:"disabled"`
	// LetterKeys is whether single letters act as keys: by themselves, with Alt alone, or not at all.
	LetterKeys string `json:"letter_keys" enum:"plain,alt,off"`
}

const memberColumns = `select id, email, name, role, disabled_at is not null, letter_keys from member`

// strong refuses passwords that are too short or too long to be hashed.
func strong(password string) error {
	if len(password) < 10 {
		return fmt.Errorf("the password must have 10 characters or more")
	}
	if len(password) > maxPassword {
		return fmt.Errorf("the password may have %d bytes at most", maxPassword)
	}
	return nil
}

const maxPassword = 200

// Add makes a member. It returns a problem for a weak password, a bad role or a taken address.
func (s *Service) Add(ctx context.Context, email, name string, role access.Role, password string) (int64, error) {
	if !role.Valid() {
		return 0, apikit.Problem(422, "email", "%q is not a role: choose owner, editor, fulfiller or order_handler.",
			role)
	}
	if err := strong(password); err != nil {
		return 0, apikit.Problem(422, "email", "%s", apikit.Sentence(err))
	}
	if !strings.Contains(email, "@") {
		return 0, apikit.Problem(422, "email", "%q is not a mail address.", email)
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return 0, err
	}
	var id int64
	err = s.Pool.QueryRow(ctx, `insert into member (email, name, role, password_hash) values ($1, $2, $3, $4)
		returning id`, email, name, role, hash).Scan(&id)
	if database.Taken(err) {
		return 0, apikit.Problem(422, "email", "There is a member with %s already.", email)
	}
	return id, err
}

// Identify puts the member behind a session cookie or bearer token into the request's
// context. It refuses nobody: operations do, by the role they need.
func (s *Service) Identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/assets/") || r.URL.Path == "/healthz" {
			next.ServeHTTP(w, r) // there without a database
			return
		}
		ctx := r.Context()
		var who access.Identity
		var err error
		token, bearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		cookie := ""
		if c, err := r.Cookie(s.Sessions.Cookie.Name); err == nil && !bearer {
			cookie = c.Value
		}
		var loaded context.Context
		if loaded, err = s.Sessions.Load(ctx, cookie); err == nil {
			ctx = loaded
			if bearer {
				who, err = s.byToken(ctx, token)
			} else if id := s.Sessions.GetInt64(ctx, "member"); id != 0 {
				who, err = s.byID(ctx, id, s.Sessions.GetInt(ctx, "epoch"))
			}
		}
		if err != nil && ctx.Err() == nil {
			s.Log.Error("identifying a request", "error", err)
			s.Unavailable(w, r)
			return
		}
		if who.Role != access.Public {
			ctx = access.With(ctx, who)
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// byID finds a member; one that is gone, disabled or signed out everywhere is nobody, which is no error.
func (s *Service) byID(ctx context.Context, id int64, epoch int) (access.Identity, error) {
	who := access.Identity{MemberID: id}
	err := s.Pool.QueryRow(ctx, `select name, role from member
		where id = $1 and disabled_at is null and session_epoch = $2`, id, max(epoch, 1)).Scan(&who.Name, &who.Role)
	return known(who, err)
}

// Still tells whether who sent a request long ago, to be answered ever since, would still be let in.
func (s *Service) Still(r *http.Request) bool {
	in := false
	s.Identify(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		in = access.Who(r.Context()).Role != access.Public
	})).
		ServeHTTP(httptest.NewRecorder(), r.WithContext(access.With(r.Context(), access.Identity{})))
	return in
}

// known is who was found, or nobody where there is no such row.
func known(who access.Identity, err error) (access.Identity, error) {
	if database.Missing(err) {
		return access.Identity{}, nil
	}
	return who, err
}

// byToken finds the member of a personal token; the token's role, never above the
// member's own, holds.
func (s *Service) byToken(ctx context.Context, token string) (access.Identity, error) {
	hash := sha256.Sum256([]byte(token))
	var who access.Identity
	var own access.Role
	err := s.Pool.QueryRow(ctx, `
		update api_token t set last_used_at = now() from member m
		where t.hash = $1 and m.id = t.member_id and m.disabled_at is null
		and (t.expires_at is null or t.expires_at > now())
		returning t.id, m.id, m.name, t.role, m.role`, hash[:]).
		Scan(&who.TokenID, &who.MemberID, &who.Name, &who.Role, &own)
	if !own.Allows(who.Role) {
		who.Role = own
	}
	return known(who, err)
}

// Audit adds to the trail who did what to what, with the state before and after.
func Audit(ctx context.Context, q database.Querier, act, subject string, before, after any) error {
	who := access.Who(ctx)
	var member *int64
	if who.MemberID != 0 {
		member = &who.MemberID
	}
	states := [2][]byte{}
	for i, state := range []any{before, after} {
		if state == nil {
			continue
		}
		var err error
		if states[i], err = json.Marshal(state); err != nil {
			return err
		}
	}
	_, err := q.Exec(ctx, `insert into audit_entry (member_id, member_name, act, subject, before, after)
		values ($1, $2, $3, $4, $5, $6)`,
		member, who.Name, act, subject, states[0], states[1])
	return err
}

// List lists members by name.
func (s *Service) List(ctx context.Context) ([]Member, error) {
	rows, err := s.Pool.Query(ctx, memberColumns+` order by disabled_at is not null, name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Member])
}
