package orders

import (
	"context"
	"encoding/json"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"plainpelican/connect/store"
	"plainpelican/platform/database"
)

// hookPath is where stores tell of orders; a key of the store's follows.
const hookPath = "/connect/webhooks/"

// maxMessage is the most that a store may send at once, in bytes.
const maxMessage = 1 << 20

// follow has a store tell us of orders, once. One that will not is read every few minutes all the same.
func (s *Service) follow(ctx context.Context, storeID int64, session store.Session) {
	var key string
	if err := s.Pool.QueryRow(ctx, `select hook_key from order_feed where store_id = $1 and hooked_at is null`,
		storeID).Scan(&key); err != nil {
		return // it does already
	}
	secret, err := session.Hook(ctx, s.PublicURL+hookPath+key)
	if err == nil && secret != "" {
		_, err = s.Pool.Exec(ctx, `update order_feed set secret = $2, hooked_at = now() where store_id = $1`, storeID,
			s.Box.Seal("webhooks "+key, secret))
	}
	if err != nil {
		s.Log.Warn("asking a store to tell of orders", "store", storeID, "error", err)
	}
}

// receive keeps a message of a store as it came, once, and answers; it is worked through by a job. Signature and moment
// are checked by the Standard Webhooks specification: what is older than five minutes is refused, as a replay would be.
func (s *Service) receive(w http.ResponseWriter, r *http.Request) {
	ctx, key := r.Context(), chi.URLParam(r, "key")
	var storeID int64
	var sealed []byte
	err := s.Pool.QueryRow(ctx, `select store_id, secret from order_feed where hook_key = $1 and secret is not null`,
		key).
		Scan(&storeID, &sealed)
	if database.Missing(err) {
		http.Error(w, "nobody listens here", http.StatusGone)
		return
	}
	if err != nil {
		http.Error(w, "try again later", http.StatusServiceUnavailable)
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxMessage))
	if err != nil {
		http.Error(w, "too long, or cut off", http.StatusRequestEntityTooLarge)
		return
	}
	secret, err := s.Box.Open("webhooks "+key, sealed)
	if err == nil {
		var check *webhooks.Webhook
		if check, err = webhooks.NewWebhook(secret); err == nil {
			err = check.Verify(body, r.Header)
		}
	}
	if err != nil {
		http.Error(w, "the signature does not hold", http.StatusUnauthorized)
		return
	}
	id := store.Text(r.Header.Get(webhooks.HeaderWebhookID))
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var message int64
		err := tx.QueryRow(ctx, `insert into store_message (store_id, message, body) values ($1, $2, $3)
			on conflict (store_id, message) do nothing returning id`, storeID, id,
			s.Box.Seal("message "+id, string(body))).Scan(&message)
		if database.Missing(err) {
			return nil // it came before
		}
		if err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, MessageArgs{message}, nil)
	})
	if err != nil {
		s.Log.Error("keeping a store's message", "store", storeID, "error", err)
		http.Error(w, "try again later", http.StatusServiceUnavailable)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// MessageArgs is the job that works through one message of a store.
type MessageArgs struct{ ID int64 }

// Kind names the job.
func (MessageArgs) Kind() string { return "store_message" }

// InsertOpts puts it into its queue.
func (MessageArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// work takes the order of a message in. The order in it is as it was then: an older one than is known changes nothing.
func (s *Service) work(ctx context.Context, id int64) error {
	var storeID int64
	var message string
	var sealed []byte
	err := s.Pool.QueryRow(ctx, `select store_id, message, body from store_message where id = $1`, id).
		Scan(&storeID, &message, &sealed)
	if database.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	body, err := s.Box.Open("message "+message, sealed)
	if err != nil {
		return err
	}
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return nil // disconnected: its orders are read when it is connected again
	}
	var said struct {
		Data store.Order `json:"data"`
	}
	if json.Unmarshal([]byte(body), &said) == nil {
		if err := s.take(ctx, found, said.Data); err != nil {
			return err
		}
	}
	// The message's number is kept, so that it is known when it comes again; what it said is not.
	_, err = s.Pool.Exec(ctx, `update store_message set body = '' where id = $1`, id)
	return err
}

// Prune forgets messages that can no longer come again, since a replay is refused after five minutes, and erases who
// bought of orders that ended as long ago as their store's setting says. The sums stay.
func (s *Service) Prune(ctx context.Context) error {
	if _, err := s.Pool.Exec(ctx,
		`delete from store_message where received_at < now() - interval '7 days'`); err != nil {
		return err
	}
	list, err := ids(ctx, s.Pool, `select o.id from customer_order o join facts.store t on t.id = o.store_id
		where o.erased_at is null and t.erase_after_days > 0
		and (o.state in ('delivered', 'cancelled', 'not_ours') or o.archived_at is not null)
		and greatest(o.news_at, o.placed_at) < now() - t.erase_after_days * interval '1 day' limit 5000`)
	if err != nil {
		return err
	}
	for _, id := range list {
		if err := s.erase(ctx, id); err != nil {
			return err
		}
	}
	if list, err = ids(ctx, s.Pool, `select o.id from customer_order o join facts.store t on t.id = o.store_id
		where o.archived_at is null and t.archive_after_days > 0 and o.state in ('delivered', 'cancelled', 'not_ours')
		and greatest(o.news_at, o.placed_at) < now() - t.archive_after_days * interval '1 day' limit 5000`); err !=
		nil {
		return err
	}
	if len(list) > 0 {
		if _, err := s.Archive(ctx, list, true); err != nil {
			return err
		}
	}
	return s.hashWho(ctx)
}

// erase forgets who bought and where it went.
func (s *Service) erase(ctx context.Context, id int64) error {
	h, err := readHead(ctx, s.Pool, id)
	if err != nil {
		return err
	}
	nobody, err := s.seal(h.storeID, h.storeOrder, Customer{})
	if err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update customer_order set customer = $2, ship_to = null, who = '{}',
			erased_at = now() where id = $1`, id, nobody); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update purchase_message set words = '(erased)' where purchase_id in (select id
			from purchase where order_id = $1)`, id); err != nil {
			return err
		}
		return note(ctx, tx, id, "Who bought was erased")
	})
}
