package orders

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// AutoBuy says which orders of a store are bought without a person, and when.
type AutoBuy struct {
	Enabled bool `json:"enabled"`
	order.AutoRule
	Times []string `json:"times" maxItems:"24" doc:"Of the day in the store's time zone, such as 10:00"`
}

// AutoBuyView is AutoBuy with who said so.
type AutoBuyView struct {
	AutoBuy
	TimeZone  string    `json:"time_zone"`
	ChangedBy string    `json:"changed_by" doc:"Empty where nobody did"`
	ChangedAt time.Time `json:"changed_at"`
}

// automatic is who buys where no person does.
var automatic = access.Identity{Name: "Automatic buying"}

// autoColumns are those of a store's rule.
const autoColumns = `enabled, under, least_profit, within_promise, daily_limit, times, changed_by, changed_at`

// AutoBuy reads which orders of a store are bought without a person; none until somebody asks for it.
func (s *Service) AutoBuy(ctx context.Context, storeID int64) (AutoBuyView, error) {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return AutoBuyView{}, err
	}
	return s.autoBuy(ctx, s.Pool, storeID, found.Currency, found.TimeZone)
}

func (s *Service) autoBuy(ctx context.Context, q database.Querier, storeID int64, c money.Currency,
	zone string) (out AutoBuyView, err error) {
	out.TimeZone, out.Times, out.WithinPromise = zone, []string{}, true
	out.LeastProfit = money.Zero(c)
	var under, limit *int64
	var least int64
	err = q.QueryRow(ctx, `select `+autoColumns+` from auto_buy where store_id = $1`, storeID).Scan(&out.Enabled,
		&under, &least, &out.WithinPromise, &limit, &out.Times, &out.ChangedBy, &out.ChangedAt)
	if database.Missing(err) {
		return out, nil
	}
	out.Under, out.DailyLimit, out.LeastProfit = known(under, c), known(limit, c), money.New(least, c)
	return out, err
}

// SetAutoBuy says which orders of a store are bought without a person.
func (s *Service) SetAutoBuy(ctx context.Context, storeID int64, in AutoBuy) (AutoBuyView, error) {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return AutoBuyView{}, err
	}
	for field, a := range map[string]*money.Amount{"under": in.Under, "least_profit": &in.LeastProfit,
		"daily_limit": in.DailyLimit} {
		if a == nil {
			continue
		}
		if a.Currency() != found.Currency {
			return AutoBuyView{}, apikit.Problem(422, field, "Give the amount in %s.", found.Currency)
		}
		if a.Negative() || a.IsZero() && field != "least_profit" {
			return AutoBuyView{}, apikit.Problem(422, field, "Give an amount above nothing.")
		}
	}
	for _, t := range in.Times {
		if at, err := time.Parse("15:04", t); err != nil || at.Format("15:04") != t {
			return AutoBuyView{}, apikit.Problem(422, "times", "“%s” is no time of day, such as 10:00.", t)
		}
	}
	if in.Enabled && len(in.Times) == 0 {
		return AutoBuyView{}, apikit.Problem(422, "times", "Say at which times of the day.")
	}
	slices.Sort(in.Times)
	in.Times = slices.Compact(in.Times)
	minor := func(a *money.Amount) *int64 {
		if a == nil {
			return nil
		}
		n := a.Minor()
		return &n
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		before, err := s.autoBuy(ctx, tx, storeID, found.Currency, found.TimeZone)
		if err != nil {
			return err
		}
		// What was due before is not made up for.
		if _, err := tx.Exec(ctx, `insert into auto_buy (store_id, `+autoColumns+`, last_run_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, now(), now()) on conflict (store_id) do update set
			enabled = excluded.enabled, under = excluded.under, least_profit = excluded.least_profit,
			within_promise = excluded.within_promise, daily_limit = excluded.daily_limit, times = excluded.times,
			changed_by = excluded.changed_by, changed_at = now(), last_run_at = now()`, storeID, in.Enabled,
			minor(in.Under), in.LeastProfit.Minor(), in.WithinPromise, minor(in.DailyLimit), apikit.List(in.Times),
			access.Who(ctx).Name); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "changed automatic buying", found.Name, before.AutoBuy, in)
	})
	if err != nil {
		return AutoBuyView{}, err
	}
	return s.AutoBuy(ctx, storeID)
}

// autoRun is one time at which the orders of a store are bought without a person.
type autoRun struct {
	rule     order.AutoRule
	storeID  int64
	currency money.Currency
	midnight time.Time
}

// errSwitchedOff is that somebody switched automatic buying off meanwhile.
var errSwitchedOff = errors.New("automatic buying was switched off")

// waits says why an order waits for a person, and writes it down; it is called in the transaction that would buy it.
func (r *autoRun) waits(ctx context.Context, tx pgx.Tx, id int64, look *OrderReview) (string, error) {
	var total, spent int64
	// Whoever else buys for this store without a person is waited for: the day's limit is of all together.
	var enabled bool
	if err := tx.QueryRow(ctx, `select enabled from auto_buy where store_id = $1 for update`, r.storeID).Scan(
		&enabled); err != nil {
		return "", err
	}
	if !enabled {
		return "", errSwitchedOff
	}
	if err := tx.QueryRow(ctx, `select total, (select coalesce(sum(p.cost), 0)::bigint from purchase p
			join customer_order b on b.id = p.order_id where b.store_id = $2 and p.automatic and p.created_at >= $3
			and p.state not in ('refused', 'cancelled'))
		from customer_order where id = $1`, id, r.storeID, r.midnight).Scan(&total, &spent); err != nil {
		return "", err
	}
	c := order.Candidate{Total: money.New(total, r.currency), Profit: look.Profit, Blocked: look.Blocked,
		Spent: money.New(spent, r.currency)}
	cost := money.Zero(r.currency)
	for _, p := range look.Purchases {
		c.Late = c.Late || p.late
		c.Blocked = cmp.Or(c.Blocked, p.Blocked)
		if p.short {
			c.Blocked = cmp.Or(c.Blocked, p.Warnings[0])
		}
		if p.Cost != nil {
			sum, err := cost.Add(*p.Cost)
			if err != nil {
				return "", err
			}
			cost = sum
		}
	}
	c.Cost = &cost
	waits := r.rule.Waits(c)
	_, err := tx.Exec(ctx, `update customer_order set auto_waits = $2 where id = $1 and auto_waits <> $2`, id, waits)
	return waits, err
}

// AutoBuyArgs is the job that buys the orders of a store that its rule says are bought without a person. Ended before
// its end, it goes on with those that are not bought yet.
type AutoBuyArgs struct{ StoreID int64 }

// Kind names the job.
func (AutoBuyArgs) Kind() string { return "auto_buy" }

// InsertOpts puts it into its queue. Two of a store at once buy nothing twice.
func (AutoBuyArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// BuyDue begins, for each store whose time has come, to buy what its rule says is bought without a person.
func (s *Service) BuyDue(ctx context.Context) error {
	all, err := s.Stores.List(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, found := range all {
		err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
			var last, now time.Time
			err := tx.QueryRow(ctx, `select last_run_at, now() from auto_buy where store_id = $1 and enabled
				for update skip locked`, found.ID).Scan(&last, &now)
			if database.Missing(err) {
				return nil
			}
			if err != nil {
				return err
			}
			rule, err := s.autoBuy(ctx, tx, found.ID, found.Currency, found.TimeZone)
			if err != nil || !order.Due(rule.Times, zoneOf(found.TimeZone), last, now) {
				return err
			}
			if _, err := tx.Exec(ctx, `update auto_buy set last_run_at = now() where store_id = $1`,
				found.ID); err != nil {
				return err
			}
			return s.Jobs.Add(ctx, tx, AutoBuyArgs{found.ID}, nil)
		})
		if err != nil {
			failed = errors.Join(failed, fmt.Errorf("store %d: %w", found.ID, err))
		}
	}
	return failed
}

func zoneOf(name string) *time.Location {
	zone, err := time.LoadLocation(name)
	if err != nil {
		return time.UTC
	}
	return zone
}

// autoBuyStore buys of a store what may be bought without a person, the oldest order first; one that cannot be bought
// stops none of the others. Those from before the store was connected wait.
func (s *Service) autoBuyStore(ctx context.Context, storeID int64) error {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return err
	}
	rule, err := s.autoBuy(ctx, s.Pool, storeID, found.Currency, found.TimeZone)
	if err != nil || !rule.Enabled {
		return err
	}
	ctx = access.With(ctx, automatic)
	list, err := ids(ctx, s.Pool, `select id from customer_order where store_id = $1 and state = 'to_buy'
		and archived_at is null and not earlier order by placed_at, id`, storeID)
	if err != nil {
		return err
	}
	with := newBuying(BuyInput{})
	with.auto = &autoRun{rule.AutoRule, storeID, found.Currency, order.Midnight(time.Now(), zoneOf(found.TimeZone))}
	bought, waiting := 0, 0
	for _, id := range list {
		left, begun, err := s.buyOne(ctx, id, with)
		if errors.Is(err, errSwitchedOff) {
			break
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			s.Log.Error("buying an order without a person", "order", id, "error", err)
			continue
		}
		bought += begun
		if left != nil {
			waiting++
		}
	}
	s.Log.Info("bought without a person", "store", storeID, "purchases", bought, "waiting", waiting)
	return s.Progress.Publish(ctx, "order", Event{})
}
