package search

import (
	"context"
	"net/url"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/search/index"
)

// Standard is what the seller never goes below; zero asks for nothing.
type Standard struct {
	Days    int  `json:"days" minimum:"0" maximum:"365" doc:"Door to door, at most"`
	Tracked bool `json:"tracked"`
	Rating  int  `json:"rating" minimum:"0" maximum:"50" doc:"Tenths, at least"`
	OnTime  int  `json:"on_time" minimum:"0" maximum:"100" doc:"Percent, at least"`
}

// usual is a standard where nobody has said one.
var usual = Standard{Days: 16, Tracked: true, Rating: 43, OnTime: 90}

func (st Standard) bounds() (b index.Standard) {
	if st.Rating > 0 {
		b.Numbers = append(b.Numbers, index.Bound[index.Number]{Of: index.Rating, Value: int64(st.Rating)})
	}
	if st.OnTime > 0 {
		b.Numbers = append(b.Numbers, index.Bound[index.Number]{Of: index.OnTime, Value: int64(st.OnTime)})
	}
	if st.Days > 0 {
		b.Figures = append(b.Figures, index.Bound[index.StoreColumn]{Of: index.Days, Value: int64(st.Days)})
	}
	if st.Tracked {
		b.Figures = append(b.Figures, index.Bound[index.StoreColumn]{Of: index.Tracked, Value: 1})
	}
	return b
}

// Standard is the seller's own.
func (s *Service) Standard(ctx context.Context) (Standard, error) {
	var own Standard
	err := s.pool.QueryRow(ctx, `select days, tracked, rating, on_time
		from standard`).Scan(&own.Days, &own.Tracked, &own.Rating, &own.OnTime)
	if database.Missing(err) {
		return usual, nil
	}
	return own, err
}

func (s *Service) setStandard(ctx context.Context, own Standard) (Standard, error) {
	_, err := s.pool.Exec(ctx, `insert into standard (days, tracked, rating, on_time) values ($1, $2, $3, $4)
		on conflict (one) do update set days = $1, tracked = $2, rating = $3, on_time = $4`,
		own.Days, own.Tracked, own.Rating, own.OnTime)
	return own, err
}

// SavedSearch is a sentence under a name, for all who work here.
type SavedSearch struct {
	ID       int64  `json:"id"`
	Name     string `json:"name"`
	Sentence string `json:"sentence" doc:"As it stands in the address"`
	// Currency is what its amounts are in; empty where there was no store.
	Currency string    `json:"currency"`
	SavedBy  string    `json:"saved_by"`
	SavedAt  time.Time `json:"saved_at"`
}

// SaveSearchInput keeps a sentence under a name; one of that name is replaced only where that is wanted.
type SaveSearchInput struct {
	Name     string `json:"name" maxLength:"80"`
	Sentence string `json:"sentence" maxLength:"4000"`
	Currency string `json:"currency,omitempty" maxLength:"3" doc:"What its amounts are in"`
	Replace  bool   `json:"replace,omitempty" doc:"Replace one of that name"`
}

func (s *Service) savedSearches(ctx context.Context) ([]SavedSearch, error) {
	rows, err := s.pool.Query(ctx, `select id, name, sentence, currency, saved_by, saved_at from saved_search
		order by lower(name)`)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[SavedSearch])
	return apikit.List(all), err
}

func (s *Service) saveSearch(ctx context.Context, in SaveSearchInput) (SavedSearch, error) {
	name := strings.Join(strings.Fields(in.Name), " ")
	if name == "" {
		return SavedSearch{}, apikit.Problem(422, "name", "Give the sentence a name.")
	}
	if _, err := url.ParseQuery(in.Sentence); err != nil {
		return SavedSearch{}, apikit.Problem(422, "asked", "That is not a sentence's address.")
	}
	rows, err := s.pool.Query(ctx, `
		insert into saved_search as s (name, sentence, currency, saved_by) values ($1, $2, $4, $3)
		on conflict (lower(name)) do update set name = $1, sentence = $2, currency = $4, saved_by = $3, saved_at = now()
		where $5 returning id, name, sentence, currency, saved_by, saved_at`,
		name, in.Sentence, access.Who(ctx).Name, in.Currency, in.Replace)
	if err != nil {
		return SavedSearch{}, err
	}
	saved, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[SavedSearch])
	if database.Missing(err) { // one of that name is there, and is not to be replaced
		var by string
		if err := s.pool.QueryRow(ctx, `select saved_by from saved_search
			where lower(name) = lower($1)`, name).Scan(&by); err != nil {
			return SavedSearch{}, err
		}
		return SavedSearch{},
			apikit.Problem(409, "name", "%s saved a search as “%s” already. Give yours another name, or replace it.",
				by, name)
	}
	return saved, err
}

func (s *Service) deleteSearch(ctx context.Context, id int64) error {
	tag, err := s.pool.Exec(ctx, `delete from saved_search where id = $1`, id)
	if err == nil && tag.RowsAffected() == 0 {
		err = apikit.NotFound("sentence")
	}
	return err
}
