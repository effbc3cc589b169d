// Package orders takes customers' orders in from stores, buys what is in them from suppliers, follows the parcels, and
// tells the stores.
package orders

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/source"
	"plainpelican/connect/store"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/matching"
	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/progress"
	"plainpelican/platform/secrets"
	"plainpelican/pricing"
	"plainpelican/stores"
	"plainpelican/workbench"
)

// Stores is where orders come from, and are told of parcels.
type Stores interface {
	List(ctx context.Context) ([]stores.Store, error)
	Get(ctx context.Context, id int64) (stores.Store, error)
	Open(ctx context.Context, id int64) (store.Session, error)
}

// Sources is where things are bought.
type Sources interface {
	Buyer(ctx context.Context, id int64) (source.Buyer, error)
	// Cells reads the cells of an uploaded table, at most so many rows.
	Cells(ctx context.Context, file string, most int) ([][]string, error)
}

// Offers reads what a variant of an offer is bought for.
type Offers interface {
	Unit(ctx context.Context, q database.Querier, offer, variant int64) (pricing.OfferFacts, pricing.Unit, error)
}

// Pricing gives the money rules and rates of a store.
type Pricing interface {
	PricerIn(ctx context.Context, q database.Querier, storeID int64) (*pricing.Pricer, error)
}

// Alternatives finds the same item at other suppliers.
type Alternatives interface {
	FindAlternatives(ctx context.Context, offer, storeID int64, market string) (matching.Alternatives, error)
}

// Drafts says which variants of another offer a draft's variants can be bought as.
type Drafts interface {
	PreviewSwap(ctx context.Context, draft, storeID int64, in workbench.SwapInput) (workbench.SwapPreview, error)
}

// Pictures gives the first picture of each draft.
type Pictures interface {
	Pictures(ctx context.Context, drafts []int64) (map[int64]string, error)
}

// Service is the orders capability.
type Service struct {
	Pool      *pgxpool.Pool
	Stores    Stores
	Sources   Sources
	Offers    Offers
	Pricing   Pricing
	Pictures  Pictures
	Drafts    Drafts
	Same      Alternatives
	Uploads   Uploads
	Box       *secrets.Box
	Jobs      *jobs.Runner
	Progress  *progress.Stream
	Log       *slog.Logger
	PublicURL string
	// Follow is how often a supplier is asked how far a purchase is, and Pause how long a source or store that does not
	// answer is left alone at first, doubled each time; 0 is the usual.
	Follow, Pause time.Duration
}

// The usual Follow and Pause.
const (
	usualFollow = 2 * time.Minute
	usualPause  = 2 * time.Second
)

func (s *Service) every() time.Duration { return cmp.Or(s.Follow, usualFollow) }
func (s *Service) pause() time.Duration { return cmp.Or(s.Pause, usualPause) }

// Customer is who bought and where it goes, as the store told it; it is sealed in the database.
type Customer struct {
	Email   string        `json:"email"`
	Note    string        `json:"note"`
	Address order.Address `json:"address"`
}

// purpose binds what is sealed to the order that it belongs to.
func purpose(storeID int64, storeOrder string) string {
	return fmt.Sprintf("order %d/%s", storeID, storeOrder)
}

func (s *Service) seal(storeID int64, storeOrder string, of any) ([]byte, error) {
	said, err := json.Marshal(of)
	return s.Box.Seal(purpose(storeID, storeOrder), string(said)), err
}

func (s *Service) open(storeID int64, storeOrder string, sealed []byte, into any) error {
	said, err := s.Box.Open(purpose(storeID, storeOrder), sealed)
	if err != nil {
		return err
	}
	return json.Unmarshal([]byte(said), into)
}

// note writes down what happened to an order: by whom, or by itself.
func note(ctx context.Context, q database.Querier, orderID int64, format string, args ...any) error {
	_, err := q.Exec(ctx, `insert into order_event (order_id, by, words) values ($1, $2, $3)`, orderID,
		access.Who(ctx).Name, fmt.Sprintf(format, args...))
	return err
}

// Event tells browsers that an order moved.
type Event struct {
	OrderID int64       `json:"order_id"`
	State   order.State `json:"state"`
}

// settle works out an order's state anew from its lines and purchases, and tells browsers; it is called by whoever
// moved one of them, in the same transaction. What the order costs is due to be worked out from then on.
func (s *Service) settle(ctx context.Context, q database.Querier, orderID int64) error {
	rows, err := q.Query(ctx, `select o.cancelled, l.draft_variant_id is not null, coalesce(p.state, ''),
			l.left_out_at is not null, exists (select from claim c join purchase b on b.id = c.purchase_id
				where b.order_id = o.id and c.state = 'open')
		from customer_order o join order_line l on l.order_id = o.id left join purchase p on p.id = l.purchase_id
		where o.id = $1 order by l.position`, orderID)
	if err != nil {
		return err
	}
	var lines []order.Line
	var cancelled bool
	defer rows.Close()
	for rows.Next() {
		var l order.Line
		if err := rows.Scan(&cancelled, &l.Ours, &l.Purchase, &l.LeftOut, &l.Claimed); err != nil {
			return err
		}
		lines = append(lines, l)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	state := order.StateOf(lines, cancelled)
	if _, err := q.Exec(ctx, `update customer_order set state = $2, news_at = now(), revision = revision + 1
		where id = $1`, orderID, state); err != nil {
		return err
	}
	return s.Progress.PublishIn(ctx, q, "order", Event{orderID, state})
}

// known is an amount of minor units that may not be known.
func known(minor *int64, c money.Currency) *money.Amount {
	if minor == nil {
		return nil
	}
	a := money.New(*minor, c)
	return &a
}

// ids reads the ids that a statement gives.
func ids(ctx context.Context, q database.Querier, sql string, args ...any) ([]int64, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
