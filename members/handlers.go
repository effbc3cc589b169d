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
var noHash = hashPassword(secrets.Token())

func (s *Service) signIn(ctx context.Context, email, password string) (Member, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	if wait, ok := s.attempts.allowed(email, time.Now()); !ok {
		return Member{}, apikit.Problem(429, "", "Too many attempts. Try again in %d minutes.", int(wait.Minutes())+1)
	}
	var m Member
	var hash string
	err := s.Pool.QueryRow(ctx, `select id, email, name, role, password_hash from member where lower(email) = $1`, email).Scan(&m.ID, &m.Email, &m.Name, &m.Role, &hash)
	if database.Missing(err) {
		hash = noHash
	} else if err != nil {
		return m, err
	}
	if !checkPassword(password, hash) || m.ID == 0 {
		s.attempts.note(email, time.Now())
		return Member{}, apikit.Problem(401, "password", "That address and password do not belong together.")
	}
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return m, err
	}
	s.Sessions.Put(ctx, "member", m.ID)
	return m, Audit(access.With(ctx, access.Identity{MemberID: m.ID, Name: m.Name}), s.Pool, "signed in", m.Email, nil, nil)
}

// Token is a personal API token as it is listed. The secret itself is shown once.
type Token struct {
	ID         int64       `json:"id"`
	Name       string      `json:"name"`
	Role       access.Role `json:"role" enum:"owner,editor,fulfiller"`
	CreatedAt  time.Time   `json:"created_at"`
	LastUsedAt *time.Time  `json:"last_used_at"`
}

// NewToken is a token on the one occasion that its secret is seen.
type NewToken struct {
	Token
	Secret string `json:"secret"`
}

func (s *Service) tokens(ctx context.Context) ([]Token, error) {
	rows, err := s.Pool.Query(ctx, `select id, name, role, created_at, last_used_at from api_token where member_id = $1 order by id`, access.Who(ctx).MemberID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Token])
}

func (s *Service) makeToken(ctx context.Context, name string, role access.Role) (NewToken, error) {
	who := access.Who(ctx)
	if !role.Valid() || !who.Role.Allows(role) {
		return NewToken{}, apikit.Problem(422, "role", "A token cannot do more than you can: your role is %s.", who.Role)
	}
	t := NewToken{Token{Name: name, Role: role}, "pel_" + secrets.Token() + secrets.Token()}
	hash := sha256.Sum256([]byte(t.Secret))
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `insert into api_token (member_id, name, role, hash) values ($1, $2, $3, $4) returning id, created_at`,
			who.MemberID, name, role, hash[:]).Scan(&t.ID, &t.CreatedAt)
		if err != nil {
			return err
		}
		return Audit(ctx, tx, "made a token", name, nil, map[string]string{"role": string(role)})
	})
	return t, err
}

func (s *Service) dropToken(ctx context.Context, id int64) error {
	tag, err := s.Pool.Exec(ctx, `delete from api_token where id = $1 and member_id = $2`, id, access.Who(ctx).MemberID)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return apikit.NotFound("token")
	}
	return Audit(ctx, s.Pool, "revoked a token", "", nil, nil)
}

// cookie is an answer that sets the session cookie.
type cookie struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      Member
}

func (s *Service) sessionCookie(ctx context.Context) (http.Cookie, error) {
	token, expiry, err := s.Sessions.Commit(ctx)
	c := s.Sessions.Cookie
	return http.Cookie{Name: c.Name, Value: token, Path: "/", Expires: expiry, HttpOnly: c.HttpOnly, SameSite: c.SameSite, Secure: c.Secure}, err
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Public, http.MethodPost, "/api/session", "signIn", "Sign in", func(ctx context.Context, in *struct {
		Body struct {
			Email    string `json:"email" maxLength:"200"`
			Password string `json:"password" maxLength:"200"`
		}
	}) (*cookie, error) {
		m, err := s.signIn(ctx, in.Body.Email, in.Body.Password)
		if err != nil {
			return nil, err
		}
		c, err := s.sessionCookie(ctx)
		return &cookie{c, m}, err
	})
	apikit.Register(a, access.Fulfiller, http.MethodDelete, "/api/session", "signOut", "Sign out", func(ctx context.Context, _ *apikit.None) (*struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		if err := s.Sessions.Destroy(ctx); err != nil {
			return nil, err
		}
		return &struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
		}{http.Cookie{Name: s.Sessions.Cookie.Name, Path: "/", MaxAge: -1}}, nil
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/me", "me", "Who is signed in", func(ctx context.Context, _ *apikit.None) (*apikit.Body[Member], error) {
		var m Member
		err := s.Pool.QueryRow(ctx, `select id, email, name from member where id = $1`, access.Who(ctx).MemberID).Scan(&m.ID, &m.Email, &m.Name)
		m.Role = access.Who(ctx).Role
		return apikit.OK(m, err)
	})
	apikit.Register(a, access.Owner, http.MethodGet, "/api/members", "listMembers", "List members", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Member], error) {
		return apikit.OK(s.List(ctx))
	})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/members", "addMember", "Add a member", func(ctx context.Context, in *struct {
		Body struct {
			Email    string      `json:"email" maxLength:"200"`
			Name     string      `json:"name" minLength:"1" maxLength:"100"`
			Role     access.Role `json:"role" enum:"owner,editor,fulfiller"`
			Password string      `json:"password" maxLength:"200"`
		}
	}) (*apikit.Body[Member], error) {
		b := in.Body
		id, err := s.Add(ctx, b.Email, b.Name, b.Role, b.Password)
		if err != nil {
			return nil, apikit.Problem(422, "email", "%s.", upperFirst(err.Error()))
		}
		return apikit.OK(Member{id, b.Email, b.Name, b.Role}, Audit(ctx, s.Pool, "added member", b.Email, nil, map[string]string{"role": string(b.Role)}))
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/tokens", "listTokens", "List your tokens", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Token], error) {
		return apikit.OK(s.tokens(ctx))
	})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/tokens", "makeToken", "Make a token; its secret is shown this once", func(ctx context.Context, in *struct {
		Body struct {
			Name string      `json:"name" minLength:"1" maxLength:"100"`
			Role access.Role `json:"role" enum:"owner,editor,fulfiller"`
		}
	}) (*apikit.Body[NewToken], error) {
		return apikit.OK(s.makeToken(ctx, in.Body.Name, in.Body.Role))
	})
	apikit.Register(a, access.Fulfiller, http.MethodDelete, "/api/tokens/{id}", "dropToken", "Revoke a token", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
		return nil, s.dropToken(ctx, in.ID)
	})
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
