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
	{Name: "tracked", To: []string{"US", "DE"}, First: usd("4.20"), Further: usd("1.00"), Transit: Days{7, 12}, Tracked: true},
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
		got, err := Choose(options, Days{1, 3}, c.country, c.promise, same)
		if err != nil || got.Delivery.Name != c.want || got.KeepsPromise != c.kept {
			t.Errorf("%s: %s kept %t, %v", c.name, got.Delivery.Name, got.KeepsPromise, err)
		}
	}
	if _, err := Choose(options[2:3], Days{1, 3}, "DE", 30, same); !errors.Is(err, ErrNotSellable) {
		t.Errorf("nothing goes there: %v", err)
	}
	failing := func(money.Amount) (money.Amount, error) { return money.Amount{}, money.ErrNoRate }
	if _, err := Choose(options, Days{1, 3}, "US", 30, failing); !errors.Is(err, money.ErrNoRate) {
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
	if _, err := (Cost{Item: usd("1"), Shipping: money.MustParse("1", "EUR")}).Total(); !errors.Is(err, money.ErrMixed) {
		t.Errorf("mixed: %v", err)
	}
}
