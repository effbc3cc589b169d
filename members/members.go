// Package members signs people in, holds their roles and tokens, and keeps the audit trail.
package members

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/platform/access"
	"plainpelican/platform/database"
)

// Service is the members capability.
type Service struct {
	Pool     *pgxpool.Pool
	Sessions *scs.SessionManager
	attempts attempts
}

// New makes the service; secure says whether browsers reach it over https.
func New(pool *pgxpool.Pool, secure bool) *Service {
	sessions := scs.New()
	sessions.Store = pgxstore.NewWithCleanupInterval(pool, 0) // Prune does it
	sessions.Lifetime = 14 * 24 * time.Hour
	sessions.HashTokenInStore = true
	sessions.Cookie.Name = "session"
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = secure
	return &Service{Pool: pool, Sessions: sessions}
}

// Prune forgets sessions that have ended.
func (s *Service) Prune(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `delete from sessions where expiry < now()`)
	return err
}

// Member is a person with a role.
type Member struct {
	ID    int64       `json:"id"`
	Email string      `json:"email"`
	Name  string      `json:"name"`
	Role  access.Role `json:"role" enum:"owner,editor,fulfiller"`
}

// Add makes a member. It returns an error for a weak password, a bad role or a taken address.
func (s *Service) Add(ctx context.Context, email, name string, role access.Role, password string) (int64, error) {
	if !role.Valid() {
		return 0, fmt.Errorf("%q is not a role: choose owner, editor or fulfiller", role)
	}
	if len(password) < 10 {
		return 0, fmt.Errorf("the password must have 10 characters or more")
	}
	if !strings.Contains(email, "@") {
		return 0, fmt.Errorf("%q is not a mail address", email)
	}
	var id int64
	err := s.Pool.QueryRow(ctx, `insert into member (email, name, role, password_hash) values ($1, $2, $3, $4) returning id`, email, name, role, hashPassword(password)).Scan(&id)
	if database.Taken(err) {
		return 0, fmt.Errorf("there is a member with %s already", email)
	}
	return id, err
}

// Identify puts the member behind a session cookie or bearer token into the request's
// context. It refuses nobody: operations do, by the role they need.
func (s *Service) Identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := r.Context()
		var who access.Identity
		var err error
		if token, bearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); bearer {
			who, err = s.byToken(ctx, token)
		} else {
			cookie := ""
			if c, err := r.Cookie(s.Sessions.Cookie.Name); err == nil {
				cookie = c.Value
			}
			var loaded context.Context
			if loaded, err = s.Sessions.Load(ctx, cookie); err == nil {
				ctx = loaded
				if id := s.Sessions.GetInt64(ctx, "member"); id != 0 {
					who, err = s.byID(ctx, id)
				}
			}
		}
		if err != nil {
			http.Error(w, "The database does not answer. Try again in a moment.", http.StatusServiceUnavailable)
			return
		}
		if who.Role != access.Public {
			ctx = access.With(ctx, who)
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// byID finds a member; one that is gone is nobody, which is no error.
func (s *Service) byID(ctx context.Context, id int64) (access.Identity, error) {
	who := access.Identity{MemberID: id}
	err := s.Pool.QueryRow(ctx, `select name, role from member where id = $1`, id).Scan(&who.Name, &who.Role)
	return known(who, err)
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
		update api_token t set last_used_at = now() from member m where t.hash = $1 and m.id = t.member_id
		returning m.id, m.name, t.role, m.role`, hash[:]).Scan(&who.MemberID, &who.Name, &who.Role, &own)
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
	_, err := q.Exec(ctx, `insert into audit_entry (member_id, member_name, act, subject, before, after) values ($1, $2, $3, $4, $5, $6)`,
		member, who.Name, act, subject, states[0], states[1])
	return err
}

// List lists members by name.
func (s *Service) List(ctx context.Context) ([]Member, error) {
	rows, err := s.Pool.Query(ctx, `select id, email, name, role from member order by name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Member])
}
