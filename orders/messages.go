package orders

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// MessageInput is what a person writes to the supplier of a purchase.
type MessageInput struct {
	Words string `json:"words" minLength:"1" maxLength:"2000"`
}

// MessageView is a message to or from the supplier of a purchase.
type MessageView struct {
	Words        string     `json:"words"`
	FromSupplier bool       `json:"from_supplier"`
	By           string     `json:"by" doc:"A member; empty is the supplier"`
	At           time.Time  `json:"at"`
	SentAt       *time.Time `json:"sent_at,omitempty"`
	Error        string     `json:"error" doc:"Why it was not taken"`
}

// Write sends a message to the supplier of a purchase.
func (s *Service) Write(ctx context.Context, purchaseID int64, in MessageInput) (Order, error) {
	words := strings.TrimSpace(in.Words)
	if words == "" {
		return Order{}, apikit.Problem(422, "words", "Say what is the matter.")
	}
	var orderID int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var takes bool
		err := tx.QueryRow(ctx, `select p.order_id, x.takes_messages and p.number <> '' from purchase p
			join facts.source x on x.id = p.source_id where p.id = $1`, purchaseID).Scan(&orderID, &takes)
		if database.Missing(err) {
			return apikit.NotFound("purchase")
		}
		if err != nil {
			return err
		}
		if !takes {
			return apikit.Problem(409, "", "Its source passes no messages on: write to the supplier as you do else.")
		}
		var id int64
		if err := tx.QueryRow(ctx, `insert into purchase_message (purchase_id, key, words, by)
			values ($1, gen_random_uuid()::text, $2, $3) returning id`, purchaseID, words, access.Who(ctx).Name).
			Scan(&id); err != nil {
			return err
		}
		if err := s.Progress.PublishIn(ctx, tx, "order", Event{OrderID: orderID}); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, WriteArgs{id}, nil)
	})
	if err != nil {
		return Order{}, err
	}
	return s.Order(ctx, orderID)
}

// WriteArgs is the job that sends one message to a supplier.
type WriteArgs struct{ WriteID int64 }

// Kind names the job.
func (WriteArgs) Kind() string { return "write_to_supplier" }

// InsertOpts puts it into its queue.
func (WriteArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// write sends a message; its source takes it once, however often it is sent.
func (s *Service) write(ctx context.Context, id int64) error {
	var orderID, purchaseID, sourceID int64
	var purchase, key, words string
	err := s.Pool.QueryRow(ctx, `select p.order_id, p.id, p.source_id, p.key::text, m.key, m.words
		from purchase_message m join purchase p on p.id = m.purchase_id
		where m.id = $1 and m.sent_at is null and m.error = ''`, id).Scan(&orderID, &purchaseID, &sourceID, &purchase,
		&key, &words)
	if database.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	session, err := s.Sources.Buyer(ctx, sourceID)
	if err == nil {
		err = session.Write(ctx, purchase, key, words)
	}
	var refusal source.Refusal
	reason := ""
	switch {
	case err == nil:
	case ctx.Err() != nil, database.Away(err):
		return err
	case errors.As(err, &refusal):
		reason = said(refusal.Reason)
	case errors.Is(err, source.ErrCredentials), apikit.IsProblem(err):
		reason = "The source does not let us in any more: connect it again, then write again."
	default:
		return river.JobSnooze(2 * s.pause()) // sending it again changes nothing
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update purchase_message set sent_at = case when $2 = '' then now() end, error = $2
			where id = $1`, id, reason); err != nil {
			return err
		}
		// Its answer is looked for, whatever else is known of the purchase.
		if _, err := tx.Exec(ctx, `update purchase set next_at = coalesce(next_at, now() + $2::interval)
			where id = $1 and $3 = ''`, purchaseID, s.every().String(), reason); err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "order", Event{OrderID: orderID})
	})
}

// keepMessages keeps what a supplier wrote of a purchase, each once.
func (s *Service) keepMessages(ctx context.Context, tx pgx.Tx, purchaseID, orderID int64, supplier string,
	wrote []source.Message) error {
	for _, m := range wrote {
		tag, err := tx.Exec(ctx, `insert into purchase_message (purchase_id, key, from_supplier, words, sent_at)
			values ($1, $2, true, $3, now()) on conflict do nothing`, purchaseID, m.ID, m.Words)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			continue
		}
		if err := note(ctx, tx, orderID, "%s wrote", supplier); err != nil {
			return err
		}
		if err := s.Progress.PublishIn(ctx, tx, "order", Event{OrderID: orderID}); err != nil {
			return err
		}
	}
	return nil
}

// messages reads those of an order's purchases into them.
func (s *Service) messages(ctx context.Context, h *head, of []PurchaseView) error {
	rows, err := s.Pool.Query(ctx, `select m.purchase_id, m.words, m.from_supplier, m.by, m.at, m.sent_at, m.error
		from purchase_message m join purchase p on p.id = m.purchase_id where p.order_id = $1 order by m.id`, h.id)
	if err != nil {
		return err
	}
	var purchase int64
	var m MessageView
	_, err = pgx.ForEachRow(rows, []any{&purchase, &m.Words, &m.FromSupplier, &m.By, &m.At, &m.SentAt, &m.Error},
		func() error {
			for i := range of {
				if of[i].ID == purchase {
					of[i].Messages = append(of[i].Messages, m)
				}
			}
			return nil
		})
	return err
}
