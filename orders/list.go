package orders

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Filter says which orders are listed; what is empty asks for nothing.
type Filter struct {
	State    string `query:"state" maxLength:"20" doc:"One of those that are counted"`
	StoreID  int64  `query:"store" doc:"Of one store alone"`
	Country  string `query:"country" maxLength:"2"`
	Matter   string `query:"matter" enum:",late,loses,address" doc:"Late, at a loss, a doubtful address"`
	Supplier string `query:"supplier" maxLength:"200" doc:"That something of it is bought from, by name"`
	// Older is that it was placed so many days ago or earlier; 0 is any age.
	Older    int    `query:"older" minimum:"0" maximum:"3650"`
	Words    string `query:"words" maxLength:"200" doc:"In the number, titles and SKUs, or whole words of who bought"`
	Archived bool   `query:"archived"`
}

// Row is an order in the list. Profit is at what it costs now, or was bought for; absent where that is not known.
type Row struct {
	ID            int64         `json:"id"`
	Number        string        `json:"number"`
	StoreID       int64         `json:"store_id"`
	Store         string        `json:"store"`
	State         order.State   `json:"state"`
	PlacedAt      time.Time     `json:"placed_at"`
	Country       string        `json:"country"`
	Total         money.Amount  `json:"total" doc:"That the customer paid"`
	Profit        *money.Amount `json:"profit,omitempty"`
	CostError     string        `json:"cost_error" doc:"Why what it leaves is not known"`
	Late          string        `json:"late" enum:",promise,quiet"`
	AddressFaults int           `json:"address_faults"`
	Earlier       bool          `json:"earlier" doc:"Placed before the store was connected"`
	Title         string        `json:"title" doc:"Of its first line"`
	Units         int           `json:"units"`
	Lines         int           `json:"lines"`
	Suppliers     []string      `json:"suppliers"`
}

// Page is some orders, those that are late before all others and else the newest first, with how many there are in each
// state.
type Page struct {
	Orders   []Row               `json:"orders"`
	Next     int64               `json:"next" doc:"The order that the next page begins after; 0 is no more"`
	Total    int                 `json:"total"`
	Counts   map[order.State]int `json:"counts" doc:"Of what else is asked for, by state"`
	Rejected int                 `json:"rejected" doc:"Orders of stores that could not be read"`
	Late     int                 `json:"late"`
}

// lateSQL tells in SQL whether an order o is late, as order.Late does: by it orders are counted and filtered.
var lateSQL = `(o.state not in ('delivered', 'cancelled', 'not_ours') and (o.promise_days > 0
	and now() > o.placed_at + o.promise_days * interval '1 day' or o.news_at < now() - interval '` +
	order.Quiet.String() + `'))`

// rowColumns are those of a row of an order o in a store t, but for what is summed up of its lines.
const rowColumns = `o.id, o.number, o.store_id, t.name, o.state, o.placed_at, o.country, o.total, o.currency,
	o.profit, o.cost_error, o.news_at, o.promise_days, o.address_faults, o.earlier`

// where is a filter in SQL, but for the state.
func (s *Service) where(f *Filter) (string, []any) {
	parts, args := []string{"(o.archived_at is not null) = $1"}, []any{f.Archived}
	add := func(sql string, arg any) {
		args = append(args, arg)
		parts = append(parts, fmt.Sprintf(sql, len(args)))
	}
	if f.StoreID != 0 {
		add("o.store_id = $%d", f.StoreID)
	}
	if f.Country != "" {
		add("o.country = $%d", strings.ToUpper(f.Country))
	}
	if f.Supplier != "" {
		add(`exists (select from purchase p join facts.supplier u on u.id = p.supplier_id where p.order_id = o.id
			and u.name = $%d and p.state not in ('refused', 'cancelled'))`, f.Supplier)
	}
	if f.Older > 0 {
		add("o.placed_at < now() - $%d * interval '1 day'", f.Older)
	}
	for _, word := range strings.Fields(strings.ToLower(f.Words)) {
		args = append(args, word, s.hashOf(word))
		parts = append(parts, fmt.Sprintf("(position($%d in o.words) > 0 or o.who @> array[$%d::bigint])", len(args)-1,
			len(args)))
	}
	switch f.Matter {
	case "late":
		parts = append(parts, lateSQL)
	case "loses":
		parts = append(parts, "o.profit < 0")
	case "address":
		parts = append(parts, "o.address_faults > 0")
	}
	return strings.Join(parts, " and "), args
}

// List lists orders: those that are late first, and else the newest first.
func (s *Service) List(ctx context.Context, before int64, limit int, f Filter) (Page, error) {
	page := Page{Orders: []Row{}, Counts: map[order.State]int{}}
	if f.State != "" && !slices.Contains(order.States, order.State(f.State)) {
		return page, apikit.Problem(422, "state", "“%s” is no state of an order.", f.State)
	}
	where, args := s.where(&f)
	rows, err := s.Pool.Query(ctx, `select o.state, count(*)::int, (count(*) filter (where `+lateSQL+`))::int
		from customer_order o where `+where+` group by o.state`, args...)
	if err != nil {
		return page, err
	}
	var state order.State
	var n, late int
	if _, err := pgx.ForEachRow(rows, []any{&state, &n, &late}, func() error {
		page.Counts[state] = n
		page.Late += late
		if f.State == "" || f.State == string(state) {
			page.Total += n
		}
		return nil
	}); err != nil {
		return page, err
	}
	if err := s.Pool.QueryRow(ctx, `select count(*) from rejected_order`).Scan(&page.Rejected); err != nil {
		return page, err
	}
	if f.State != "" {
		args = append(args, f.State)
		where += fmt.Sprintf(" and o.state = $%d", len(args))
	}
	// Those that are late are few and have an index of their own: the two parts are read one after the other.
	var list []Row
	wasLate := true
	if before > 0 {
		err := s.Pool.QueryRow(ctx, `select `+lateSQL+` from customer_order o where o.id = $1`, before).Scan(&wasLate)
		if err != nil && !database.Missing(err) {
			return page, err
		}
	}
	if wasLate {
		if list, err = s.part(ctx, where+" and "+lateSQL, args, before, limit+1); err != nil {
			return page, err
		}
		before = 0
	}
	if f.Matter != "late" && len(list) <= limit {
		more, err := s.part(ctx, where+" and not "+lateSQL, args, before, limit+1-len(list))
		if err != nil {
			return page, err
		}
		list = append(list, more...)
	}
	if len(list) > limit {
		list = list[:limit]
		page.Next = list[limit-1].ID
	}
	page.Orders = apikit.List(list)
	return page, nil
}

// part reads orders, the newest first, after one of them.
func (s *Service) part(ctx context.Context, where string, args []any, after int64, limit int) ([]Row, error) {
	if after > 0 {
		args = append(args, after)
		where += fmt.Sprintf(` and (o.placed_at, o.id) < (select b.placed_at, b.id from customer_order b
			where b.id = $%d)`, len(args))
	}
	args = append(args, limit)
	rows, err := s.Pool.Query(ctx, `select `+rowColumns+`,
			coalesce((select l.title from order_line l where l.order_id = o.id order by l.position limit 1), ''),
			coalesce((select sum(l.quantity)::int from order_line l where l.order_id = o.id), 0),
			(select count(*)::int from order_line l where l.order_id = o.id),
			coalesce((select array_agg(distinct u.name) from purchase p join facts.supplier u on u.id = p.supplier_id
				where p.order_id = o.id and p.state not in ('refused', 'cancelled')), '{}')
		from customer_order o join facts.store t on t.id = o.store_id
		where `+where+fmt.Sprintf(" order by o.placed_at desc, o.id desc limit $%d", len(args)), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanRow)
}

// Choices are what orders can be filtered by.
type Choices struct {
	Countries []string `json:"countries" doc:"That orders go to, ISO 3166"`
	Suppliers []string `json:"suppliers" doc:"That something was bought from"`
}

// Choices reads what orders can be filtered by.
func (s *Service) Choices(ctx context.Context) (c Choices, err error) {
	err = s.Pool.QueryRow(ctx, `select coalesce((select array_agg(distinct country order by country) from customer_order
			where archived_at is null and country <> ''), '{}'),
		coalesce((select array_agg(distinct u.name order by u.name) from facts.supplier u
			where u.id in (select supplier_id from purchase)), '{}')`).Scan(&c.Countries, &c.Suppliers)
	return c, err
}

func scanRow(row pgx.CollectableRow) (r Row, err error) {
	var total int64
	var profit *int64
	var currency string
	var news time.Time
	var promise int
	if err := row.Scan(&r.ID, &r.Number, &r.StoreID, &r.Store, &r.State, &r.PlacedAt, &r.Country, &total, &currency,
		&profit, &r.CostError, &news, &promise, &r.AddressFaults, &r.Earlier, &r.Title, &r.Units, &r.Lines,
		&r.Suppliers); err != nil {
		return r, err
	}
	r.Late = order.Late(r.State, r.PlacedAt, news, time.Now(), promise)
	c, err := money.ParseCurrency(currency)
	if err != nil {
		return r, err
	}
	r.Total = money.New(total, c)
	r.Profit = known(profit, c)
	return r, nil
}

// Waiting counts orders that wait for a person: to be bought, to be paid, or with a problem.
func (s *Service) Waiting(ctx context.Context) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `select count(*) from customer_order
		where archived_at is null and state in ('problem', 'to_buy', 'to_send', 'to_pay')`).Scan(&n)
	return n, err
}

// Archive puts orders out of sight, or back.
func (s *Service) Archive(ctx context.Context, ids []int64, archived bool) (n int, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `update customer_order set archived_at = case when $2 then now() end
			where id = any ($1) and (archived_at is not null) <> $2 returning id`, unique(ids), archived)
		if err != nil {
			return err
		}
		moved, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		words := "Archived"
		if !archived {
			words = "Taken out of the archive"
		}
		for _, id := range moved {
			if err := note(ctx, tx, id, "%s", words); err != nil {
				return err
			}
			if err := s.Progress.PublishIn(ctx, tx, "order", Event{OrderID: id}); err != nil {
				return err
			}
		}
		n = len(moved)
		return nil
	})
	return n, err
}
