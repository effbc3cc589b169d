package publishing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/core/publish"
	"plainpelican/core/readiness"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/pictures"
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

// Work adds the workers of its jobs.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[ReconcileArgs]) error {
		return s.reconcile(ctx, job.Args.StoreID)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[BeginArgs]) error {
		return s.begin(ctx, job.Args.RunID, publish.Scheduled)
	})
	jobs.Handle(r, func(ctx context.Context, job *river.Job[Args]) error { return s.work(ctx, job.Args, job.Attempt) })
}

// sending is one item while it is sent.
type sending struct {
	Args
	Settings
	runID, storeID, draftID int64
	act                     publish.Act
	tries                   int
	note                    string
	key                     string       // under which the store makes one product
	fence                   int64        // whoever sends it after us has a higher one
	wrote                   bool         // something may have been changed in the store
	duplicates              []store.Sent // further products of the draft that the store has
}

// errOvertaken is that another worker sends the item meanwhile: what it does counts.
var errOvertaken = errors.New("another worker sends this item")

// failure is why an item fails or is left out, for a person, and the part of the draft at fault.
type failure struct {
	area, words string
	leftOut     bool
	refused     bool // the store will not take what was sent
}

func (f *failure) Error() string { return f.words }

// take begins the work on an item: it is being sent from here on, by nobody else.
func (s *Service) take(ctx context.Context, args Args) (item sending, err error) {
	item = sending{Args: args}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `
			update publish_item i set state = 'sending', updated_at = now() from publish_run r
			where i.id = $1 and i.attempt = $2 and i.state = any ($3) and r.id = i.run_id
			returning r.id, r.act, i.store_id, i.draft_id, i.tries`, args.ItemID, args.Attempt,
			publish.From(publish.Sending)).
			Scan(&item.runID, &item.act, &item.storeID, &item.draftID, &item.tries); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `select visible, sell_empty, by_rules, reserve, collections from publish_target
			where run_id = $1 and store_id = $2`, item.runID, item.storeID).Scan(&item.Visible, &item.SellEmpty,
			&item.ByRules, &item.Reserve, &item.Collections); err != nil {
			return err
		}
		return tx.QueryRow(ctx, `insert into publication (store_id, draft_id, fence) values ($1, $2, 1)
			on conflict (store_id, draft_id) do update set fence = publication.fence + 1
			returning key::text, fence`, item.storeID, item.draftID).Scan(&item.key, &item.fence)
	})
	return item, err
}

// work sends one item. It may be started again at any moment: the store knows the draft by
// its reference and the attempt by its key, so nothing is made twice.
func (s *Service) work(ctx context.Context, args Args, tried int) error {
	item, err := s.take(ctx, args)
	if database.Missing(err) {
		return nil // sent, stopped, held or tried again meanwhile
	}
	if err != nil {
		return err
	}
	s.tell(item.runID, item.ItemID)
	err = s.send(ctx, &item)
	if ctx.Err() != nil {
		return ctx.Err() // stopping: another instance goes on with it
	}
	var failed *failure
	switch {
	case err == nil:
	case errors.Is(err, errOvertaken):
		return nil
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
		err = s.fail(ctx, item, &failure{area: string(readiness.Pictures), words: err.Error()})
	case temporary(err):
		err = s.notKnown(ctx, item)
	case tried < maxOwnFailures:
		s.saying(ctx, &item, "Something went wrong on our side; trying again.")
		return err
	default:
		s.Log.Error("publishing an item", "item", item.ItemID, "error", err)
		err = s.fail(ctx, item,
			&failure{words: "Something went wrong on our side. Try again; if it stays, look into the log."})
	}
	if errors.Is(err, errOvertaken) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := s.close(ctx, item.runID); err != nil {
		return err
	}
	s.tell(item.runID, item.ItemID)
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

// move brings an item that is being sent into another state. It returns errOvertaken where another worker sends it.
func (i *sending) move(ctx context.Context, q database.Querier, to publish.State, area, words string) error {
	tag, err := q.Exec(ctx, `update publish_item i set state = $3, reason = $4, area = $5, updated_at = now(),
			tries = tries + case when $3 = 'waiting' then 1 else 0 end
		where id = $1 and attempt = $2 and state = any ($6)
		and exists (select from publication p where p.store_id = $7 and p.draft_id = $8 and p.fence = $9)`,
		i.ItemID, i.Attempt, to, words, area, publish.From(to), i.storeID, i.draftID, i.fence)
	if err == nil && tag.RowsAffected() == 0 {
		return errOvertaken
	}
	return err
}

// mine returns errOvertaken where another worker sends the item meanwhile: then nothing of ours may reach the store.
func (s *Service) mine(ctx context.Context, i *sending) error {
	var fence int64
	err := s.Pool.QueryRow(ctx, `select fence from publication where store_id = $1 and draft_id = $2`, i.storeID,
		i.draftID).Scan(&fence)
	if err == nil && fence != i.fence {
		return errOvertaken
	}
	return err
}

// later puts an item back, saying why, with longer waits each time. In a run that is paused it is held.
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
	if err := item.move(ctx, s.Pool, publish.Waiting, "", words); errors.Is(err, errOvertaken) {
		return nil
	} else if err != nil {
		return err
	}
	tag, err := s.Pool.Exec(ctx, `update publish_item i set state = 'held' from publish_run r
		where i.id = $1 and i.attempt = $2 and i.state = 'waiting' and r.id = i.run_id and r.state = 'paused'`,
		item.ItemID, item.Attempt)
	if err != nil {
		return err
	}
	s.tell(item.runID, item.ItemID)
	if tag.RowsAffected() > 0 {
		return nil
	}
	return river.JobSnooze(wait)
}

func (s *Service) fail(ctx context.Context, item sending, why *failure) error {
	to := publish.Failed
	if why.leftOut {
		to = publish.LeftOut
	}
	return item.move(ctx, s.Pool, to, why.area, why.words)
}

// notKnown ends the tries with a store that does not answer: what was sent may have arrived.
func (s *Service) notKnown(ctx context.Context, item sending) error {
	if !item.wrote {
		return s.fail(ctx, item, &failure{area: "store", words: "The store did not answer after several tries, " +
			"and nothing was sent. Try again later."})
	}
	return item.move(ctx, s.Pool, publish.Unknown, "store",
		"The store did not answer after this was sent. It is asked every few minutes what it has; "+
			"nothing is listed twice.")
}

// saying shows on the run what an item is at.
func (s *Service) saying(ctx context.Context, item *sending, words string) {
	if _, err := s.Pool.Exec(ctx, `update publish_item set reason = $3, updated_at = now()
		where id = $1 and attempt = $2 and state = 'sending'`, item.ItemID, item.Attempt, words); err == nil {
		s.tell(item.runID, item.ItemID)
	}
}

// fenced is a session that writes nothing once another worker sends the item.
type fenced struct {
	store.Session
	s    *Service
	item *sending
}

func (f *fenced) guard(ctx context.Context) error {
	err := f.s.mine(ctx, f.item)
	if err == nil {
		f.item.wrote = true
	}
	return err
}

func (f *fenced) Create(ctx context.Context, key string, p store.Product) (store.Sent, error) {
	if err := f.guard(ctx); err != nil {
		return store.Sent{}, err
	}
	return f.Session.Create(ctx, key, p)
}

func (f *fenced) Update(ctx context.Context, id string, p store.Product, fields []string) (store.Sent, error) {
	if err := f.guard(ctx); err != nil {
		return store.Sent{}, err
	}
	return f.Session.Update(ctx, id, p, fields)
}

func (f *fenced) Remove(ctx context.Context, id string) error {
	if err := f.guard(ctx); err != nil {
		return err
	}
	return f.Session.Remove(ctx, id)
}

// send does the work of one item. A *failure is final until a person does something.
func (s *Service) send(ctx context.Context, item *sending) error {
	opened, err := s.Stores.Open(ctx, item.storeID)
	if errors.Is(err, secrets.ErrSealed) {
		return &failure{area: "store", words: "The store's approval cannot be read any more. Connect the store again."}
	}
	if err != nil {
		return asFailure(err)
	}
	opened.OnWait(func(wait time.Duration) {
		s.saying(ctx, item, fmt.Sprintf("The store asks us to slow down; waiting %d s.", int(wait.Seconds())+1))
	})
	session := &fenced{opened, s, item}
	if item.act != publish.Publish {
		return asFailure(s.alter(ctx, item, session))
	}
	draft, err := s.Drafts.Ready(ctx, item.draftID, item.storeID, item.ByRules)
	if err != nil {
		return asFailure(err)
	}
	if err := s.check(ctx, item, draft); err != nil {
		return err
	}
	product, err := s.product(ctx, item, session, draft)
	if err != nil {
		return asFailure(err)
	}
	sent, end, err := s.put(ctx, item, session, draft, product)
	var refused *store.Refused
	if errors.As(err, &refused) && refused.Field == store.FieldPictures {
		// It may have forgotten pictures that were sent before: they are sent once more.
		if forgot, e := s.forgetPictures(ctx, item.storeID, product.Pictures); e != nil {
			return e
		} else if forgot {
			if product, err = s.product(ctx, item, session, draft); err == nil {
				sent, end, err = s.put(ctx, item, session, draft, product)
			}
		}
	}
	if err != nil {
		return asFailure(err)
	}
	return s.list(ctx, item, draft, product, sent, end)
}

// asFailure makes final what trying again by itself would not mend.
func asFailure(err error) error {
	if why := refusal(err); why != nil {
		return why
	}
	if apikit.IsProblem(err) {
		return &failure{words: err.Error()}
	}
	return err
}

// refusal is that the store takes something not, lets us in no longer, or does not permit it; nil for other errors.
func refusal(err error) *failure {
	var refused *store.Refused
	switch {
	case errors.As(err, &refused):
		area := map[string]string{"title": "description", "description_html": "description", "options": "variants",
			"variants": "variants", "pictures": "pictures", "picture": "pictures"}[refused.Field]
		return &failure{area: area, words: "The store refused it: " + refused.Message, refused: true}
	case errors.Is(err, store.ErrDisapproved):
		return &failure{area: "store", words: "The store no longer lets us in. Connect it again, then try again."}
	case errors.Is(err, store.ErrForbidden):
		return &failure{area: "store", words: "The store does not permit this any more. Ask for its permission again " +
			"on its page, then try again."}
	}
	return nil
}

// check asks first what would stop the draft here, then whether it is still sold.
func (s *Service) check(ctx context.Context, item *sending, draft workbench.Ready) error {
	for _, f := range draft.Report.Findings {
		if f.Stops {
			return &failure{area: string(f.Area), words: f.Words, leftOut: true}
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
		return &failure{area: string(readiness.Variants), leftOut: true, words: fmt.Sprintf(
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

// put changes what the store has of the draft where it is another, or creates it under a key that stays the same until
// a listing is recorded: whoever sends it, and however often, the store makes one product.
func (s *Service) put(ctx context.Context, item *sending, session store.Session, draft workbench.Ready,
	p store.Product) (store.Sent, publish.State, error) {
	there, err := session.Find(ctx, draft.Reference)
	if err != nil {
		return store.Sent{}, "", err
	}
	var known string
	if err := s.Pool.QueryRow(ctx, `select product_id from listing
		where store_id = $1 and draft_id = $2 and ended_at is null`, item.storeID, item.draftID).
		Scan(&known); err != nil && !database.Missing(err) {
		return store.Sent{}, "", err
	}
	slices.SortStableFunc(there, func(a, b store.Found) int {
		return cmp.Compare(rank(a.Sent, known), rank(b.Sent, known))
	})
	for i, product := range there {
		end := publish.Changed
		if known == "" {
			end = publish.Published // made by an attempt whose answer was lost, or before it was connected here
		}
		fields := store.FieldsOf(store.Differences(p, product.Product, true))
		sent := product.Sent
		if len(fields) == 0 {
			if known != "" {
				end = publish.Unchanged
			}
		} else if sent, err = session.Update(ctx, product.Sent.ID, p, fields); errors.Is(err, store.ErrGone) {
			continue // taken out of the store a moment ago
		}
		for _, more := range there[i+1:] {
			item.duplicates = append(item.duplicates, more.Sent)
		}
		return sent, end, err
	}
	sent, err := session.Create(ctx, item.key, p)
	return sent, publish.Published, err
}

// rank puts the product that a listing knows first.
func rank(p store.Sent, known string) int {
	if p.ID == known {
		return 0
	}
	return 1
}
