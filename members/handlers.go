package members

import (
	"context"
	"crypto/sha256"
	"net/http"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
)

// noHash keeps an unknown address as slow as a wrong password.
var noHash = unmatched()

func (s *Service) signIn(ctx context.Context, email, password string, where Where) (m Member, device string,
	err error) {
	email = strings.ToLower(strings.TrimSpace(email))
	if access.Who(ctx).TokenID != 0 {
		return m, "", apikit.Problem(400, "", "A token signs nobody in: leave the Authorization header out.")
	}
	attempt, err := s.attempt(ctx, email, where)
	if err != nil {
		return m, "", err
	}
	var hash string
	var epoch int
	err = s.Pool.QueryRow(ctx, `select id, email, name, role, letter_keys, password_hash, session_epoch
		from member where lower(email) = $1 and disabled_at is null`, email).Scan(&m.ID, &m.Email, &m.Name, &m.Role,
		&m.LetterKeys, &hash, &epoch)
	if database.Missing(err) {
		hash = noHash
	} else if err != nil {
		return m, "", err
	}
	right, err := s.matches(ctx, password, hash)
	if err != nil {
		return Member{}, "", err
	}
	if !right || m.ID == 0 {
		s.Log.Warn("an attempt to sign in failed", "email", email, "network", where.network(), "attempt", attempt)
		if err := Audit(ctx, s.Pool, "failed to sign in", email, nil,
			map[string]string{"from": where.network()}); err != nil {
			return Member{}, "", err
		}
		return Member{}, "", apikit.Problem(401, "password", "That address and password do not belong together.")
	}
	if device, err = s.arrived(ctx, m.ID, email, where); err != nil {
		return m, "", err
	}
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return m, "", err
	}
	s.Sessions.Put(ctx, "member", m.ID)
	s.Sessions.Put(ctx, "epoch", epoch)
	return m, device,
		Audit(access.With(ctx, access.Identity{MemberID: m.ID, Name: m.Name}), s.Pool, "signed in", m.Email, nil, nil)
}

// Token is a personal API token as it is listed. The secret itself is shown once.
type Token struct {
	ID         int64       `json:"id"`
	Name       string      `json:"name"`
	Role       access.Role `json:"role" enum:"owner,editor,fulfiller,order_handler"`
	CreatedAt  time.Time   `json:"created_at"`
	LastUsedAt *time.Time  `json:"last_used_at"`
	ExpiresAt  *time.Time  `json:"expires_at" doc:"Absent where it does not expire"`
	Member     string      `json:"member" doc:"Whose it is"`
}

// NewToken is a token on the one occasion that its secret is seen.
type NewToken struct {
	Token
	Secret string `json:"secret"`
}

// tokens are one's own; an owner sees everybody's.
func (s *Service) tokens(ctx context.Context) ([]Token, error) {
	rows, err := s.Pool.Query(ctx, `select t.id, t.name, t.role, t.created_at, t.last_used_at, t.expires_at, m.name
		from api_token t join member m on m.id = t.member_id where member_id = $1 or $2 order by m.name, t.id`,
		access.Who(ctx).MemberID, access.Who(ctx).Role == access.Owner)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Token])
}

func (s *Service) makeToken(ctx context.Context, name string, role access.Role, days int) (NewToken, error) {
	who := access.Who(ctx)
	if err := personally(ctx); err != nil {
		return NewToken{}, err
	}
	if !role.Valid() || !who.Role.Allows(role) {
		return NewToken{},
			apikit.Problem(422, "role", "A token cannot do more than you can: your role is %s.", who.Role)
	}
	t := NewToken{Token{Name: name, Role: role, Member: who.Name}, "pel_" + secrets.Token() + secrets.Token()}
	hash := sha256.Sum256([]byte(t.Secret))
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `insert into api_token (member_id, name, role, hash, expires_at)
			values ($1, $2, $3, $4, case when $5 > 0 then now() + make_interval(days => $5) end)
			returning id, created_at, expires_at`,
			who.MemberID, name, role, hash[:], days).Scan(&t.ID, &t.CreatedAt, &t.ExpiresAt)
		if err != nil {
			return err
		}
		return Audit(ctx, tx, "made a token", name, nil, map[string]string{"role": string(role)})
	})
	return t, err
}

func (s *Service) dropToken(ctx context.Context, id int64) error {
	if err := personally(ctx); err != nil {
		return err
	}
	var name string
	err := s.Pool.QueryRow(ctx, `delete from api_token where id = $1 and (member_id = $2 or $3)
		returning name`, id, access.Who(ctx).MemberID, access.Who(ctx).Role == access.Owner).Scan(&name)
	if database.Missing(err) {
		return apikit.NotFound("token")
	}
	if err != nil {
		return err
	}
	return Audit(ctx, s.Pool, "revoked a token", name, nil, nil)
}

// cookie is an answer that sets the session's cookie and the device's.
type cookie struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      Member
}

// deviceCookie lets a device be known again, for a year.
func (s *Service) deviceCookie(token string) http.Cookie {
	c := s.Sessions.Cookie
	return http.Cookie{Name: s.DeviceCookie, Value: token, Path: "/", MaxAge: 365 * 24 * 3600, HttpOnly: true,
		SameSite: c.SameSite, Secure: c.Secure}
}

// origin is a request's address and device, which operations do not see otherwise.
type origin struct{}

// Located puts where a request comes from into its context.
func (s *Service) Located(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		where := Where{Address: s.Address(r)}
		if c, err := r.Cookie(s.DeviceCookie); err == nil && len(c.Value) <= 100 {
			where.Device = c.Value
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), origin{}, where)))
	})
}

func from(ctx context.Context) Where {
	where, _ := ctx.Value(origin{}).(Where)
	return where
}

func (s *Service) sessionCookie(ctx context.Context) (http.Cookie, error) {
	token, expiry, err := s.Sessions.Commit(ctx)
	c := s.Sessions.Cookie
	return http.Cookie{Name: c.Name, Value: token, Path: "/", Expires: expiry, HttpOnly: c.HttpOnly,
		SameSite: c.SameSite, Secure: c.Secure}, err
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Public, http.MethodPost, "/api/session", "signIn", "Sign in",
		func(ctx context.Context, in *struct {
			Body struct {
				Email    string `json:"email" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*cookie, error) {
			m, device, err := s.signIn(ctx, in.Body.Email, in.Body.Password, from(ctx))
			if err != nil {
				return nil, err
			}
			c, err := s.sessionCookie(ctx)
			return &cookie{[]http.Cookie{c, s.deviceCookie(device)}, m}, err
		})
	apikit.Register(a, access.OrderHandler, http.MethodDelete, "/api/session", "signOut", "Sign out",
		func(ctx context.Context, _ *apikit.None) (*struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
		}, error) {
			if access.Who(ctx).TokenID != 0 {
				return nil, apikit.Problem(400, "", "A token is not signed in. Revoke it instead.")
			}
			if err := s.Sessions.Destroy(ctx); err != nil {
				return nil, err
			}
			return &struct {
				SetCookie http.Cookie `header:"Set-Cookie"`
			}{http.Cookie{Name: s.Sessions.Cookie.Name, Path: "/", MaxAge: -1}}, nil
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/me", "me", "Who is signed in",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[Member], error) {
			var m Member
			err := s.Pool.QueryRow(ctx, `select id, email, name, letter_keys from member
			where id = $1`, access.Who(ctx).MemberID).Scan(&m.ID, &m.Email, &m.Name, &m.LetterKeys)
			m.Role = access.Who(ctx).Role
			return apikit.OK(m, err)
		})
	apikit.Register(a, access.Owner, http.MethodGet, "/api/members", "listMembers", "List members",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Member], error) {
			return apikit.OK(s.List(ctx))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/members", "addMember", "Add a member",
		func(ctx context.Context, in *struct {
			Body struct {
				Email    string      `json:"email" maxLength:"200"`
				Name     string      `json:"name" minLength:"1" maxLength:"100"`
				Role     access.Role `json:"role" enum:"owner,editor,fulfiller,order_handler"`
				Password string      `json:"password" maxLength:"200"`
			}
		}) (*apikit.Body[Member], error) {
			b := in.Body
			if err := personally(ctx); err != nil {
				return nil, err
			}
			id, err := s.Add(ctx, b.Email, b.Name, b.Role, b.Password)
			if err != nil {
				return nil, err
			}
			return apikit.OK(Member{id, b.Email, b.Name, b.Role, false, "plain"},
				Audit(ctx, s.Pool, "added member", b.Email, nil, map[string]string{"role": string(b.Role)}))
		})
	apikit.Register(a, access.Owner, http.MethodPatch, "/api/members/{id}", "changeMember",
		"Change a member's role, or shut them out", func(ctx context.Context, in *struct {
			apikit.ByID
			Body Change
		}) (*apikit.Body[Member], error) {
			return apikit.OK(s.Set(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/members/{id}/password", "setPassword",
		"Give a member a new password; they are signed out everywhere", func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				Password string `json:"password" maxLength:"200"`
			}
		}) (*apikit.None, error) {
			if err := personally(ctx); err != nil {
				return nil, err
			}
			return nil, s.SetPassword(ctx, in.ID, in.Body.Password)
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/members/{id}/sign-out", "signMemberOut",
		"End all sessions of a member", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.SignOutEverywhere(ctx, in.ID)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPut, "/api/me/letter-keys", "setLetterKeys",
		"Say whether single letters act as keys for you", func(ctx context.Context, in *struct {
			Body struct {
				LetterKeys string `json:"letter_keys" enum:"plain,alt,off"`
			}
		}) (*apikit.None, error) {
			_, err := s.Pool.Exec(ctx, `update member set letter_keys = $2 where id = $1`, access.Who(ctx).MemberID,
				in.Body.LetterKeys)
			return nil, err
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/me/password", "changePassword",
		"Change your password; other sessions end", func(ctx context.Context, in *struct {
			Body struct {
				Current  string `json:"current" maxLength:"200"`
				Password string `json:"password" maxLength:"200"`
			}
		}) (*apikit.None, error) {
			return nil, s.changeOwn(ctx, in.Body.Current, in.Body.Password)
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/me/sign-out", "signOutEverywhere",
		"End all your other sessions", func(ctx context.Context, _ *apikit.None) (*apikit.None, error) {
			return nil, s.SignOutEverywhere(ctx, access.Who(ctx).MemberID)
		})
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/tokens", "listTokens",
		"List your tokens; an owner sees everybody's",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Token], error) {
			return apikit.OK(s.tokens(ctx))
		})
	apikit.Register(a, access.OrderHandler, http.MethodPost, "/api/tokens", "createToken",
		"Make a token; its secret is shown this once", func(ctx context.Context, in *struct {
			Body struct {
				Name string      `json:"name" minLength:"1" maxLength:"100"`
				Role access.Role `json:"role" enum:"owner,editor,fulfiller,order_handler"`
				Days int         `json:"days,omitempty" minimum:"0" maximum:"3650" doc:"0 is never"`
			}
		}) (*apikit.Body[NewToken], error) {
			return apikit.OK(s.makeToken(ctx, in.Body.Name, in.Body.Role, in.Body.Days))
		})
	apikit.Register(a, access.OrderHandler, http.MethodDelete, "/api/tokens/{id}", "deleteToken", "Revoke a token",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.dropToken(ctx, in.ID)
		})
}
