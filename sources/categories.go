package sources

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/category"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// CategoryName is a category as a supplier calls it, and where it belongs in the seller's own tree.
type CategoryName struct {
	Name     string `json:"name"`
	Offers   int    `json:"offers"`
	Path     string `json:"path" doc:"Where it was mapped to; empty is nowhere"`
	MappedBy string `json:"mapped_by"`
	Proposal string `json:"proposal" doc:"Where its words say it could belong; empty where they do not"`
}

// Categories are a source's category names, the most frequent first, and the seller's own tree.
type Categories struct {
	Names []CategoryName `json:"names"`
	Tree  []string       `json:"tree"`
}

// CategoriesOf lists the category names of a source's offers with where they belong.
func (s *Service) CategoriesOf(ctx context.Context, id int64) (Categories, error) {
	out := Categories{Names: []CategoryName{}, Tree: []string{}}
	if _, err := s.get(ctx, id); err != nil {
		return out, err
	}
	rows, err := s.Pool.Query(ctx, `select path from category order by path`)
	if err != nil {
		return out, err
	}
	if out.Tree, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
		return out, err
	}
	rows, err = s.Pool.Query(ctx, `
		select n.name, n.offers, coalesce(m.path, ''), coalesce(m.mapped_by, '') from (
			select category as name, count(*)::int as offers from facts.offer
			where source_id = $1 and category <> '' and withdrawn_at is null group by category) n
		left join category_mapping m on m.source_id = $1 and m.name = n.name order by n.offers desc, n.name limit 5000`,
		id)
	if err != nil {
		return out, err
	}
	var c CategoryName
	_, err = pgx.ForEachRow(rows, []any{&c.Name, &c.Offers, &c.Path, &c.MappedBy}, func() error {
		one := c
		if one.Path == "" {
			one.Proposal, _ = category.Propose(one.Name, out.Tree)
		}
		out.Names = append(out.Names, one)
		return nil
	})
	return out, err
}

// CategoryChoice says where a category name belongs; an empty path takes back what was said.
type CategoryChoice struct {
	Name string `json:"name" minLength:"1" maxLength:"500"`
	Path string `json:"path" maxLength:"400"`
}

// MapCategories remembers where category names of a source belong. Paths that are not in the tree
// yet are added to it. Offers that come later are mapped alike.
func (s *Service) MapCategories(ctx context.Context, id int64, choices []CategoryChoice) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var source string
		err := tx.QueryRow(ctx, `select name from source where id = $1 for update`, id).Scan(&source)
		if database.Missing(err) {
			return apikit.NotFound("source")
		}
		if err != nil {
			return err
		}
		for _, c := range choices {
			path := category.Clean(c.Path)
			if path == "" {
				if _, err := tx.Exec(ctx, `delete from category_mapping
					where source_id = $1 and name = $2`, id, c.Name); err != nil {
					return err
				}
				continue
			}
			if _, err := tx.Exec(ctx, `insert into category (path) values ($1)
				on conflict do nothing`, path); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `
				insert into category_mapping (source_id, name, path, mapped_by) values ($1, $2, $3, $4)
				on conflict (source_id, name) do update set path = excluded.path, mapped_by = excluded.mapped_by`, id,
				c.Name, path, access.Who(ctx).Name); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `delete from category c
			where not exists (select from category_mapping m where m.path = c.path)`); err != nil {
			return err
		}
		if err := s.Offers.NotifySource(ctx, tx, id); err != nil {
			return err
		}
		if err := s.Prices.RepriceChanged(ctx, tx, id, time.Time{}, "mapped categories"); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "mapped categories", source, nil, choices)
	})
}
