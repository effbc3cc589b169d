package workbench

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Tray is a named group of drafts.
type Tray struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	// Aside is that its drafts are put aside: they are left out of the list until the tray is asked for.
	Aside  bool `json:"aside"`
	Drafts int  `json:"drafts"`
}

// TrayInput changes a tray; what is absent stays.
type TrayInput struct {
	Name  *string `json:"name,omitempty" maxLength:"100"`
	Aside *bool   `json:"aside,omitempty"`
	// Position is its place in the list of trays, from 0.
	Position *int `json:"position,omitempty" minimum:"0" maximum:"10000"`
}

// Trays lists them in order.
func (s *Service) Trays(ctx context.Context) ([]Tray, error) {
	rows, err := s.Pool.Query(ctx, `select id, name, aside,
		(select count(*) from draft where tray_id = t.id and discarded_at is null) as drafts
		from tray t order by position, id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Tray])
}

const maxTrays = 500

// CreateTray makes a tray, the last in order.
func (s *Service) CreateTray(ctx context.Context, in TrayInput) (t Tray, err error) {
	if in.Name == nil {
		in.Name = new(string)
	}
	if t.Name, err = trayName(*in.Name); err != nil {
		return t, err
	}
	if in.Aside != nil {
		t.Aside = *in.Aside
	}
	err = s.Pool.QueryRow(ctx, `insert into tray (name, aside, position)
		select $1, $2, coalesce(max(position), -1) + 1 from tray having count(*) < $3 returning id`, t.Name, t.Aside,
		maxTrays).Scan(&t.ID)
	if database.Missing(err) {
		return t, apikit.Problem(409, "name", "There are %d trays already; no more can be made.", maxTrays)
	}
	if err != nil {
		return t, trayError(err)
	}
	return t, s.Progress.Publish(ctx, "trays", map[string]int64{"id": t.ID})
}

// ChangeTray renames a tray, moves it in the list, or puts its drafts aside.
func (s *Service) ChangeTray(ctx context.Context, id int64, in TrayInput) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if in.Name != nil {
			name, err := trayName(*in.Name)
			if err != nil {
				return err
			}
			in.Name = &name
		}
		tag, err := tx.Exec(ctx, `update tray set name = coalesce($2, name), aside = coalesce($3, aside) where id = $1`,
			id, in.Name, in.Aside)
		if err != nil {
			return trayError(err)
		}
		if tag.RowsAffected() == 0 {
			return apikit.NotFound("tray")
		}
		if in.Position != nil {
			// The others close up, and make room for it.
			if _, err := tx.Exec(ctx, `
				with others as (
					select id, row_number() over (order by position, id) - 1 as place from tray where id <> $1)
				update tray t set position = case when t.id = $1 then $2
					else (select place + (place >= $2)::int from others o where o.id = t.id) end`,
				id, *in.Position); err != nil {
				return err
			}
		}
		return s.Progress.PublishIn(ctx, tx, "trays", map[string]int64{"id": id})
	})
}

// RemoveTray takes a tray away; its drafts lie in none then.
func (s *Service) RemoveTray(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `delete from tray where id = $1`, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = apikit.NotFound("tray")
		}
		if err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "trays", map[string]int64{"id": id})
	})
}

func trayName(text string) (string, error) {
	name := strings.Join(strings.Fields(text), " ")
	if name == "" || utf8.RuneCountInString(name) > 60 {
		return "", apikit.Problem(422, "name", "A tray needs a name of up to 60 characters.")
	}
	return name, nil
}

func trayError(err error) error {
	if database.Violates(err, "tray_name") {
		return apikit.Problem(409, "name", "There is a tray of that name already.")
	}
	return err
}
