package pricing_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/pricing"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

func rule(kind, ratio, least, ending string) map[string]any {
	return map[string]any{"conditions": map[string]any{}, "formula": map[string]string{"kind": kind, "ratio": ratio}, "least_profit": map[string]string{"value": least, "currency": "USD"}, "ending": ending}
}

func list(rules ...map[string]any) map[string]any { return map[string]any{"rules": rules} }

func TestTheEffectIsSeenAndThenApplied(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	draft := w.Take(w.Offer(0), w.Offer(1))[0]
	at := fmt.Sprintf("/api/stores/%d/markup", store.ID)
	var inForce pricing.MarkupRules
	w.Owner.Must("GET", at, nil, &inForce)
	if len(inForce.Rules) != 1 || inForce.Rules[0].Formula != (markup.Formula{Kind: markup.Multiple, Ratio: 2 * money.One}) || inForce.Endings[1] != ".99" {
		t.Fatalf("the rule to start from: %+v", inForce)
	}
	prices := func() (all []string) {
		var d workbench.Draft
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", draft, store.ID), nil, &d)
		for _, v := range d.Variants {
			all = append(all, v.Ladder.Price.String())
		}
		return all
	}
	before := prices()
	var same, up pricing.Effect
	w.Owner.Must("POST", at+"/effect", list(rule("multiple", "2", "3.00", ".99")), &same)
	if same.Rise+same.Fall != 0 || same.Variants < 2 || len(same.Before) != same.Variants {
		t.Errorf("the rule in force moves prices: %+v", same)
	}
	w.Owner.Must("POST", at+"/effect", list(rule("percent", "2", "3.00", ".99")), &up)
	if up.Rise != up.Variants || up.Fall != 0 || len(up.Moves) == 0 || up.Moves[0].Then.Price.Minor() <= up.Moves[0].Now.Minor() {
		t.Errorf("landed plus 200 %% is three times: %+v", up)
	}
	if fmt.Sprint(prices()) != fmt.Sprint(before) {
		t.Error("looking at the effect changed prices")
	}
	body := list(rule("percent", "2", "3.00", ".99"))
	body["revision"] = inForce.Revision
	w.Owner.Must("PUT", at, body, nil)
	if after := prices(); after[0] != up.Moves[len(up.Moves)-1].Then.Price.String() && fmt.Sprint(after) == fmt.Sprint(before) {
		t.Errorf("applied, but prices stand at %v", after)
	}
	if problem := w.Owner.Ask("PUT", at, body, nil); problem == nil || problem.Status != 409 || !strings.Contains(problem.Detail, "Somebody changed the markup meanwhile") {
		t.Errorf("the second to apply was not told: %+v", problem)
	}
	var act string
	if err := w.App.Pool.QueryRow(t.Context(), `select member_name || ' ' || act from audit_entry where act = 'changed markup' and before is not null and after is not null`).Scan(&act); err != nil || act != "Olga changed markup" {
		t.Errorf("the audit trail says %q, %v", act, err)
	}
}

func TestTypedPricesAreLeftAlone(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID)
	var d workbench.Draft
	w.Owner.Must("GET", path, nil, &d)
	w.Owner.Must("PATCH", path, map[string]any{"revision": d.Revision, "prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "1.00"}}}, nil)
	var e pricing.Effect
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/markup/effect", store.ID), list(rule("multiple", "4", "0.00", "none")), &e)
	if e.Typed != 1 || e.Rise != e.Variants-1 || e.Lose != 1 {
		t.Errorf("%+v", e)
	}
}

func TestRulesThatCannotBe(t *testing.T) {
	w := testkit.Start(t)
	store := w.ConnectStore()
	euros := rule("multiple", "2", "3.00", ".99")
	euros["least_profit"] = map[string]string{"value": "3.00", "currency": "EUR"}
	for field, c := range map[string]struct {
		rule  map[string]any
		words string
	}{
		"ratio":        {rule("multiple", "0.9", "3.00", ".99"), "sells below what the item lands for"},
		"least_profit": {euros, "must be in the store's currency, USD"},
		"ending":       {rule("multiple", "2", "3.00", ".97"), "cannot end in"},
		"formula":      {rule("guess", "2", "3.00", ".99"), "choose percent or multiple"},
	} {
		problem := w.Owner.Ask("POST", fmt.Sprintf("/api/stores/%d/markup/effect", store.ID), list(c.rule), nil)
		if problem == nil || problem.Status != 422 || problem.Field() != field || !strings.Contains(problem.Detail, c.words) {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	if problem := w.Owner.Ask("POST", "/api/stores/1/markup/effect", list(rule("multiple", "two", "3.00", ".99")), nil); problem == nil || problem.Status < 400 || problem.Status > 422 {
		t.Errorf("a ratio that is no number: %+v", problem)
	}
}

func TestRates(t *testing.T) {
	w := testkit.Start(t)
	var table pricing.RateTable
	w.Owner.Must("GET", "/api/rates", nil, &table)
	if table.Base.String() != "EUR" || table.Stale || len(table.Rates) != 10 || table.Day != time.Now().UTC().Format(time.DateOnly) {
		t.Errorf("%+v", table)
	}
	w.App.Pricing.Now = func() time.Time { return time.Now().Add(6 * 24 * time.Hour) }
	w.Owner.Must("GET", "/api/rates", nil, &table)
	if !table.Stale {
		t.Error("six days on, the rates are not too old")
	}
}

func TestWithoutARateThereIsNoPrice(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	if _, err := w.App.Pool.Exec(t.Context(), `delete from rate_day`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Catalog.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	priced, without := 0, 0
	for _, o := range w.Search(fmt.Sprintf("store=%d&limit=200", store.ID)).Offers {
		switch {
		case o.Ladder != nil:
			priced++
		case strings.Contains(o.NoPrice, "exchange rate"):
			without++
		}
	}
	if priced == 0 || without == 0 {
		t.Errorf("%d in the store's own currency are priced, %d in others say why not", priced, without)
	}
}
