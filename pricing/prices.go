package pricing

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/database"
)

// Drafts is what pricing must know of the workbench.
type Drafts interface {
	// PricingInputs gives drafts in order of id: those of ids, or else up to limit of them after one.
	// Without bare they come with their deliveries and variants, typed prices in the store
	// among them; bare ones have what rules ask about, the ids of variants not chosen, and those of other offers.
	PricingInputs(ctx context.Context, q database.Querier, storeID int64, ids []int64, after int64, limit int,
		bare bool) ([]DraftInput, error)
	// Names says what people call drafts and their variants.
	Names(ctx context.Context, drafts []int64) (map[int64]Name, error)
}

// DraftInput is a draft to be priced.
type DraftInput struct {
	DraftID  int64
	Facts    OfferFacts
	Variants []VariantInput
}

// VariantInput is a draft variant to be priced; ManualPrice is 0 where the rules price it.
type VariantInput struct {
	ID          int64
	Chosen      bool
	Unit        Unit
	ManualPrice int64
	// Facts are those of the offer that it is bought from, where that is not its draft's; nil where it is.
	Facts *OfferFacts
}

// itemOf is what rules ask about a variant of the draft, by its id, where nothing lands anew.
func (d *DraftInput) itemOf(p *Pricer, variant int64) markup.Item {
	for i := range d.Variants {
		if v := &d.Variants[i]; v.ID == variant && v.Facts != nil {
			return p.itemOf(v.Facts)
		}
	}
	return p.itemOf(&d.Facts)
}

// severalOffers tells whether a variant is bought from another offer than the draft's.
func (d *DraftInput) severalOffers() bool {
	return slices.ContainsFunc(d.Variants, func(v VariantInput) bool { return v.Facts != nil })
}

// Name is what people call a draft.
type Name struct {
	Title, Picture string
	Variants       map[int64]string
}

// priceRow is a stored price.
type priceRow struct {
	draft, variant     int64
	price, was         int64
	rule               int32
	flags              int16
	errorText          string
	landedTrace, trace []byte
	// tid is where the row lies, and version its xmin: others where somebody wrote it meanwhile.
	tid     pgtype.TID
	version uint32
	moves   bool // to another price than the stored one
}

const (
	raisedToFloor = 1 << iota
	capped
	overCeiling
	belowFloor
)

func packFlags(m markup.Flags) (bits int16) {
	if m.RaisedToFloor {
		bits |= raisedToFloor
	}
	if m.Capped {
		bits |= capped
	}
	if m.OverCeiling {
		bits |= overCeiling
	}
	if m.BelowFloor {
		bits |= belowFloor
	}
	return bits
}

func unpackFlags(bits int16) markup.Flags {
	return markup.Flags{RaisedToFloor: bits&raisedToFloor != 0, Capped: bits&capped != 0,
		OverCeiling: bits&overCeiling != 0, BelowFloor: bits&belowFloor != 0}
}

// isManual tells whether the price was typed; the rules leave it alone.
func (r *priceRow) isManual() bool { return r.rule == 0 && r.price > 0 }

// equal tells whether another row says the same: the price, what it rests on in amounts,
// and how it came about. An amount that another day's rate converts to the same is the same.
func (r *priceRow) equal(o *priceRow) bool {
	if r.price != o.price || r.was != o.was || r.rule != o.rule || r.flags != o.flags || r.errorText != o.errorText ||
		!bytes.Equal(r.trace, o.trace) {
		return false
	}
	if bytes.Equal(r.landedTrace, o.landedTrace) {
		return true
	}
	var a, b markup.Trace
	if a.ReadCompact(r.landedTrace) != nil || b.ReadCompact(o.landedTrace) != nil || len(a.Steps) != len(b.Steps) {
		return false
	}
	for i := range a.Steps {
		if a.Steps[i].Kind != b.Steps[i].Kind || a.Steps[i].Amount != b.Steps[i].Amount {
			return false
		}
	}
	return true
}

// repricer works prices out one after another, with space that is used again.
type repricer struct {
	// withoutTraces leaves traces out, for prices that are only looked at.
	withoutTraces      bool
	landedTrace, trace markup.Trace
	buffer             []byte
	// result are those of the last price.
	result markup.PriceResult
}

// priceFromOffer lands a variant and prices it.
func (c *repricer) priceFromOffer(q *Quote, draft int64, v *VariantInput) priceRow {
	c.landedTrace.Reset()
	into := &c.landedTrace
	if c.withoutTraces {
		into = nil
	}
	item, err := q.landedItem(v.Unit, into)
	r := priceRow{draft: draft, variant: v.ID}
	if err != nil {
		r.price, r.errorText = v.ManualPrice, q.pricer.ErrorMessage(err)
		return r
	}
	if !c.withoutTraces {
		r.landedTrace = c.landedTrace.AppendCompact(nil, q.pricer.Currency)
	}
	c.price(q.pricer, &item, v.ManualPrice, &r)
	return r
}

// price fills a row's price in, from an item that has landed.
func (c *repricer) price(p *Pricer, item *markup.Item, manual int64, r *priceRow) {
	c.trace.Reset()
	into := &c.trace
	if c.withoutTraces {
		into = nil
	}
	var f markup.PriceResult
	var err error
	if manual > 0 {
		f, err = p.rules.Judge(item, money.New(manual, p.Currency), p.terms, into)
	} else {
		f, err = p.rules.Price(item, p.terms, into)
	}
	c.result = f
	if err != nil {
		r.price, r.errorText = manual, p.ErrorMessage(err)
		return
	}
	r.price, r.was, r.rule, r.flags = f.Price.Minor(), f.Was.Minor(), int32(f.Rule), packFlags(f.Flags)
	if c.withoutTraces {
		return
	}
	begin := len(c.buffer)
	if cap(c.buffer)-begin < 512 {
		c.buffer, begin = make([]byte, 0, 1<<16), 0
	}
	c.buffer = c.trace.AppendCompact(c.buffer, p.Currency)
	r.trace = c.buffer[begin:len(c.buffer):len(c.buffer)]
}

// priceFromStored prices a stored row by other rules, from what it landed for.
func (c *repricer) priceFromStored(p *Pricer, item *markup.Item, old *priceRow) priceRow {
	r := priceRow{draft: old.draft, variant: old.variant, landedTrace: old.landedTrace, tid: old.tid,
		version: old.version}
	manual := int64(0)
	if old.isManual() {
		manual = old.price
	}
	if len(old.landedTrace) == 0 { // it never landed, and no rule changes that
		r.price, r.errorText = manual, old.errorText
		return r
	}
	if err := item.SetLandedFrom(old.landedTrace, p.Currency); err != nil {
		r.price, r.errorText = manual,
			"How it landed cannot be read any more; it is worked out again with the next rates."
		return r
	}
	c.price(p, item, manual, &r)
	return r
}

// PriceDrafts works out what drafts sell for in every connected store and keeps it, as part
// of a change to them. A change of money rules waits until that is done, or goes before.
func (s *Service) PriceDrafts(ctx context.Context, tx pgx.Tx, ids []int64) error {
	list, err := s.Stores.Connected(ctx, tx)
	if err != nil {
		return err
	}
	for _, id := range list {
		if err := database.LockOneShared(ctx, tx, database.LockMoneyRules, id); err != nil {
			return err
		}
		b, err := s.pricersOf(ctx, tx, id)
		if err != nil {
			return err
		}
		inputs, err := s.Drafts.PricingInputs(ctx, tx, id, ids, 0, 0, false)
		if err != nil {
			return err
		}
		var c repricer
		var rows []priceRow
		for i := range inputs {
			quotes := b.of(inputs[i].DraftID).Quotes(&inputs[i].Facts)
			for j := range inputs[i].Variants {
				v := &inputs[i].Variants[j]
				rows = append(rows, c.priceFromOffer(quotes.Of(v.Facts), inputs[i].DraftID, v))
			}
		}
		if err := upsertPrices(ctx, tx, id, rows); err != nil {
			return err
		}
		if err := s.Listings.PricesMoved(ctx, tx, id, ids); err != nil {
			return err
		}
	}
	return nil
}

// ForgetUnsold forgets the prices of a draft's variants that its supplier does not sell.
func (s *Service) ForgetUnsold(ctx context.Context, tx pgx.Tx, draft int64) error {
	_, err := tx.Exec(ctx, `delete from price where draft_id = $1 and draft_variant_id in (select id
		from facts.draft_variant
		where draft_id = $1 and offer_variant_id is null)`, draft)
	return err
}

// columnsOf are the values of rows, column by column.
func columnsOf(rows []priceRow) []any {
	n := len(rows)
	draft, variant, price, was := make([]int64, n), make([]int64, n), make([]int64, n), make([]int64, n)
	rule, marks, reason, landed, trace := make([]int32, n), make([]int16, n), make([]string, n), make([][]byte, n),
		make([][]byte, n)
	for i := range rows {
		r := &rows[i]
		draft[i], variant[i], price[i], was[i], rule[i], marks[i], reason[i] = r.draft, r.variant, r.price, r.was,
			r.rule, r.flags, r.errorText
		landed[i], trace[i] = orEmpty(r.landedTrace), orEmpty(r.trace)
	}
	return []any{draft, variant, price, was, rule, marks, reason, landed, trace}
}

func orEmpty(b []byte) []byte {
	if b == nil {
		return []byte{}
	}
	return b
}

func upsertPrices(ctx context.Context, q database.Querier, storeID int64, rows []priceRow) error {
	if len(rows) == 0 {
		return nil
	}
	_, err := q.Exec(ctx, `
		insert into price as p (store_id, draft_id, draft_variant_id, price, was, rule, flags, error, landed_trace,
		trace)
		select $1, * from unnest($2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[], $6::int[], $7::smallint[],
		$8::text[], $9::bytea[], $10::bytea[])
		on conflict (store_id, draft_id, draft_variant_id) do update
		set price = excluded.price, was = excluded.was, rule = excluded.rule, flags = excluded.flags,
			error = excluded.error, landed_trace = excluded.landed_trace, trace = excluded.trace
		where (p.price, p.was, p.rule, p.flags, p.error, p.landed_trace, p.trace) is distinct
		from (excluded.price, excluded.was, excluded.rule, excluded.flags, excluded.error, excluded.landed_trace,
		excluded.trace)`,
		append([]any{storeID}, columnsOf(rows)...)...)
	if err != nil {
		return fmt.Errorf("keeping prices: %w", err)
	}
	return nil
}

// StoredPrice is a stored price as people see it.
type StoredPrice struct {
	// Ladder is nil where there is no price; Trouble says why.
	Ladder *Ladder
	Error  string
	Manual bool
	Trace  []markup.TraceLine
}

// StoredPrices reads what drafts sell for in a store, by draft variant.
func (s *Service) StoredPrices(ctx context.Context, q database.Querier, p *Pricer, drafts []int64,
	traced bool) (map[int64]StoredPrice, error) {
	rows, err := s.rows(ctx, q, `where store_id = $1 and ($2::bigint[] is null
		or draft_id = any ($2))`, p.StoreID, drafts)
	if err != nil {
		return nil, err
	}
	b, err := s.pricersOf(ctx, q, p.StoreID)
	if err != nil {
		return nil, err
	}
	out := make(map[int64]StoredPrice, len(rows))
	for i := range rows {
		r := &rows[i]
		out[r.variant] = r.kept(b.of(r.draft), traced)
	}
	return out, nil
}

func (r *priceRow) kept(p *Pricer, traced bool) StoredPrice {
	k := StoredPrice{Error: r.errorText, Manual: r.isManual(), Trace: []markup.TraceLine{}}
	if r.errorText != "" || r.price == 0 {
		return k
	}
	var t markup.Trace
	if err := errors.Join(t.ReadCompact(r.landedTrace), t.ReadCompact(r.trace)); err != nil {
		k.Error = "Its price cannot be read any more; it is worked out again with the next rates."
		return k
	}
	f, cost, err := r.figures(p, &t)
	if err != nil {
		k.Error = p.ErrorMessage(err)
		return k
	}
	ladder := p.ladder(cost, f, p.Currency)
	k.Ladder = &ladder
	if traced {
		k.Trace = t.Lines()
	}
	return k
}

// figures are what a stored price leaves, by the fees it was priced with.
func (r *priceRow) figures(p *Pricer, landed *markup.Trace) (markup.PriceResult, landed.Cost, error) {
	cost := landed.Cost()
	total, err := cost.Total()
	if err != nil {
		return markup.PriceResult{}, cost, err
	}
	f, err := markup.Judge(total, money.New(r.price, p.Currency), p.terms)
	if r.was > 0 {
		f.Was = money.New(r.was, p.Currency)
	}
	f.Rule, f.Flags = int(r.rule), unpackFlags(r.flags)
	return f, cost, err
}

// rows reads stored prices in order of draft and variant.
func (s *Service) rows(ctx context.Context, q database.Querier, where string, args ...any) ([]priceRow, error) {
	var list []priceRow
	err := eachRow(ctx, q, true, where, func(r *priceRow) {
		kept := *r
		kept.landedTrace, kept.trace = bytes.Clone(r.landedTrace), bytes.Clone(r.trace)
		list = append(list, kept)
	}, args...)
	return list, err
}

// eachRow goes through stored prices in order of draft and variant. A row and its bytes
// are good until the function returns. Not whole, it lacks was price, marks and trace.
func eachRow(ctx context.Context, q database.Querier, whole bool, where string, do func(*priceRow), args ...any) error {
	columns := `draft_id, draft_variant_id, price, rule, error, landed_trace`
	if whole {
		columns += `, was, flags, trace, xmin, ctid`
	}
	found, err := q.Query(ctx, `select `+columns+` from price `+where+` order by draft_id, draft_variant_id`, args...)
	if err != nil {
		return err
	}
	defer found.Close()
	var r priceRow
	for found.Next() {
		v := found.RawValues() // in the binary format, which all of these types have
		r.draft, r.variant, r.price, r.rule = int64(binary.BigEndian.Uint64(v[0])),
			int64(binary.BigEndian.Uint64(v[1])), int64(binary.BigEndian.Uint64(v[2])),
			int32(binary.BigEndian.Uint32(v[3]))
		r.errorText, r.landedTrace = "", v[5]
		if len(v[4]) > 0 {
			r.errorText = string(v[4])
		}
		if whole {
			r.was, r.flags, r.trace, r.version = int64(binary.BigEndian.Uint64(v[6])),
				int16(binary.BigEndian.Uint16(v[7])), v[8], binary.BigEndian.Uint32(v[9])
			r.tid = pgtype.TID{BlockNumber: binary.BigEndian.Uint32(v[10]),
				OffsetNumber: binary.BigEndian.Uint16(v[10][4:]), Valid: true}
		}
		do(&r)
	}
	return found.Err()
}
