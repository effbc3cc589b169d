package publishing

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/core/readiness"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/pictures"
	"plainpelican/platform/safehtml"
	"plainpelican/platform/secrets"
	"plainpelican/workbench"
)

// What an item waits for a store: doubled each time up to longestPause times the first; a store that asks
// to be left alone is waited for as told, up to maxAsked times.
const (
	longestPause   = 100
	maxAsked       = 40
	maxOwnFailures = 5
)

// Work adds the job's worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[CheckArgs]) error {
		return s.checkStore(ctx, job.Args.StoreID)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[Args]) error { return s.work(ctx, job.Args, job.Attempt) })
}

// sending is one item while it is sent.
type sending struct {
	Args
	runID, storeID, draftID int64
	visible, sellEmpty      bool
	tries                   int
	note                    string
	duplicates              []store.Sent // further products of the draft that the store has
}

// failure is why an item fails, for a person, and the part of the draft at fault.
type failure struct{ area, words string }

func (f *failure) Error() string { return f.words }

// work sends one item. It may be started again at any moment: the store knows the draft by
// its reference and the attempt by its key, so nothing is made twice.
func (s *Service) work(ctx context.Context, args Args, tried int) error {
	item := sending{Args: args}
	err := s.Pool.QueryRow(ctx, `
		update publish_item i set state = 'sending', updated_at = now() from publish_run r
		where i.id = $1 and i.attempt = $2 and i.state in ('waiting', 'sending') and r.id = i.run_id
		returning r.id, r.store_id, i.draft_id, r.visible, r.sell_empty, i.tries`, args.ItemID, args.Attempt).
		Scan(&item.runID, &item.storeID, &item.draftID, &item.visible, &item.sellEmpty, &item.tries)
	if database.Missing(err) {
		return nil // sent, stopped or tried again meanwhile
	}
	if err != nil {
		return err
	}
	s.notify(ctx, item.runID)
	err = s.send(ctx, &item)
	if ctx.Err() != nil {
		return ctx.Err() // stopping: another instance goes on with it
	}
	var failed *failure
	switch {
	case err == nil:
	case errors.As(err, &failed):
		err = s.fail(ctx, item, failed)
	case database.Away(err):
		return err // put back until the database is there again
	case blobs.Fault(err):
		s.saying(ctx, &item, trimStop(apikit.Sentence(err))+"; waiting.")
		return err
	case temporary(err) && item.tries < s.patience(err):
		return s.later(ctx, item, err)
	case errors.Is(err, pictures.ErrNone):
		err = s.fail(ctx, item, &failure{string(readiness.Pictures), err.Error()})
	case temporary(err):
		err = s.fail(ctx, item,
			&failure{"", "The store did not answer after several tries. Try again later: it will not be listed twice."})
	case tried < maxOwnFailures:
		s.saying(ctx, &item, "Something went wrong on our side; trying again.")
		return err
	default:
		s.Log.Error("publishing an item", "item", item.ItemID, "error", err)
		err = s.fail(ctx, item,
			&failure{"", "Something went wrong on our side. Try again; if it stays, look into the log."})
	}
	if err != nil {
		return err
	}
	if err := s.close(ctx, item.runID); err != nil {
		return err
	}
	s.notify(ctx, item.runID)
	return nil
}

// pictureError is that a draft's picture cannot be had from its supplier; its text is a sentence.
type pictureError struct {
	number int
	why    error
}

func (e *pictureError) Error() string {
	return fmt.Sprintf("Picture %d cannot be had from the supplier: %s. Hide it, or try again later.", e.number, e.why)
}

func (e *pictureError) Unwrap() error { return e.why }

// patience is how often an item is put back for a failure.
func (s *Service) patience(err error) int {
	var asked *outgoing.Wait
	if errors.As(err, &asked) && asked.After > 0 {
		return maxAsked
	}
	return s.Tries
}

func temporary(err error) bool {
	return errors.Is(err, outgoing.ErrUnreachable) || errors.Is(err, store.ErrBusy) ||
		errors.Is(err, store.ErrUnavailable)
}

// later puts an item back, saying why, with longer waits each time.
func (s *Service) later(ctx context.Context, item sending, why error) error {
	wait := min(s.Pause<<min(item.tries, 10), longestPause*s.Pause)
	words := "The store did not answer; asking again what it has."
	var asked *outgoing.Wait
	if errors.As(why, &asked) && asked.After > 0 {
		wait = min(asked.After, time.Hour) + rand.N(time.Second)
	}
	switch {
	case errors.Is(why, pictures.ErrNone):
		words = why.Error() + " It is asked again."
	case errors.Is(why, store.ErrBusy):
		words = fmt.Sprintf("The store asks us to slow down; waiting %d s.", int(wait.Seconds())+1)
	}
	if _, err := s.Pool.Exec(ctx, `update publish_item
		set state = 'waiting', reason = $3, tries = tries + 1, updated_at = now()
		where id = $1 and attempt = $2 and state = 'sending'`,
		item.ItemID, item.Attempt, words); err != nil {
		return err
	}
	s.notify(ctx, item.runID)
	return river.JobSnooze(wait)
}

func (s *Service) fail(ctx context.Context, item sending, why *failure) error {
	_, err := s.Pool.Exec(ctx, `update publish_item set state = 'failed', reason = $3, area = $4, updated_at = now()
		where id = $1 and attempt = $2 and state = 'sending'`,
		item.ItemID, item.Attempt, why.words, why.area)
	return err
}

// saying shows on the run what an item is at.
func (s *Service) saying(ctx context.Context, item *sending, words string) {
	if _, err := s.Pool.Exec(ctx, `update publish_item set reason = $3, updated_at = now()
		where id = $1 and attempt = $2 and state = 'sending'`, item.ItemID, item.Attempt, words); err == nil {
		s.notify(ctx, item.runID)
	}
}

// send does the work of one item. A *failure is final until a person does something.
func (s *Service) send(ctx context.Context, item *sending) error {
	draft, err := s.Drafts.Ready(ctx, item.draftID, item.storeID)
	if err != nil {
		return asFailure(err)
	}
	if err := s.check(ctx, item, draft); err != nil {
		return err
	}
	session, err := s.Stores.Open(ctx, item.storeID)
	if errors.Is(err, secrets.ErrSealed) {
		return &failure{"", "The store's approval cannot be read any more. Connect the store again."}
	}
	if err != nil {
		return asFailure(err)
	}
	session.OnWait(func(wait time.Duration) {
		s.saying(ctx, item, fmt.Sprintf("The store asks us to slow down; waiting %d s.", int(wait.Seconds())+1))
	})
	product, err := s.product(ctx, item, session, draft)
	if err != nil {
		return asFailure(err)
	}
	sent, err := s.put(ctx, item, session, draft, product)
	if err != nil {
		return asFailure(err)
	}
	return s.list(ctx, item, draft, product, sent)
}

// asFailure makes final what trying again by itself would not mend.
func asFailure(err error) error {
	var refused *store.Refused
	switch {
	case errors.As(err, &refused):
		area := map[string]string{"title": "description", "description_html": "description", "options": "variants",
			"variants": "variants", "pictures": "pictures", "picture": "pictures"}[refused.Field]
		return &failure{area, "The store refused it: " + refused.Message}
	case errors.Is(err, store.ErrDisapproved):
		return &failure{"", "The store no longer lets us in. Connect it again, then try again."}
	case apikit.IsProblem(err):
		return &failure{"", err.Error()}
	}
	return err
}

// check asks first what would stop the draft here, then whether it is still sold.
func (s *Service) check(ctx context.Context, item *sending, draft workbench.Ready) error {
	for _, f := range draft.Report.Findings {
		if f.Stops {
			return &failure{string(f.Area), f.Words}
		}
	}
	for _, from := range draft.Bought {
		sold, err := s.Supply.StillSold(ctx, from.SourceID, from.Number)
		if database.Away(err) {
			return err
		}
		if err != nil {
			item.note = fmt.Sprintf("%s, so cost and stock are as they were imported.", trimStop(err.Error()))
		}
		if sold {
			continue
		}
		if err := s.Offers.Withdraw(ctx, from.OfferID); err != nil {
			return err
		}
		what := "this"
		if len(draft.Bought) > 1 {
			what = "“" + strings.Join(from.Variants, "”, “") + "”"
		}
		return &failure{string(readiness.Variants), fmt.Sprintf(
			"%s has stopped selling %s. Take the same item from another supplier.", from.Supplier, what)}
	}
	return nil
}

func trimStop(s string) string {
	if len(s) > 0 && s[len(s)-1] == '.' {
		return s[:len(s)-1]
	}
	return s
}

// product sends the pictures and puts together what the store is to have.
func (s *Service) product(ctx context.Context, item *sending, session store.Session,
	draft workbench.Ready) (store.Product, error) {
	vendor, err := s.Stores.Vendor(ctx, item.storeID)
	if err != nil {
		return store.Product{}, err
	}
	p := store.Product{Reference: draft.Reference, Title: draft.Title,
		Description: safehtml.CleanLinked(draft.Description), Vendor: cmp.Or(draft.Vendor, vendor), Type: draft.Type,
		Collections: draft.Collections, Tags: draft.Tags, SearchTitle: draft.SearchTitle,
		SearchDescription: draft.SearchDescription, Visible: item.visible, SellEmpty: item.sellEmpty,
		Options: []store.Option{}, Pictures: []string{}}
	hashes := map[string]string{} // by address
	for i, url := range draft.Pictures {
		if len(draft.Pictures) > 1 {
			s.saying(ctx, item, fmt.Sprintf("picture %d of %d", i+1, len(draft.Pictures)))
		}
		hash, content, err := s.Media.PictureAt(ctx, url)
		if errors.Is(err, pictures.ErrNone) {
			return p, &pictureError{i + 1, err}
		}
		if err != nil {
			return p, fmt.Errorf("picture %d: %w", i+1, err) // ours: the disk or the database
		}
		if err := session.PutPicture(ctx, hash, content); err != nil {
			return p, err
		}
		hashes[url] = hash
		p.Pictures = append(p.Pictures, hash)
	}
	for _, o := range draft.Options {
		option := store.Option{Name: o.Name}
		for _, v := range o.Values {
			option.Values = append(option.Values, v.Name)
		}
		p.Options = append(p.Options, option)
	}
	for _, v := range draft.Variants {
		was := ""
		if !v.Ladder.Was.IsZero() {
			was = v.Ladder.Was.Decimal()
		}
		p.Variants = append(p.Variants,
			store.Variant{Reference: fmt.Sprint(v.ID), SKU: v.SKU, Values: v.Values, Price: v.Ladder.Price.Decimal(),
				WasPrice: was, Stock: v.Stock, Barcode: v.Barcode, Picture: hashes[v.Picture]})
	}
	return p, nil
}

// put updates what the store has of the draft, or creates it under a key that stays the same until a
// listing is recorded: whoever sends it, and however often, the store makes one product.
func (s *Service) put(ctx context.Context, item *sending, session store.Session, draft workbench.Ready,
	p store.Product) (store.Sent, error) {
	there, err := session.Find(ctx, draft.Reference)
	if err != nil {
		return store.Sent{}, err
	}
	var known string
	if err := s.Pool.QueryRow(ctx, `select product_id from listing
		where store_id = $1 and draft_id = $2`, item.storeID, item.draftID).Scan(&known); err != nil &&
		!database.Missing(err) {
		return store.Sent{}, err
	}
	slices.SortStableFunc(there, func(a, b store.Sent) int { return cmp.Compare(rank(a, known), rank(b, known)) })
	for i, product := range there {
		sent, err := session.Update(ctx, product.ID, p)
		if errors.Is(err, store.ErrGone) {
			continue // taken out of the store a moment ago
		}
		item.duplicates = there[i+1:]
		return sent, err
	}
	var key string
	if err := s.Pool.QueryRow(ctx, `
		insert into product_key (store_id, draft_id) values ($1, $2) on conflict (store_id, draft_id) do update
		set draft_id = excluded.draft_id returning key::text`, item.storeID, item.draftID).Scan(&key); err != nil {
		return store.Sent{}, err
	}
	return session.Create(ctx, key, p)
}

// rank puts the product that a listing knows first.
func rank(p store.Sent, known string) int {
	if p.ID == known {
		return 0
	}
	return 1
}

// list records the listing and ends the item, together.
func (s *Service) list(ctx context.Context, item *sending, draft workbench.Ready, p store.Product,
	sent store.Sent) error {
	stored, err := json.Marshal(p)
	if err != nil {
		return err
	}
	further := duplicatesOf(item.duplicates)
	if n := len(further); n > 0 {
		item.note = strings.TrimSpace(item.note + fmt.Sprintf(" The store holds %d more of this draft: see Listings.",
			n))
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `delete from product_key where store_id = $1
			and draft_id = $2`, item.storeID, item.draftID); err != nil {
			return err
		}
		var listing int64
		var before *int64 // what it was bought as, where it was listed
		err := tx.QueryRow(ctx, `
			insert into listing (store_id, draft_id, offer_id, product_id, url, title, sent, visible, trace, duplicates)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
			on conflict (store_id, draft_id) do update
			set offer_id = excluded.offer_id, product_id = excluded.product_id, url = excluded.url,
			title = excluded.title, sent = excluded.sent, visible = excluded.visible, trace = excluded.trace,
			duplicates = excluded.duplicates, updated_at = now()
			returning id, (select l.offer_id from listing l where l.store_id = $1 and l.draft_id = $2)`,
			item.storeID, item.draftID, draft.OfferID, sent.ID, sent.URL, p.Title, stored, p.Visible,
			lowestTrace(draft), further).Scan(&listing, &before)
		if err != nil {
			return err
		}
		if err := remember(ctx, tx, listing, draft); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update publish_item set state = 'published', reason = $3, area = '', updated_at = now()
			where id = $1 and attempt = $2`, item.ItemID, item.Attempt, item.note)
		if err != nil || (before != nil && *before == draft.OfferID) {
			return err
		}
		touched := []int64{draft.OfferID}
		if before != nil {
			touched = append(touched, *before)
		}
		return s.Offers.NotifyOffers(ctx, tx, touched)
	})
}
