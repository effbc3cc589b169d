package landed

import (
	"errors"
	"testing"

	"plainpelican/core/money"
)

func usd(text string) money.Amount { return money.MustParse(text, "USD") }

func same(a money.Amount) (money.Amount, error) { return a, nil }

var options = []Delivery{
	{Name: "post", To: []string{"*"}, First: usd("2.00"), Further: usd("0.50"), Transit: Days{14, 25}},
	{Name: "tracked", To: []string{"US", "DE"}, First: usd("4.20"), Further: usd("1.00"), Transit: Days{7, 12},
		Tracked: true},
	{Name: "express", To: []string{"US"}, First: usd("9.00"), Further: usd("4.00"), Transit: Days{3, 5}, Tracked: true},
	{Name: "tracked too", To: []string{"US"}, First: usd("4.20"), Further: usd("1.00"), Transit: Days{6, 10}},
}

func TestChoosingADelivery(t *testing.T) {
	for _, c := range []struct {
		name, country string
		promise       int
		want          string
		kept          bool
	}{
		{"the cheapest that keeps it", "DE", 16, "tracked", true},
		{"a tie goes to the faster", "US", 16, "tracked too", true},
		{"a loose promise takes the post", "US", 30, "post", true},
		{"a tight one the express", "US", 8, "express", true},
		{"the upper end counts", "DE", 15, "tracked", true},
		{"one day less and it is late", "DE", 14, "tracked", false},
		{"only the post goes there", "BR", 16, "post", false},
	} {
		got, err := Choose(options, Days{1, 3}, c.country, c.promise, UsualPolicy, same)
		if err != nil || got.Delivery.Name != c.want || got.KeepsPromise != c.kept {
			t.Errorf("%s: %s kept %t, %v", c.name, got.Delivery.Name, got.KeepsPromise, err)
		}
	}
	if _, err := Choose(options[2:3], Days{1, 3}, "DE", 30, UsualPolicy, same); !errors.Is(err, ErrNotSellable) {
		t.Errorf("nothing goes there: %v", err)
	}
	failing := func(money.Amount) (money.Amount, error) { return money.Amount{}, money.ErrNoRate }
	if _, err := Choose(options, Days{1, 3}, "US", 30, UsualPolicy, failing); !errors.Is(err, money.ErrNoRate) {
		t.Errorf("charges that cannot be compared: %v", err)
	}
}

func TestShippingAndDays(t *testing.T) {
	for quantity, want := range map[int64]string{1: "4.20", 2: "5.20", 10: "13.20"} {
		if got, err := options[1].Shipping(quantity); err != nil || got.Decimal() != want {
			t.Errorf("%d units: %s %v", quantity, got, err)
		}
	}
	if _, err := options[1].Shipping(0); err == nil {
		t.Error("a parcel of nothing was charged")
	}
	if got := (Days{1, 3}).Plus(Days{7, 12}); got != (Days{8, 15}) {
		t.Errorf("door to door is %v", got)
	}
}

func TestTotal(t *testing.T) {
	all := Cost{usd("6.40"), usd("0.50"), usd("4.20"), usd("1.10")}
	if got, err := all.Total(); err != nil || got.Decimal() != "12.20" {
		t.Errorf("%s %v", got, err)
	}
	if _, err := (Cost{Item: usd("1"), Shipping: money.MustParse("1", "EUR")}).
		Total(); !errors.Is(err, money.ErrMixed) {
		t.Errorf("mixed: %v", err)
	}
}

func TestOtherWaysOfChoosing(t *testing.T) {
	for _, c := range []struct {
		name, country string
		policy        Policy
		want          string
		fallback      bool
	}{
		{"the fastest", "US", Policy{Way: Fastest, Otherwise: NotSold}, "express", false},
		{"the fastest under a cost", "US", Policy{Way: Fastest, Most: usd("5.00"), Otherwise: NotSold}, "tracked too",
			false},
		{"nothing so cheap, so the cheapest", "US", Policy{Way: Fastest, Most: usd("1.00"), Otherwise: AnyCheapest},
			"post", true},
		{"by name", "DE", Policy{Way: Named, Name: "post", Otherwise: NotSold}, "post", false},
		{"not there, so the fastest", "DE", Policy{Way: Named, Name: "express", Otherwise: AnyFastest}, "tracked",
			true},
		{"none keeps the promise, so the cheapest", "BR", Policy{Way: Cheapest, Otherwise: AnyCheapest}, "post", true},
	} {
		got, err := Choose(options, Days{1, 3}, c.country, 16, c.policy, same)
		if err != nil || got.Delivery.Name != c.want || got.Fallback != c.fallback {
			t.Errorf("%s: %s, fallback %t, %v", c.name, got.Delivery.Name, got.Fallback, err)
		}
	}
	if _, err := Choose(options, Days{1, 3}, "BR", 16, Policy{Way: Cheapest, Otherwise: NotSold}, same); !errors.Is(err,
		ErrNotSellable) {
		t.Errorf("nothing in time and no fallback: %v", err)
	}
	for field, p := range map[string]Policy{
		"way": {Way: AnyFastest, Otherwise: NotSold}, "otherwise": {Way: Cheapest, Otherwise: Cheapest},
		"name": {Way: Named, Otherwise: NotSold},
		"most": {Way: Fastest, Most: money.MustParse("1", "EUR"), Otherwise: NotSold},
	} {
		if got, reason := p.Check(usd("0").Currency()); got != field || reason == "" {
			t.Errorf("%s: %s %q", field, got, reason)
		}
	}
}

// Outside source: Council Directive 2006/112/EC, articles 85 and 86: the base of the import
// tax is the value for customs purposes with the duties due and the transport. Worked by hand:
// goods 100.00 and freight 20.00 are a customs value of 120.00; 5 % duty is 6.00; 19 % tax of
// 126.00 is 23.94.
func TestImportCharges(t *testing.T) {
	m := Import{From: "CN", To: "DE", Threshold: usd("120.00"), Duty: 50_000, Tax: 190_000}
	got, err := m.On(usd("100.00"), usd("20.00"))
	if err != nil || got.Customs != usd("120.00") || got.Duty != usd("6.00") || got.Tax != usd("23.94") {
		t.Errorf("%+v %v", got, err)
	}
	if total, err := got.Total(); err != nil || total != usd("29.94") {
		t.Errorf("%s %v", total, err)
	}
	if got, err := m.On(usd("100.00"), usd("19.99")); err != nil || !got.Duty.IsZero() || !got.Tax.IsZero() {
		t.Errorf("below the threshold: %+v %v", got, err)
	}
	if _, err := m.On(usd("100.00"), money.MustParse("1", "EUR")); !errors.Is(err, money.ErrMixed) {
		t.Errorf("mixed: %v", err)
	}
}

func TestTheMostExactImportEntryHolds(t *testing.T) {
	list := Imports{{From: "*", To: "*", Duty: 1}, {From: "*", To: "DE", Duty: 2}, {From: "CN", To: "*", Duty: 3},
		{From: "CN", To: "DE", Duty: 4}}
	for way, want := range map[[2]string]money.Ratio{{"JP", "US"}: 1, {"JP", "DE"}: 2, {"CN", "US"}: 3,
		{"CN", "DE"}: 4} {
		if got, ok := list.For(way[0], way[1]); !ok || got.Duty != want {
			t.Errorf("%v: %+v", way, got)
		}
	}
	if _, ok := list.For("DE", "DE"); ok {
		t.Error("something is due inside a country")
	}
	if _, ok := list[1:2].For("JP", "US"); ok {
		t.Error("an entry for another country was taken")
	}
	c := usd("0").Currency()
	for _, bad := range []Imports{{{From: "China", To: "DE", Threshold: usd("0")}},
		{{From: "CN", To: "DE", Threshold: money.MustParse("0", "EUR")}},
		{{From: "CN", To: "DE", Threshold: usd("0"), Tax: -1}},
		{{From: "CN", To: "*", Threshold: usd("0")}, {From: "CN", To: "*", Threshold: usd("0")}}} {
		if bad.Check(c) == "" {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// Import tax that is reclaimed is worked out and shown, and no cost; the duty is.
func TestReclaimedImportTax(t *testing.T) {
	m := Import{From: "CN", To: "DE", Threshold: usd("10.00"), Duty: money.Percent(500), Tax: money.Percent(1900),
		Reclaimed: true}
	got, err := m.On(usd("100.00"), usd("20.00"))
	if err != nil {
		t.Fatal(err)
	}
	total, err := got.Total()
	if err != nil || got.Duty != usd("6.00") || got.Tax != usd("23.94") || total != usd("6.00") {
		t.Errorf("%+v, %s in all, %v", got, total, err)
	}
}
