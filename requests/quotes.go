package requests

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
	"plainpelican/sources"
)

// Quote is a supplier's answer, with what it would land for and earn in a store.
type Quote struct {
	ID           int64           `json:"id"`
	Source       string          `json:"source"`
	Supplier     string          `json:"supplier"`
	Verified     bool            `json:"verified"`
	ShipsFrom    string          `json:"ships_from"`
	Title        string          `json:"title"`
	Pictures     []string        `json:"pictures"`
	Options      []string        `json:"options" doc:"Names of what varies"`
	Variants     int             `json:"variants"`
	Cheapest     money.Amount    `json:"cheapest" doc:"Cost of the cheapest variant"`
	Dearest      money.Amount    `json:"dearest"`
	OverTarget   *money.Amount   `json:"over_target" doc:"Cheapest less target cost; null where not known"`
	Stock        *int            `json:"stock" doc:"Null where it is not known"`
	Days         *pricing.Days   `json:"days" doc:"Door to door, by the delivery that the price assumes"`
	Delivery     string          `json:"delivery"`
	Ladder       *pricing.Ladder `json:"ladder" doc:"Of the cheapest variant; null where there is no price"`
	NoPrice      string          `json:"no_price"`
	Rating       string          `json:"rating" doc:"Empty where it is not known"`
	OnTime       *int            `json:"on_time" doc:"Percent; null where it is not known"`
	ReturnDays   *int            `json:"return_days" doc:"Null where it is not known"`
	Comment      string          `json:"comment"`
	ReceivedAt   time.Time       `json:"received_at"`
	ValidThrough time.Time       `json:"valid_through"`
	Expired      bool            `json:"expired"`
	TakenBy      string          `json:"taken_by"`
	OfferID      int64           `json:"offer_id" doc:"The offer that it became; 0 where it is not in the catalog yet"`
}

// InFull is a request with its quotes, those that land for the least first.
type InFull struct {
	QuoteRequest
	Offers []Quote `json:"offers"`
}

// InFull reads a request with its quotes, priced by a store's rules for the request's market.
func (s *Service) InFull(ctx context.Context, id, storeID int64) (InFull, error) {
	r, err := s.one(ctx, id)
	if err != nil {
		return InFull{}, err
	}
	out := InFull{QuoteRequest: r, Offers: []Quote{}}
	var pricer *pricing.Pricer
	if storeID != 0 {
		if pricer, err = s.Pricing.Pricer(ctx, storeID); err != nil {
			return out, err
		}
		pricer.MoneyRules.Market = r.Market
	}
	rows, err := s.Pool.Query(ctx, `
		select q.id, x.name, q.offer, q.comment, q.received_at, q.valid_through, q.valid_through < now(), q.taken_by,
		coalesce(o.id, 0)
		from quote q join facts.source x on x.id = q.source_id left join facts.offer o on o.source_id = q.source_id
		and o.number = q.offer_number and q.offer_number <> ''
		where q.request_id = $1 order by q.id`, id)
	if err != nil {
		return out, err
	}
	out.Offers, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (q Quote, err error) {
		var raw []byte
		if err = row.Scan(&q.ID, &q.Source, &raw, &q.Comment, &q.ReceivedAt, &q.ValidThrough, &q.Expired, &q.TakenBy,
			&q.OfferID); err != nil {
			return q, err
		}
		offer, err := source.ParseOffer(raw)
		if err != nil {
			return q, fmt.Errorf("quote %d: %w", q.ID, err)
		}
		q.read(&offer, pricer, r.Target)
		return q, nil
	})
	slices.SortStableFunc(out.Offers, func(a, b Quote) int { return cmp.Compare(a.lands(), b.lands()) })
	return out, err
}

// lands is what it is ordered by: those without a price come last.
func (q *Quote) lands() int64 {
	if q.Ladder == nil {
		return 1 << 62
	}
	return q.Ladder.Landed.Minor()
}

func (q *Quote) read(o *source.Offer, p *pricing.Pricer, target *money.Amount) {
	q.Supplier, q.Verified, q.ShipsFrom, q.OnTime = o.Supplier.Name, o.Supplier.Verified, o.Supplier.Country,
		o.Supplier.OnTime
	q.Title, q.Rating, q.ReturnDays, q.Variants = o.Title, apikit.Tenths(o.Supplier.Rating), o.ReturnDays,
		len(o.Variants)
	q.Pictures, q.Options = make([]string, len(o.Pictures)), append([]string{}, o.OptionNames...)
	for i := range o.Pictures {
		q.Pictures[i] = "/quotes/" + itoa(q.ID) + "/" + strconv.Itoa(i)
	}
	least := o.Variants[0]
	q.Dearest = least.Cost
	for _, v := range o.Variants {
		if !v.StockUnknown {
			if q.Stock == nil {
				q.Stock = new(int)
			}
			*q.Stock += v.Stock
		}
		if v.Cost.Minor() < least.Cost.Minor() {
			least = v
		}
		if v.Cost.Minor() > q.Dearest.Minor() {
			q.Dearest = v.Cost
		}
	}
	q.Cheapest = least.Cost
	if p == nil {
		return
	}
	if target != nil {
		if cost, err := p.Rates.Convert(least.Cost, target.Currency()); err == nil {
			if over, err := cost.Sub(*target); err == nil {
				q.OverTarget = &over
			}
		}
	}
	quote := p.Quote(&pricing.OfferFacts{Source: q.Source, Supplier: q.Supplier, Category: o.Category, Brand: o.Brand,
		ShipsFrom:  q.ShipsFrom,
		Processing: o.Processing, Deliveries: o.Deliveries, Market: o.Rivals.Prices, MarketCurrency: o.Rivals.Currency})
	ladder, err := quote.Ladder(pricing.Unit{Cost: least.Cost, MinAdvertised: least.MinAdvertised, List: least.List},
		nil, nil)
	if err != nil {
		q.NoPrice = p.ErrorMessage(err)
		return
	}
	q.Ladder, q.Days, q.Delivery = &ladder, quote.Days(o.Processing), quote.Choice.Delivery.Name
}

// Take makes a quote an offer: the source puts it into the catalog, from where it is taken
// in at once, and the request is settled. Taking it again changes nothing.
func (s *Service) Take(ctx context.Context, id int64) error {
	var request, from int64
	var key, number, taken, state, name string
	err := s.Pool.QueryRow(ctx, `
		select q.request_id, q.source_id, a.key::text, q.number, q.taken_by, r.state, r.words from quote q
		join request_source a using (request_id, source_id) join quote_request r on r.id = q.request_id
		where q.id = $1`, id).
		Scan(&request, &from, &key, &number, &taken, &state, &name)
	switch {
	case database.Missing(err):
		return apikit.NotFound("quote")
	case err != nil:
		return err
	case taken != "":
		return nil
	case state == "withdrawn":
		return apikit.Problem(409, "", "This request was withdrawn. Ask again to get a new quote.")
	}
	session, _, address, err := s.Sources.Open(ctx, from)
	if apikit.IsProblem(err) {
		return apikit.Problem(409, "", "Its source is disconnected. Connect it again, then take the quote.")
	}
	if err == nil {
		number, err = session.TakeQuote(ctx, key, number)
	}
	switch {
	case errors.Is(err, source.ErrExpired):
		return apikit.Problem(409, "",
			"The supplier does not stand by this quote any more. Ask again to get a new one.")
	case err != nil:
		return apikit.Problem(502, "", "%s", sources.ErrorMessage(address, err))
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update quote set taken_by = $2, taken_at = now(), offer_number = $3
			where id = $1 and taken_by = ''`, id, access.Who(ctx).Name, number); err != nil {
			return err
		}
		if _, err := s.settle(ctx, tx, request, "settled"); err != nil && !errors.Is(err, errNotOpen) {
			return err
		}
		if err := members.Audit(ctx, tx, "took a quote", name, nil, map[string]string{"offer": number}); err != nil {
			return err
		}
		return s.Sources.ImportChanges(ctx, tx, from)
	})
	if err == nil {
		s.notify(ctx, request)
	}
	return err
}

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/requests", "listRequests", "List what was asked for",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]QuoteRequest], error) {
			return apikit.OK(s.List(ctx, 0))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/requests", "createRequest",
		"Ask suppliers for a product that nobody carries",
		func(ctx context.Context, in *struct{ Body QuoteRequestInput }) (*apikit.Body[Made], error) {
			id, err := s.Make(ctx, in.Body)
			return apikit.OK(Made{id}, err)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/requests/{id}", "getRequest",
		"A request with its quotes beside each other", func(ctx context.Context, in *struct {
			apikit.ByID
			Store int64 `query:"store" doc:"Whose rules price the quotes; 0 for none"`
		}) (*apikit.Body[InFull], error) {
			return apikit.OK(s.InFull(ctx, in.ID, in.Store))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/requests/{id}/withdraw", "withdrawRequest",
		"Withdraw a request", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Withdraw(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/requests/{id}/ask", "askAgain", "Ask for quotes now",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.AskAgain(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/quotes/{id}/take", "takeQuote", "Take a quote as an offer",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Take(ctx, in.ID)
		})
	a.Raw(access.Fulfiller, http.MethodGet, "/quotes/{id}/{index}", s.quotePicture)
	a.Raw(access.Fulfiller, http.MethodGet, "/requests/{id}/picture", s.requestPicture)
}

// Made names the request that was made.
type Made struct {
	ID int64 `json:"id"`
}

// quotePicture serves a picture of a quote, from the address that its offer was read with.
func (s *Service) quotePicture(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	index, err2 := strconv.Atoi(chi.URLParam(r, "index"))
	var raw []byte
	if err == nil && err2 == nil {
		err = s.Pool.QueryRow(r.Context(), `select offer from quote where id = $1`, id).Scan(&raw)
	}
	offer, err3 := source.ParseOffer(raw)
	if err != nil || err2 != nil || err3 != nil || index < 0 || index >= len(offer.Pictures) {
		http.NotFound(w, r)
		return
	}
	hash, content, err := s.Pictures.PictureAt(r.Context(), offer.Pictures[index])
	s.Pictures.Serve(w, r, hash, content, err)
}

func (s *Service) requestPicture(w http.ResponseWriter, r *http.Request) {
	var hash string
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err == nil {
		err = s.Pool.QueryRow(r.Context(), `select picture from quote_request
			where id = $1 and picture <> ''`, id).Scan(&hash)
	}
	if err != nil {
		http.NotFound(w, r)
		return
	}
	content, err := s.Blobs.Get(hash)
	s.Pictures.Serve(w, r, hash, content, err)
}
