package workbench

import (
	"context"

	"plainpelican/platform/access"
)

// HereInput says what a person is at in a draft.
type HereInput struct {
	// Field is where they type, in words; empty is nowhere in particular.
	Field string `json:"field" maxLength:"40"`
	// Gone is that they have left it.
	Gone bool `json:"gone,omitempty"`
}

// HereEvent tells browsers who is in a draft, and in which field. It holds for a minute.
type HereEvent struct {
	DraftID  int64  `json:"draft_id"`
	MemberID int64  `json:"member_id"`
	Name     string `json:"name"`
	HereInput
}

// Here tells others who is in a draft. Nothing is stored of it but the event.
func (s *Service) Here(ctx context.Context, id int64, in HereInput) error {
	who := access.Who(ctx)
	return s.Progress.Publish(ctx, "here", HereEvent{id, who.MemberID, who.Name, in})
}
