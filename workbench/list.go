package workbench

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/readiness"
	"plainpelican/platform/apikit"
)

// Page is a part of the list of drafts.
type Page struct {
	Drafts []Line `json:"drafts"`
	Total  int    `json:"total" doc:"Of all drafts that the filter finds; -1 where that is not known yet"`
	// Next is what to ask for the drafts after these by; 0 is the end.
	Next int64 `json:"next"`
	// Aside counts the drafts that the filter would find in trays that are put aside.
	Aside int `json:"aside"`
}

// Filter says which drafts are listed; what is empty asks for nothing.
type Filter struct {
	Words      string   `query:"words" maxLength:"200" doc:"In title, SKU, or the supplier's title"`
	Tray       int64    `query:"tray" doc:"Those in a tray; -1 is in none"`
	Collection []string `query:"collection,explode" maxItems:"50" doc:"In any of these; (none) is in none"`
	Tag        []string `query:"tag,explode" maxItems:"50"`
	Type       []string `query:"type,explode" maxItems:"50"`
	Source     []int64  `query:"source,explode" maxItems:"50"`
	Supplier   []string `query:"supplier,explode" maxItems:"50"`
	Live       string   `query:"live" enum:",yes,no,changed" doc:"Live in the store; changed is since it was sent"`
	// State asks for what can be published, or for what stops.
	State string `query:"state" enum:",ready,stopped,description,pictures,variants,price"`
	// Profit asks for drafts of which a chosen variant earns less than this amount on a sale.
	Profit string `query:"profit_under" maxLength:"30"`
	Edited string `query:"edited" enum:",day,week,month" doc:"Edited in the last day, week or month"`
}

// None names, among collections, tags and types, that there is none.
const None = "(none)"

// computed tells whether a filter asks for what is worked out for each draft, and stands in no column.
func (f *Filter) computed() bool { return f.State != "" || f.Profit != "" }

// where is the filter in SQL, about draft d joined to nothing; args are appended to.
func (f *Filter) where(storeID int64, args *[]any) string {
	var sql strings.Builder
	sql.WriteString(` and d.discarded_at is null`)
	and := func(format string, values ...any) {
		places := make([]any, len(values))
		for i, v := range values {
			*args = append(*args, v)
			places[i] = len(*args)
		}
		fmt.Fprintf(&sql, " and "+format, places...)
	}
	for _, word := range strings.Fields(f.Words) {
		and(`(position(lower($%[1]d) in lower(d.title)) > 0
			or exists (select from facts.offer o where o.id = d.offer_id
				and position(lower($%[1]d) in lower(o.title)) > 0)
			or exists (select from draft_variant v where v.draft_id = d.id
				and position(lower($%[1]d) in lower(v.sku)) > 0))`,
			word)
	}
	switch {
	case f.Tray == -1:
		and(`d.tray_id is null`)
	case f.Tray != 0:
		and(`d.tray_id = $%d`, f.Tray)
	}
	for _, list := range []struct {
		column string
		names  []string
	}{{"collections", f.Collection}, {"tags", f.Tag}} {
		if len(list.names) > 0 {
			and(`(d.`+list.column+` && $%[1]d or ('`+None+`' = any ($%[1]d) and d.`+list.column+` = '{}'))`, list.names)
		}
	}
	if len(f.Type) > 0 {
		and(`(d.type = any ($%[1]d) or ('`+None+`' = any ($%[1]d) and d.type = ''))`, f.Type)
	}
	if len(f.Source) > 0 {
		and(`exists (select from facts.draft_offer b join facts.offer o on o.id = b.offer_id
			where b.draft_id = d.id and o.source_id = any ($%d))`, f.Source)
	}
	if len(f.Supplier) > 0 {
		and(`exists (select from facts.draft_offer b join facts.offer o on o.id = b.offer_id
			join facts.supplier u on u.id = o.supplier_id where b.draft_id = d.id and u.name = any ($%d))`, f.Supplier)
	}
	if f.Live != "" {
		not := map[string]string{"no": "not "}[f.Live]
		changed := map[string]string{"changed": " and (l.edited or l.moved > 0)"}[f.Live]
		and(not+`exists (select from facts.listing l where l.draft_id = d.id and l.store_id = $%d`+changed+`)`, storeID)
	}
	if span, ok := map[string]string{"day": "1 day", "week": "7 days", "month": "30 days"}[f.Edited]; ok {
		and(`d.updated_at > now() - $%d::interval`, span)
	}
	return sql.String()
}

// notAside leaves out what was put aside, unless a tray was asked for.
const notAside = ` and not exists (select from tray t where t.id = d.tray_id and t.aside)`

// maxEvaluated is how many drafts are worked out for one page of a filter that asks for what stands in no column.
const maxEvaluated = 3000

// List lists drafts, newest first, with what each lacks: up to limit of those made before the draft with an id, all
// where it is 0; or some by their ids.
func (s *Service) List(ctx context.Context, storeID, before int64, limit int, ids []int64, f Filter) (Page, error) {
	return s.page(ctx, storeID, before, limit, ids, f, nil)
}

// page is List that also shows each draft that is listed, where show is not nil, in the order of the list.
func (s *Service) page(ctx context.Context, storeID, before int64, limit int, ids []int64, f Filter,
	show shower) (Page, error) {
	page := Page{Drafts: []Line{}}
	keep, err := s.evaluated(ctx, storeID, f)
	if err != nil {
		return page, err
	}
	if ids != nil {
		page.Total = len(ids)
		page.Drafts, err = s.lines(ctx, storeID, ids, nil, show)
		return page, err
	}
	var args []any
	where := f.where(storeID, &args)
	aside := notAside
	if f.Tray != 0 {
		aside = ""
	}
	if err := s.Pool.QueryRow(ctx, `select count(*) filter (where true`+aside+`), count(*)
		from draft d where true`+where, args...).Scan(&page.Total, &page.Aside); err != nil {
		return page, err
	}
	page.Aside -= page.Total
	if keep == nil {
		ids, err := s.idsBefore(ctx, before, limit+1, where+aside, args)
		if err != nil {
			return page, err
		}
		if len(ids) > limit {
			ids, page.Next = ids[:limit], ids[limit-1]
		}
		page.Drafts, err = s.lines(ctx, storeID, ids, nil, show)
		return page, err
	}
	first, seen := before == 0, 0
	for {
		const slice = 500
		ids, err := s.idsBefore(ctx, before, slice, where+aside, args)
		if err != nil {
			return page, err
		}
		lines, err := s.lines(ctx, storeID, ids, keep, show)
		if err != nil {
			return page, err
		}
		page.Drafts = append(page.Drafts, lines...)
		seen += len(ids)
		if len(ids) < slice {
			if page.Total = -1; first {
				page.Total = len(page.Drafts)
			}
			return page, nil
		}
		if before = ids[len(ids)-1]; len(page.Drafts) >= limit || seen >= maxEvaluated {
			page.Next, page.Total = before, -1
			return page, nil
		}
	}
}

// idsBefore are the ids of up to limit drafts before one; 0 is from the newest.
func (s *Service) idsBefore(ctx context.Context, before int64, limit int, where string, args []any) ([]int64, error) {
	args = append(append([]any{}, args...), before, limit)
	rows, err := s.Pool.Query(ctx, fmt.Sprintf(`select d.id from draft d
		where ($%[1]d::bigint = 0 or d.id < $%[1]d)%[3]s order by d.id desc limit $%[2]d`, len(args)-1, len(args),
		where), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// keeper tells whether a draft is one that the filter asks for.
type keeper func(report readiness.Report, variants []Variant) bool

// evaluated is the part of a filter that is worked out for each draft; nil where it has none.
func (s *Service) evaluated(ctx context.Context, storeID int64, f Filter) (keeper, error) {
	if !f.computed() {
		return nil, nil
	}
	var under money.Amount
	if f.Profit != "" {
		if storeID == 0 {
			return nil, apikit.Problem(422, "profit_under", "Connect a store to see profit.")
		}
		pricer, err := s.Pricing.Pricer(ctx, storeID)
		if err != nil {
			return nil, err
		}
		if under, err = money.Parse(f.Profit, pricer.Currency); err != nil {
			return nil, apikit.Problem(422, "profit_under", "“%s” is not an amount in %s.", f.Profit, pricer.Currency)
		}
	}
	return func(r readiness.Report, variants []Variant) bool {
		switch f.State {
		case "":
		case "ready":
			if !r.Ready {
				return false
			}
		case "stopped":
			if r.Ready {
				return false
			}
		default:
			area := map[string]readiness.State{"description": r.Description, "pictures": r.Pictures,
				"variants": r.Variants, "price": r.Price}[f.State]
			if area == readiness.Done {
				return false
			}
		}
		if f.Profit == "" {
			return true
		}
		for _, v := range variants {
			if v.Chosen && v.Ladder != nil && v.Ladder.Profit.Minor() < under.Minor() {
				return true
			}
		}
		return false
	}, nil
}

// shower is shown a draft with its line and its variants as they are priced.
type shower func(d *draft, line Line, variants []Variant)

// lines are drafts as lines of the list, in the order of the list; keep says which, all where it is nil.
func (s *Service) lines(ctx context.Context, storeID int64, ids []int64, keep keeper, show shower) ([]Line, error) {
	lines := []Line{}
	if len(ids) == 0 {
		return lines, nil
	}
	t, err := s.storeContext(ctx, s.Pool, storeID, false, ids...)
	if err != nil {
		return nil, err
	}
	drafts, err := load(ctx, s.Pool, s.Media, ids...)
	if err != nil {
		return nil, err
	}
	for _, d := range drafts {
		variants, quotes := d.priced(t, false)
		report := d.report(t, variants, quotes)
		if keep != nil && !keep(report, variants) {
			continue
		}
		line := d.line(report)
		lines = append(lines, line)
		if show != nil {
			show(d, line, variants)
		}
	}
	return lines, nil
}

// NameCount is a name that drafts have, and how many have it.
type NameCount struct {
	Name   string `json:"name"`
	Drafts int    `json:"drafts"`
}

// Names are what drafts are called and grouped by, for completion and for filters, each list the most used first.
type NameLists struct {
	Collections []NameCount `json:"collections"`
	Tags        []NameCount `json:"tags"`
	Types       []NameCount `json:"types"`
	Vendors     []NameCount `json:"vendors"`
	Suppliers   []NameCount `json:"suppliers"`
}

// NameLists lists up to 500 of each.
func (s *Service) NameLists(ctx context.Context) (out NameLists, err error) {
	for _, list := range []struct {
		into *[]NameCount
		from string
	}{
		{&out.Collections, `draft d cross join unnest(d.collections) as n (name)`},
		{&out.Tags, `draft d cross join unnest(d.tags) as n (name)`},
		{&out.Types, `draft d cross join lateral (select d.type) as n (name)`},
		{&out.Vendors, `draft d cross join lateral (select d.vendor) as n (name)`},
		{&out.Suppliers,
			`draft d join facts.offer o on o.id = d.offer_id join facts.supplier n on n.id = o.supplier_id`},
	} {
		rows, err := s.Pool.Query(ctx, `select n.name, count(*) from `+list.from+`
			where d.discarded_at is null and n.name <> '' group by 1 order by 2 desc, 1 limit 500`)
		if err != nil {
			return out, err
		}
		if *list.into, err = pgx.CollectRows(rows, pgx.RowToStructByPos[NameCount]); err != nil {
			return out, err
		}
	}
	return out, nil
}
