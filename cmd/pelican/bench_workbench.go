package main

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/core/bulk"
	"plainpelican/core/edit"
	"plainpelican/platform/access"
	"plainpelican/workbench"
)

// workbenchResult is in milliseconds.
type workbenchResult struct {
	Bench  string `json:"bench"`
	Drafts int    `json:"drafts"`
	// Page is a page of 200 of the list, BarePage the same columns by one plain query.
	PageP95MS     float64 `json:"page_p95_ms"`
	BarePageP95MS float64 `json:"bare_page_p95_ms"`
	// Edit is a title edit by one person, and by six at once; BareEdit a bare UPDATE of one row.
	EditP95MS     float64 `json:"edit_p95_ms"`
	EditSixP95MS  float64 `json:"edit_p95_ms_of_six"`
	BareEditP95MS float64 `json:"bare_update_p95_ms"`
	// Change is of 500 drafts: titles, and collections, which move prices; BareChange is one UPDATE of as many rows.
	TitlesPreviewMS      float64 `json:"titles_500_preview_ms"`
	TitlesApplyMS        float64 `json:"titles_500_apply_ms"`
	TitlesUndoMS         float64 `json:"titles_500_undo_ms"`
	CollectionsPreviewMS float64 `json:"collections_500_preview_ms"`
	CollectionsApplyMS   float64 `json:"collections_500_apply_ms"`
	CollectionsUndoMS    float64 `json:"collections_500_undo_ms"`
	BareChangeMS         float64 `json:"bare_update_500_ms"`
	// Browser is what a person waits for, in Chromium.
	Browser map[string]float64 `json:"browser"`
}

// benchWorkbench edits among n drafts of four variants each, and has e2e/workbench.mjs look at them in Chromium, with
// the server and the database on the same machine. Its yardsticks are bare statements of the same rows, and a bare
// page.
func benchWorkbench(ctx context.Context, n int, dir string) (out workbenchResult, err error) {
	if n == 0 {
		n = 10_000
	}
	out = workbenchResult{Bench: "workbench", Drafts: n}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	ctx = access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner})
	fmt.Println("making", n, "drafts with 4 variants each")
	if err := fill(ctx, pool, a, n); err != nil {
		return out, err
	}
	at, stop, err := servedFor(ctx, pool, a)
	if err != nil {
		return out, err
	}
	defer stop()
	// Undo belongs to a member.
	var member int64
	if err := pool.QueryRow(ctx, `select id from member where email = $1`, keysMail).Scan(&member); err != nil {
		return out, err
	}
	ctx = access.With(ctx, access.Identity{MemberID: member, Name: "the bench", Role: access.Owner})
	for _, measure := range []func(context.Context, *pgxpool.Pool, *application.Application) error{
		out.pages, out.edits, out.changes} {
		if err := measure(ctx, pool, a); err != nil {
			return out, err
		}
	}
	if err := wide(ctx, pool, a); err != nil {
		return out, err
	}
	told, err := inBrowser(ctx, "e2e/workbench.mjs", at)
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal(told, &out.Browser)
}

// timedP95 times a thing so many times, in milliseconds.
func timedP95(times int, do func(i int) error) (float64, error) {
	var took []time.Duration
	for i := range times {
		began := time.Now()
		if err := do(i); err != nil {
			return 0, err
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	return millis(took[len(took)*95/100]), nil
}

func (out *workbenchResult) pages(ctx context.Context, pool *pgxpool.Pool, a *application.Application) (err error) {
	out.PageP95MS, err = timedP95(40, func(i int) error {
		before := int64(out.Drafts - i*200%max(1, out.Drafts-200))
		page, err := a.Workbench.List(ctx, 1, before, 200, nil, workbench.Filter{})
		if err == nil && len(page.Drafts) == 0 {
			err = fmt.Errorf("the page is empty")
		}
		return err
	})
	if err != nil {
		return err
	}
	out.BarePageP95MS, err = timedP95(40, func(i int) error {
		rows, err := pool.Query(ctx, `
			select d.id, d.title, d.pictures, d.options, count(*), min(p.price), min(p.trace::text)
			from draft d join draft_variant v on v.draft_id = d.id join price p on p.draft_variant_id = v.id
			where d.id in (select id from draft where id < $1 order by id desc limit 200)
			group by d.id order by d.id desc`,
			out.Drafts-i*200%max(1, out.Drafts-200))
		if err != nil {
			return err
		}
		for rows.Next() {
			if _, err := rows.Values(); err != nil {
				return err
			}
		}
		return rows.Err()
	})
	return err
}

func (out *workbenchResult) edits(ctx context.Context, pool *pgxpool.Pool, a *application.Application) (err error) {
	edit := func(id int64, title string) error {
		_, err := a.Workbench.Edit(ctx, id, 1, workbench.EditInput{Title: &title})
		return err
	}
	if out.EditP95MS, err = timedP95(300, func(i int) error {
		return edit(int64(1+i*7%out.Drafts), fmt.Sprint("Offer edited ", i))
	}); err != nil {
		return err
	}
	if out.BareEditP95MS, err = timedP95(300, func(i int) error {
		_, err := pool.Exec(ctx, `update draft set title = $2 where id = $1`, 1+i*11%out.Drafts, fmt.Sprint("Bare ", i))
		return err
	}); err != nil {
		return err
	}
	var took []float64
	var failed error
	var lock sync.Mutex
	var people sync.WaitGroup
	for person := range 6 {
		people.Go(func() {
			one, err := timedP95(100, func(i int) error {
				return edit(int64(1+(i*6+person)%out.Drafts), fmt.Sprintf("Offer of %d, %d", person, i))
			})
			lock.Lock()
			defer lock.Unlock()
			took = append(took, one)
			if err != nil {
				failed = err
			}
		})
	}
	people.Wait()
	out.EditSixP95MS = slices.Max(took)
	return failed
}

func (out *workbenchResult) changes(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	ids := make([]int64, 500)
	for i := range ids {
		ids[i] = int64(1 + i*3%out.Drafts)
	}
	for _, c := range []struct {
		change               bulk.Change
		preview, apply, undo *float64
	}{
		{bulk.Change{Act: bulk.FillPattern, Field: edit.Title, Text: "{title}, no. {number}"}, &out.TitlesPreviewMS,
			&out.TitlesApplyMS, &out.TitlesUndoMS},
		{bulk.Change{Act: bulk.AddCollections, Names: []string{"Camp"}}, &out.CollectionsPreviewMS,
			&out.CollectionsApplyMS, &out.CollectionsUndoMS},
	} {
		in := workbench.BulkInput{Drafts: ids, Change: c.change}
		var made workbench.BulkResult
		for _, step := range []struct {
			took *float64
			do   func() error
		}{
			{c.preview, func() error { _, err := a.Workbench.ChangeInBulk(ctx, in); return err }},
			{c.apply, func() (err error) {
				in.Apply = true
				made, err = a.Workbench.ChangeInBulk(ctx, in)
				return err
			}},
			{c.undo, func() error { _, err := a.Workbench.UndoBulk(ctx, made.Bulk); return err }},
		} {
			began := time.Now()
			if err := step.do(); err != nil {
				return err
			}
			*step.took = millis(time.Since(began))
		}
		if made.Changed != len(ids) {
			return fmt.Errorf("%d drafts were changed, not %d", made.Changed, len(ids))
		}
	}
	began := time.Now()
	_, err := pool.Exec(ctx, `update draft set title = title || '.', revision = revision + 1 where id = any ($1)`, ids)
	out.BareChangeMS = millis(time.Since(began))
	return err
}

// wide makes the newest draft one of 100 variants with three options.
func wide(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	for _, sql := range []string{
		`insert into offer (source_id, supplier_id, number, title, description, category, brand, currency, page_url,
			pictures, option_names, processing_min, processing_max, rating, ratings, return_days, weekly, deliveries,
			fingerprint, rivals, market_currency, market_prices)
		select source_id, supplier_id, 'wide', 'Wide offer', '', category, '', currency, '', '{}', '{A,B,C}', 1, 2, 45,
			10, 14, '{}', deliveries, '', 0, 'USD', '{}' from offer where id = 1`,
		`insert into offer_variant (offer_id, number, position, option_values, cost, stock, picture, barcode,
			weight_grams)
		select o.id, v::text, v, array['a' || v % 5, 'b' || v / 5 % 5, 'c' || v / 25], 300 + v, 50, 0, '', 100
		from offer o, generate_series(0, 99) v where o.number = 'wide'`,
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	var id int64
	if err := pool.QueryRow(ctx, `select id from offer where number = 'wide'`).Scan(&id); err != nil {
		return err
	}
	_, err := a.Workbench.Take(ctx, []int64{id}, false)
	return err
}
