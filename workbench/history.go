package workbench

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
)

// HistoryEntry is one edit that was made in a draft.
type HistoryEntry struct {
	ID     int64     `json:"id"`
	At     time.Time `json:"at"`
	Member string    `json:"member"`
	What   string    `json:"what"`
	// Undone is that it was taken back; Undoes that it took back another.
	Undone bool `json:"undone"`
	Undoes bool `json:"undoes"`
	// Drafts is how many were changed with it as one step; 1 where it stands alone.
	Drafts  int             `json:"drafts"`
	Changes []HistoryChange `json:"changes"`
}

// HistoryChange is a text that an edit changed.
type HistoryChange struct {
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// History is a part of what was done in a draft, the last first.
type History struct {
	Entries []HistoryEntry `json:"entries"`
	// Next is what to ask for the entries before these by; 0 is the end.
	Next int64 `json:"next"`
}

// History lists up to 50 edits of a draft that were made before one of them; from the last where before is 0.
func (s *Service) History(ctx context.Context, id, before int64) (History, error) {
	const most = 50
	out := History{Entries: []HistoryEntry{}}
	rows, err := s.Pool.Query(ctx, `
		select e.id, e.at, e.member, e.what, e.undone_at is not null, e.undoes is not null,
			case when bulk_id is null then 1
				else (select count(*) from draft_edit b where b.bulk_id = e.bulk_id) end, e.operations, e.inverse
		from draft_edit e where e.draft_id = $1 and ($2::bigint = 0 or e.id < $2) order by e.id desc limit $3`,
		id, before, most+1)
	if err != nil {
		return out, err
	}
	var e HistoryEntry
	var done, back []byte
	_, err = pgx.ForEachRow(rows, []any{&e.ID, &e.At, &e.Member, &e.What, &e.Undone, &e.Undoes, &e.Drafts, &done,
		&back}, func() error {
		e.Changes = historyChanges(done, back)
		out.Entries = append(out.Entries, e)
		done, back = nil, nil
		return nil
	})
	if len(out.Entries) > most {
		out.Entries = out.Entries[:most]
		out.Next = out.Entries[most-1].ID
	}
	return out, err
}

// historyChanges pairs the texts that operations set with those that they took the place of. An edit that an earlier
// version stored otherwise has none.
func historyChanges(done, back []byte) []HistoryChange {
	out := []HistoryChange{}
	after, err := edit.Unmarshal(done)
	if err != nil {
		return out
	}
	before, err := edit.Unmarshal(back)
	if err != nil {
		return out
	}
	was := map[string]string{}
	for _, op := range before {
		if field, text := edit.Text(op); field != "" {
			was[field] = text
		}
	}
	for _, op := range after {
		field, text := edit.Text(op)
		if field == "" {
			continue
		}
		a, b := excerpt(plainText(was[field]), plainText(text))
		out = append(out, HistoryChange{field, a, b})
	}
	return out
}
