// Package access says who is asking and what they may do.
package access

import "context"

// Role is what a member, or a token, may do. Each role may do what those before it may.
type Role string

const (
	// Public is nobody in particular: sign-in and health.
	Public Role = ""
	// OrderHandler may work on orders, and sees neither costs nor profits.
	OrderHandler Role = "order_handler"
	// Fulfiller may see everything and work on orders.
	Fulfiller Role = "fulfiller"
	// Editor may also edit drafts and publish.
	Editor Role = "editor"
	// Owner may also change connections, money rules and members.
	Owner Role = "owner"
)

var rank = map[Role]int{Public: 0, OrderHandler: 1, Fulfiller: 2, Editor: 3, Owner: 4}

// Allows tells whether somebody with role r may do what needs another role.
func (r Role) Allows(needed Role) bool {
	have, known := rank[r]
	return known && have >= rank[needed]
}

// Valid tells whether r is a role that a member can have.
func (r Role) Valid() bool { return rank[r] > 0 }

// Identity is who is asking.
type Identity struct {
	MemberID int64
	Name     string
	Role     Role
	// TokenID is the token that asks for them; 0 where they are signed in themselves.
	TokenID int64
}

type key struct{}

// With puts an identity into a request's context.
func With(ctx context.Context, who Identity) context.Context {
	return context.WithValue(ctx, key{}, who)
}

// Who is the identity in a context; the zero identity is nobody.
func Who(ctx context.Context) Identity {
	who, _ := ctx.Value(key{}).(Identity)
	return who
}
