package members

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Change is what an owner changes of a member; what is absent stays.
type Change struct {
	Role     *access.Role `json:"role,omitempty" enum:"owner,editor,fulfiller,order_handler"`
	Disabled *bool        `json:"disabled,omitempty" doc:"Cannot sign in, is signed out"`
}

// Set changes a member's role, or shuts them out or lets them in again. It holds from the next request on.
// There is always an owner left who can sign in.
func (s *Service) Set(ctx context.Context, id int64, c Change) (Member, error) {
	if err := personally(ctx); err != nil {
		return Member{}, err
	}
	var m Member
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		// One change of owners at a time, so that two do not both leave one.
		if _, err := tx.Exec(ctx, `select from member where role = 'owner' for update`); err != nil {
			return err
		}
		before, err := one(ctx, tx, id)
		if err != nil {
			return err
		}
		m = before
		if c.Role != nil {
			m.Role = *c.Role
		}
		if c.Disabled != nil {
			m.Disabled = *c.Disabled
		}
		if !m.Role.Valid() {
			return apikit.Problem(422, "role", "“%s” is not a role.", m.Role)
		}
		if before == m {
			return nil
		}
		var others int
		if err := tx.QueryRow(ctx, `select count(*) from member
			where role = 'owner' and disabled_at is null and id <> $1`, id).Scan(&others); err != nil {
			return err
		}
		if others == 0 && (m.Role != access.Owner || m.Disabled) {
			return apikit.Problem(409, "role",
				"%s is the only owner who can sign in. Make somebody else an owner first.", before.Name)
		}
		_, err = tx.Exec(ctx, `
			update member set role = $2, disabled_at = case when $3 then coalesce(disabled_at, now()) end,
			session_epoch = session_epoch + case when $3 and disabled_at is null then 1 else 0 end where id = $1`,
			id, m.Role, m.Disabled)
		if err != nil {
			return err
		}
		return Audit(ctx, tx, "changed member", m.Email, before, m)
	})
	return m, err
}

func one(ctx context.Context, q database.Querier, id int64) (Member, error) {
	rows, err := q.Query(ctx, memberColumns+` where id = $1`, id)
	if err != nil {
		return Member{}, err
	}
	m, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Member])
	if database.Missing(err) {
		err = apikit.NotFound("member")
	}
	return m, err
}

// personally refuses what a script's token may not do: only people change who may do what.
func personally(ctx context.Context) error {
	if access.Who(ctx).TokenID != 0 {
		return apikit.Problem(403, "", "A token cannot do this. Sign in and do it yourself.")
	}
	return nil
}

// SetPassword gives a member another password and ends all their sessions and known devices. It returns a
// problem for a weak one.
func (s *Service) SetPassword(ctx context.Context, id int64, password string) error {
	if err := strong(password); err != nil {
		return apikit.Problem(422, "password", "%s", apikit.Sentence(err))
	}
	hash, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var email string
		err := tx.QueryRow(ctx, `update member set password_hash = $2, session_epoch = session_epoch + 1 where id = $1
			returning email`, id, hash).Scan(&email)
		if database.Missing(err) {
			return apikit.NotFound("member")
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from known_device where member_id = $1`, id); err != nil {
			return err
		}
		return Audit(ctx, tx, "set password", email, nil, nil)
	})
}

// changeOwn changes the password of who asks, who must know the present one; this session goes on.
func (s *Service) changeOwn(ctx context.Context, current, password string) error {
	if err := personally(ctx); err != nil {
		return err
	}
	id := access.Who(ctx).MemberID
	// Whoever has come by a session is no better off at guessing than at the door.
	guessed := fmt.Sprintf("the password of member %d", id)
	if _, err := s.attempt(ctx, guessed, Where{}); err != nil {
		return err
	}
	var hash string
	if err := s.Pool.QueryRow(ctx, `select password_hash from member where id = $1`, id).Scan(&hash); err != nil {
		return err
	}
	right, err := s.matches(ctx, current, hash)
	if err != nil {
		return err
	}
	if !right {
		return apikit.Problem(422, "current", "That is not your present password.")
	}
	if err := s.SetPassword(ctx, id, password); err != nil {
		return err
	}
	if _, err := s.Pool.Exec(ctx, `delete from sign_in_attempt where email = $1`, guessed); err != nil {
		return err
	}
	return s.goOn(ctx, id)
}

// SignOutEverywhere ends all sessions of a member, but for the one that asks where it is theirs.
func (s *Service) SignOutEverywhere(ctx context.Context, id int64) error {
	if err := personally(ctx); err != nil {
		return err
	}
	var email string
	err := s.Pool.QueryRow(ctx, `update member set session_epoch = session_epoch + 1 where id = $1
		returning email`, id).Scan(&email)
	if database.Missing(err) {
		return apikit.NotFound("member")
	}
	if err != nil {
		return err
	}
	if id == access.Who(ctx).MemberID {
		if err := s.goOn(ctx, id); err != nil {
			return err
		}
	}
	return Audit(ctx, s.Pool, "signed out everywhere", email, nil, nil)
}

// goOn lets the session that asks live through the end of the others.
func (s *Service) goOn(ctx context.Context, id int64) error {
	var epoch int
	if err := s.Pool.QueryRow(ctx, `select session_epoch from member where id = $1`, id).Scan(&epoch); err != nil {
		return err
	}
	s.Sessions.Put(ctx, "epoch", epoch)
	_, _, err := s.Sessions.Commit(ctx)
	return err
}

// ByEmail finds a member by their mail address, for commands.
func (s *Service) ByEmail(ctx context.Context, email string) (int64, error) {
	var id int64
	err := s.Pool.QueryRow(ctx, `select id from member where lower(email) = lower($1)`, email).Scan(&id)
	return id, err
}
