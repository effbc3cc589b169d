package workbench_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/platform/database"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// Two suppliers in one draft: each variant is bought, priced and asked about where it comes from.
func TestVariantsOfAnotherSupplierAreTakenIn(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	first, second := w.Offer(0), w.Offer(1) // one mug; the second calls its colours A, B and C
	b := take(t, w, store.ID, first)
	d := b.get()
	path := fmt.Sprintf("/api/drafts/%d/combine?store=%d", d.ID, store.ID)
	combine := func(body map[string]any) (out workbench.CombineResult) {
		t.Helper()
		w.Owner.Must("POST", path, body, &out)
		return out
	}
	seen := combine(map[string]any{"offer_id": second})
	if seen.Missing != "" || len(seen.Rows) == 0 || seen.Draft != nil || seen.Offer.Supplier == d.Supplier ||
		len(b.get().Variants) != len(d.Variants) {
		t.Fatalf("%+v", seen)
	}
	take := []map[string]any{}
	for i, r := range seen.Rows {
		if r.As != "add" || r.After.Ladder == nil || r.Same != 0 {
			t.Fatalf("%+v", r)
		}
		if i > 1 {
			take = append(take, map[string]any{"offer_variant_id": r.OfferVariantID, "as": "none"})
		}
	}
	asked := map[string]any{"offer_id": second, "take": take, "base": seen.Base, "apply": true}
	made := combine(asked).Draft
	if len(made.Variants) != len(d.Variants)+2 || made.Supplier != d.Supplier || made.OfferID != first ||
		len(made.Pictures) <= len(d.Pictures) {
		t.Fatalf("%d variants, %d pictures", len(made.Variants), len(made.Pictures))
	}
	for i, v := range made.Variants[len(d.Variants):] {
		row := seen.Rows[i]
		if v.OfferID != second || v.Supplier != seen.Offer.Supplier || v.Ladder == nil || !v.Chosen ||
			v.Ladder.Price != row.After.Ladder.Price || v.Ladder.Landed != row.After.Ladder.Landed ||
			strings.Join(v.Values, " ") != row.Name || v.Picture == "" || v.SKU == v.MadeSKU {
			t.Errorf("%+v, told %+v", v, row)
		}
	}
	for i, v := range made.Variants[:len(d.Variants)] {
		if v.OfferID != first || v.Ladder.Price != d.Variants[i].Ladder.Price || v.MadeSKU != d.Variants[i].MadeSKU {
			t.Errorf("the draft's own became %+v", v)
		}
	}

	t.Run("it goes out, and both sources are asked", func(t *testing.T) {
		ready, err := w.App.Workbench.Ready(t.Context(), d.ID, store.ID, false)
		if err != nil || len(ready.Bought) != 2 || len(ready.Bought[1].Variants) != 2 ||
			ready.Bought[1].OfferID != second {
			t.Errorf("%v %+v", err, ready.Bought)
		}
	})
	t.Run("it is published with both", func(t *testing.T) {
		run := w.Publish(store.ID, d.ID)
		if run.Published != 1 || run.Items[0].Variants != len(d.Variants)+2 {
			t.Errorf("%+v", run)
		}
	})
	t.Run("both offers have the draft", func(t *testing.T) {
		drafts, err := w.App.Workbench.DraftsOf(t.Context(), []int64{first, second})
		if err != nil || len(drafts[first]) != 1 || len(drafts[second]) != 1 {
			t.Error(drafts, err)
		}
	})
	t.Run("what the other costs moves its variants alone", func(t *testing.T) {
		exec := func(sql string, args ...any) {
			if _, err := w.App.Pool.Exec(t.Context(), sql, args...); err != nil {
				t.Fatal(err)
			}
		}
		var source int64
		var since time.Time
		if err := w.App.Pool.QueryRow(t.Context(), `update offer set updated_at = clock_timestamp() where id = $1
			returning source_id, updated_at`, second).Scan(&source, &since); err != nil {
			t.Fatal(err)
		}
		exec(`update offer_variant set cost = cost * 3 where offer_id = $1`, second)
		err := database.InTx(t.Context(), w.App.Pool, func(tx pgx.Tx) error {
			return w.App.Pricing.RepriceChanged(t.Context(), tx, source, since, "a test")
		})
		if err != nil {
			t.Fatal(err)
		}
		if run := w.Repriced(store.ID); run.Seen != 1 {
			t.Errorf("%d drafts looked at", run.Seen)
		}
		now := b.get()
		for i, v := range now.Variants {
			was := made.Variants[i].Ladder.Price.Minor()
			if moved := v.Ladder.Price.Minor() > was; moved != (v.OfferID == second) {
				t.Errorf("%s of %s: %v, was %d", v.Values, v.Supplier, v.Ladder.Price, was)
			}
		}
	})
	t.Run("a rule for the other supplier prices its variants alone", func(t *testing.T) {
		before := b.get()
		rules := w.MoneyRules(store.ID)
		rule := rules.Rules[0]
		rule.ID, rule.Conditions = 99, markup.Conditions{Suppliers: []string{seen.Offer.Supplier}}
		nine, err := money.ParseRatio("9")
		if err != nil {
			t.Fatal(err)
		}
		usd := money.MustCurrency("USD")
		rule.Formula = markup.Flat(markup.Multiple, nine, money.Zero(usd), usd)
		rules.Rules = slices.Insert(rules.Rules, 0, rule)
		w.ApplyRules(store.ID, rules)
		for i, v := range b.get().Variants {
			if moved := v.Ladder.Price != before.Variants[i].Ladder.Price; moved != (v.OfferID == second) {
				t.Errorf("%s of %s: %v, was %v", v.Values, v.Supplier, v.Ladder.Price, before.Variants[i].Ladder.Price)
			}
		}
	})
	t.Run("prices of many rest on what each lands for", func(t *testing.T) {
		err := database.InTx(t.Context(), w.App.Pool, func(tx pgx.Tx) error {
			if _, err := tx.Exec(t.Context(), `update offer set deliveries = (select jsonb_agg(jsonb_set(x,
				'{first,value}', '"99.90"')) from jsonb_array_elements(deliveries) x) where id = $1`,
				second); err != nil {
				return err
			}
			return w.App.Pricing.PriceDrafts(t.Context(), tx, []int64{d.ID})
		})
		if err != nil {
			t.Fatal(err)
		}
		var bulk workbench.BulkPriceResult
		w.Owner.Must("POST", "/api/drafts/prices", map[string]any{"store": store.ID, "drafts": []int64{d.ID},
			"act": "margin", "value": "40", "end": false, "apply": false}, &bulk)
		now := b.get()
		if len(bulk.Lines) != len(now.Variants) {
			t.Fatalf("%d lines", len(bulk.Lines))
		}
		for i, line := range bulk.Lines {
			if v := now.Variants[i]; line.Then == nil || line.Then.Landed != v.Ladder.Landed {
				t.Errorf("%s of %s lands at %v: %+v", v.Values, v.Supplier, v.Ladder.Landed, line)
			}
		}
	})
	t.Run("the same once more is refused in words", func(t *testing.T) {
		asked["base"] = map[string]int{}
		problem := w.Owner.Ask("POST", path, asked, nil)
		if problem == nil || !strings.Contains(problem.Detail, "at least one") {
			t.Error(problem)
		}
	})
	t.Run("its own offer is refused", func(t *testing.T) {
		if problem := w.Owner.Ask("POST", path, map[string]any{"offer_id": first}, nil); problem == nil ||
			problem.Field() != "offer_id" {
			t.Error(problem)
		}
	})
	t.Run("undone and done again", func(t *testing.T) {
		back := b.undo()
		if len(back.Variants) != len(d.Variants) || len(back.Dropped) != 0 || len(back.Pictures) != len(d.Pictures) {
			t.Errorf("%d variants, %d left out", len(back.Variants), len(back.Dropped))
		}
		drafts, err := w.App.Workbench.DraftsOf(t.Context(), []int64{second})
		if err != nil || len(drafts[second]) != 0 {
			t.Error(drafts, err)
		}
		var again workbench.Draft
		w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/redo?store=%d", d.ID, store.ID), nil, &again)
		if len(again.Variants) != len(made.Variants) || again.Variants[len(d.Variants)].Ladder == nil {
			t.Errorf("%+v", again.Variants)
		}
		b.undo()
		if anew := combine(map[string]any{"offer_id": second, "take": take, "apply": true}).Draft; len(anew.Variants) !=
			len(made.Variants) || anew.Variants[len(d.Variants)].ID != made.Variants[len(d.Variants)].ID {
			t.Errorf("%+v", anew.Variants)
		}
	})
	t.Run("the first is swapped, and the other's stay", func(t *testing.T) {
		third := w.Offer(2)
		swap := b.look(map[string]any{"offer_id": third})
		stays := 0
		for _, r := range swap.Rows {
			if r.StaysWith != "" {
				stays++
			}
		}
		if stays != 2 {
			t.Fatalf("%d stay", stays)
		}
		var after workbench.Draft
		var pairs []map[string]int64
		for _, r := range swap.Rows {
			if r.OfferVariantID != 0 {
				pairs = append(pairs, map[string]int64{"variant_id": r.VariantID, "offer_variant_id": r.OfferVariantID})
			}
		}
		if len(pairs) == 0 {
			pairs = append(pairs, map[string]int64{"variant_id": d.Variants[0].ID,
				"offer_variant_id": swap.Choices[0].ID})
		}
		w.Owner.Must("POST", b.swapPath(false), map[string]any{"offer_id": third, "pairs": pairs}, &after)
		kept := 0
		for _, v := range after.Variants {
			if v.OfferID == second && v.Chosen && v.Ladder != nil {
				kept++
			}
		}
		if after.OfferID != third || kept != 2 {
			t.Errorf("%d kept of %+v", kept, after.Variants)
		}
	})
}

func TestAnotherSupplierInstead(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	first, second := w.Offer(0), w.Offer(1)
	b := take(t, w, store.ID, first)
	d := b.get()
	path := fmt.Sprintf("/api/drafts/%d/combine?store=%d", d.ID, store.ID)
	var seen workbench.CombineResult
	w.Owner.Must("POST", path, map[string]any{"offer_id": second}, &seen)
	// The draft's own first value is called as the other calls it: then they are one.
	b.mustEdit(map[string]any{"options": renamed(d.Options, seen.Rows[0].Values)})
	w.Owner.Must("POST", path, map[string]any{"offer_id": second}, &seen)
	at := slices.IndexFunc(seen.Rows, func(r workbench.CombineRow) bool { return r.Same != 0 })
	if at < 0 || seen.Rows[at].As != "none" || seen.Rows[at].Before == nil {
		t.Fatalf("%+v", seen.Rows)
	}
	take := []map[string]any{}
	for i, r := range seen.Rows {
		as := "none"
		if i == at {
			as = "instead"
		}
		take = append(take, map[string]any{"offer_variant_id": r.OfferVariantID, "as": as})
	}
	var made workbench.CombineResult
	w.Owner.Must("POST", path, map[string]any{"offer_id": second, "take": take, "apply": true}, &made)
	if len(made.Draft.Variants) != len(d.Variants) {
		t.Fatalf("%d variants", len(made.Draft.Variants))
	}
	for _, v := range made.Draft.Variants {
		if (v.OfferID == second) != (v.ID == seen.Rows[at].Same) {
			t.Errorf("%s is bought from %s", v.Values, v.Supplier)
		}
	}
	if back := b.undo(); back.Variants[0].OfferID != first {
		t.Errorf("%+v", back.Variants[0])
	}
}

// renamed has the first value of each option called as given.
func renamed(options []variant.Option, values []string) []variant.Option {
	for i := range options {
		if i < len(values) && !slices.ContainsFunc(options[i].Values, func(v variant.Value) bool {
			return strings.EqualFold(v.Name, values[i])
		}) {
			options[i].Values[0].Name = values[i]
		}
	}
	return options
}
