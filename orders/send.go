package orders

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/sources"
)

// Work adds the workers of its jobs.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[ReadArgs]) error {
		err := s.Read(ctx, job.Args.StoreID)
		if err != nil && ctx.Err() == nil {
			s.Log.Error("reading a store's orders", "store", job.Args.StoreID, "error", err)
			return nil // read again in two minutes: a job that waits to be tried again would be in the way of that
		}
		return err
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[MessageArgs]) error { return s.work(ctx, job.Args.ID) })
	jobs.Handle(r, func(ctx context.Context, _ *river.Job[FollowArgs]) error { return s.FollowUp(ctx) })
	jobs.Handle(r, func(ctx context.Context, job *river.Job[PlaceArgs]) error {
		return s.place(ctx,
			job.Args.PurchaseID)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[PayArgs]) error { return s.pay(ctx, job.Args.PurchaseID) })
	jobs.Handle(r, func(ctx context.Context, job *river.Job[RefundArgs]) error {
		return s.refund(ctx, job.Args.RefundID)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[WriteArgs]) error {
		return s.write(ctx, job.Args.WriteID)
	})
	jobs.HandleLong(r, func(ctx context.Context, job *river.Job[AutoBuyArgs]) error {
		return s.autoBuyStore(ctx, job.Args.StoreID)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[TellArgs]) error {
		return s.tellStore(ctx,
			job.Args.ParcelID)
	})
}

// sent is a purchase while it is sent or asked about.
type sent struct {
	id, orderID, storeID, sourceID int64
	key, service, comment          string
	currency                       string // the supplier's
	fence, tries                   int
	state                          order.PurchaseState // as it was before
	cancelled                      bool                // by the customer
}

// maybeSent tells that the source may have a purchase already: then nobody may be told that it has not.
func (p *sent) maybeSent() bool { return p.state != order.Waiting || p.tries > 0 }

// maxTries is how often a purchase is sent to a source that does not answer before it is said that it is not known.
const maxTries = 6

// errOvertaken is that another worker has the purchase meanwhile: what it does counts.
var errOvertaken = errors.New("another worker has this purchase")

// claim begins to send a purchase: nobody else does from here on.
func (s *Service) claim(ctx context.Context, id int64) (p sent, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `select p.state, p.order_id, o.store_id, p.source_id, p.key::text, p.service,
			p.comment,
				p.currency, p.tries, o.cancelled from purchase p join customer_order o on o.id = p.order_id
			where p.id = $1 and p.state = any ($2) for update of p`, id, order.From(order.Sending)).Scan(&p.state,
			&p.orderID, &p.storeID, &p.sourceID, &p.key, &p.service, &p.comment, &p.currency, &p.tries,
			&p.cancelled); err != nil {
			return err
		}
		p.id = id
		if err := tx.QueryRow(ctx, `update purchase set state = 'sending', fence = fence + 1, tries = tries + 1,
			reason = '' where id = $1 returning fence`, id).Scan(&p.fence); err != nil {
			return err
		}
		return s.settle(ctx, tx, p.orderID)
	})
	return p, err
}

// place sends a purchase to its source. It may be started again at any moment: the source makes one purchase of one
// key,
// and is asked what it has before anything is sent that may have been sent before.
func (s *Service) place(ctx context.Context, id int64) error {
	p, err := s.claim(ctx, id)
	if database.Missing(err) {
		return nil // placed, or taken back meanwhile
	}
	if err != nil {
		return err
	}
	if p.cancelled && !p.maybeSent() {
		return s.end(ctx, &p, order.Cancelled, "The customer cancelled before it was sent to the supplier.")
	}
	made, err := s.send(ctx, &p)
	if ctx.Err() != nil {
		return ctx.Err() // stopping: another instance goes on with it
	}
	var refusal source.Refusal
	switch {
	case err == nil:
		return s.record(ctx, &p, made)
	case errors.Is(err, errOvertaken):
		return nil
	case database.Away(err):
		return err
	case errors.As(err, &refusal):
		return s.end(ctx, &p, order.Refused, said(refusal.Reason))
	case (errors.Is(err, source.ErrCredentials) || apikit.IsProblem(err)) && p.maybeSent():
		return s.end(ctx, &p, order.Unknown,
			"The source does not let us in any more: connect it again. It is asked then "+
				"what it has; nothing is bought twice.")
	case errors.Is(err, source.ErrCredentials), apikit.IsProblem(err):
		return s.end(ctx, &p, order.Refused,
			"The source does not let us in any more: connect it again, then buy it again.")
	case temporary(err) && p.tries < maxTries:
		return s.later(ctx, &p, err)
	case temporary(err):
		return s.end(ctx, &p, order.Unknown,
			"The source does not answer. It is asked again what it has; nothing is bought twice.")
	}
	s.Log.Error("placing a purchase", "purchase", p.id, "error", err)
	return s.end(ctx, &p, order.Unknown, "Something went wrong on our side. The source is asked again what it has.")
}

func said(reason string) string {
	if reason == "" {
		return "The supplier gave no reason."
	}
	return reason
}

func temporary(err error) bool {
	var wait *outgoing.Wait
	return errors.Is(err, outgoing.ErrUnreachable) || errors.Is(err, source.ErrUnavailable) || errors.As(err, &wait)
}

// send asks the source what it has of a purchase, and sends it where it has nothing.
func (s *Service) send(ctx context.Context, p *sent) (source.Purchase, error) {
	session, err := s.Sources.Buyer(ctx, p.sourceID)
	if err != nil {
		return source.Purchase{}, err
	}
	if p.maybeSent() {
		if made, found, err := session.Purchase(ctx, p.key); err != nil || found {
			return made, err
		}
	}
	h, err := readHead(ctx, s.Pool, p.orderID)
	if err != nil {
		return source.Purchase{}, err
	}
	to, err := s.shipTo(ctx, s.Pool, &h)
	if err != nil {
		return source.Purchase{}, err
	}
	rows, err := s.Pool.Query(ctx, `select offer_number, variant_number, quantity from purchase_line
		where purchase_id = $1 order by order_line_id`, p.id)
	if err != nil {
		return source.Purchase{}, err
	}
	lines, err := pgx.CollectRows(rows, pgx.RowToStructByPos[source.PurchaseLine])
	if err != nil {
		return source.Purchase{}, err
	}
	var fence int
	if err := s.Pool.QueryRow(ctx, `select fence from purchase where id = $1`, p.id).Scan(&fence); err != nil {
		return source.Purchase{}, err
	}
	if fence != p.fence {
		return source.Purchase{}, errOvertaken
	}
	currency, err := money.ParseCurrency(p.currency)
	if err != nil {
		return source.Purchase{}, err
	}
	var shop string
	if err := s.Pool.QueryRow(ctx, `select name from facts.store where id = $1`, p.storeID).Scan(&shop); err != nil {
		return source.Purchase{}, err
	}
	slip, err := s.slipAlong(ctx, p)
	if err != nil {
		return source.Purchase{}, err
	}
	return session.Place(ctx, source.PurchaseOrder{ID: p.key, Lines: lines, Service: p.service, To: to,
		Comment: p.comment, Currency: currency, Shop: shop, Slip: slip})
}

// slipAlong is the packing slip that goes with a purchase where its store wants that and its source takes it. One that
// cannot be printed does not hold the purchase up: the order says so.
func (s *Service) slipAlong(ctx context.Context, p *sent) ([]byte, error) {
	var goes bool
	if err := s.Pool.QueryRow(ctx, `select x.takes_documents and coalesce(l.sends, false) from facts.source x
		left join slip_settings l on l.store_id = $2 where x.id = $1`, p.sourceID, p.storeID).Scan(
		&goes); err != nil || !goes {
		return nil, err
	}
	slip, err := s.slipFor(ctx, p.orderID, p.id)
	if apikit.IsProblem(err) {
		return nil, note(ctx, s.Pool, p.orderID, "No packing slip goes along: %s", err)
	}
	return slip, err
}

// end moves a purchase that is being sent into a state with its reason.
func (s *Service) end(ctx context.Context, p *sent, to order.PurchaseState, reason string) error {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update purchase set state = $3, reason = $4,
				next_at = case when $3 = 'unknown' then now() + interval '2 minutes' end
			where id = $1 and fence = $2 and state = 'sending'`, p.id, p.fence, to, reason)
		if err != nil || tag.RowsAffected() == 0 {
			return err // overtaken
		}
		if err := note(ctx, tx, p.orderID, "%s", reason); err != nil {
			return err
		}
		return s.settle(ctx, tx, p.orderID)
	})
	return err
}

// later puts a purchase back: it is sent again after a while.
func (s *Service) later(ctx context.Context, p *sent, why error) error {
	wait := s.pause() << min(p.tries, 5)
	var asked *outgoing.Wait
	if errors.As(why, &asked) && asked.After > wait {
		wait = asked.After
	}
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update purchase set state = 'waiting', reason = $3
			where id = $1 and fence = $2 and state = 'sending'`, p.id, p.fence,
			strings.TrimSuffix(sources.ErrorMessage("the source", why), ".")+"; trying again.")
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		if err := s.settle(ctx, tx, p.orderID); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, PlaceArgs{p.id}, &river.InsertOpts{ScheduledAt: time.Now().Add(wait)})
	})
	return err
}

// record keeps what the source says of a purchase that was sent.
func (s *Service) record(ctx context.Context, p *sent, made source.Purchase) error {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var fence int
		if err := tx.QueryRow(ctx, `select fence from purchase where id = $1 for update`, p.id).Scan(
			&fence); err != nil {
			return err
		}
		if fence != p.fence {
			return nil
		}
		return s.keep(ctx, tx, p.id, p.orderID, p.storeID, made)
	})
	if err == nil {
		s.estimate(ctx, p.orderID) // what is owed may be another sum than was expected
	}
	return err
}

// owedInStore is what a purchase costs in the store's currency, and the rate it was brought into it by.
func (s *Service) owedInStore(ctx context.Context, tx pgx.Tx, storeID int64, total money.Amount) (cost money.Amount,
	rate string, err error) {
	p, err := s.Pricing.PricerIn(ctx, tx, storeID)
	if err != nil {
		return cost, "", err
	}
	if cost, err = p.Convert(total); err != nil || total.Currency() == p.Currency {
		return cost, "", err
	}
	return cost, p.Rates.Words(total.Currency(), p.Currency), nil
}
