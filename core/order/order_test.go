package order_test

import (
	"slices"
	"testing"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/order"
)

func TestTheStateOfAnOrderIsThatOfItsLeastLine(t *testing.T) {
	ours := func(states ...order.PurchaseState) (lines []order.Line) {
		for _, s := range states {
			lines = append(lines, order.Line{Ours: true, Purchase: s})
		}
		return lines
	}
	paid := order.Line{Ours: true, Purchase: order.Paid}
	for name, c := range map[string]struct {
		lines     []order.Line
		cancelled bool
		want      order.State
	}{
		"nothing is ours":                      {[]order.Line{{}, {}}, false, order.NotOurs},
		"nothing is bought":                    {ours("", ""), false, order.ToBuy},
		"one of two is bought":                 {ours(order.Paid, ""), false, order.ToBuy},
		"a line that is not ours holds nobody": {append(ours(order.Delivered), order.Line{}), false, order.Arrived},
		"one was refused":                      {ours(order.Paid, order.Refused), false, order.Problem},
		"on its way to the source":             {ours(order.Sending, order.Paid), false, order.Buying},
		"on a sheet that nobody has sent":      {ours(order.ToSend, order.Placed), false, order.SendSheet},
		"not known":                            {ours(order.Unknown), false, order.Buying},
		"one waits to be paid":                 {ours(order.Placed, order.Shipped), false, order.ToPay},
		"shipped, and there":                   {ours(order.Shipped, order.Delivered), false, order.InTransit},
		"cancelled before it was bought":       {ours("", ""), true, order.Void},
		"cancelled after":                      {ours(order.Placed), true, order.Problem},
		"cancelled once it is there":           {ours(order.Delivered), true, order.Arrived},
		"cancelled, and so was the purchase":   {ours(order.Cancelled), true, order.Void},
		"one is not to be bought":              {[]order.Line{{Ours: true, LeftOut: true}, paid}, false, order.Bought},
		"none is to be bought":                 {[]order.Line{{Ours: true, LeftOut: true}}, false, order.Void},
		"refused, and not to be bought": {[]order.Line{{Ours: true, LeftOut: true, Purchase: order.Refused}}, false,
			order.Void},
		"left out after it was bought": {[]order.Line{{Ours: true, LeftOut: true, Purchase: order.Paid}}, false,
			order.Bought},
		"something is claimed": {[]order.Line{{Ours: true, Claimed: true, Purchase: order.Delivered}, paid}, false,
			order.Problem},
	} {
		t.Run(name, func(t *testing.T) {
			if got := order.StateOf(c.lines, c.cancelled); got != c.want {
				t.Errorf("%s, not %s", got, c.want)
			}
		})
	}
}

func TestAPurchaseNeverGoesBack(t *testing.T) {
	after := func(s order.PurchaseState) int { return slices.Index(order.PurchaseStates, s) }
	known := []order.PurchaseState{order.Placed, order.Paid, order.Shipped, order.Delivered, order.Cancelled}
	for _, a := range known {
		for _, b := range order.PurchaseStates {
			if order.Can(a, b) && after(b) <= after(a) {
				t.Errorf("%s may become %s", a, b)
			}
			if a.Over() && order.Can(a, b) {
				t.Errorf("%s is over, and may become %s", a, b)
			}
		}
	}
	// Whatever is sent may have been sent before: a purchase that is not known is sent again, under its own key.
	if !slices.Contains(order.From(order.Sending), order.Unknown) {
		t.Error("what is not known is not asked about")
	}
}

func TestLinesOfOneSupplierAreOnePurchase(t *testing.T) {
	got := order.Split([]order.Part{{1, 1, 7}, {2, 1, 8}, {3, 1, 7}, {4, 2, 7}})
	if len(got) != 3 || len(got[0]) != 2 || got[0][1].Line != 3 || got[1][0].Line != 2 || got[2][0].Line != 4 {
		t.Errorf("%+v", got)
	}
}

// The handbook's common practice: an item at 42 with delivery at 32 lands at 74; sold at 149.99 it leaves 75.99 before
// fees. With 2.9 % and 0.30 of them, computed by hand, 71.34. What is given back to the customer is lost without its
// tax, and the fees with it: all of it back leaves the cost and the fees as a loss.
func TestProfitIsWhatIsPaidLessCostFeesAndRefunds(t *testing.T) {
	zero := markup.Terms{PaymentFixed: money.Zero(money.MustCurrency("USD"))}
	fees := markup.Terms{PaymentPercent: money.Percent(290), PaymentFixed: money.MustParse("0.30", "USD")}
	taxed := markup.Terms{PaymentFixed: zero.PaymentFixed, Tax: money.Percent(2500)}
	for name, c := range map[string]struct {
		paid, refunded string
		terms          markup.Terms
		want           string
	}{
		"without fees":              {"149.99", "0", zero, "75.99"},
		"with fees":                 {"149.99", "0", fees, "71.34"},
		"a part given back":         {"149.99", "50.00", zero, "25.99"},
		"all given back, with fees": {"149.99", "149.99", fees, "-78.65"},
		"tax is got back":           {"149.99", "50.00", taxed, "5.99"}, // 119.99 - 74 - 40
		"all, with tax":             {"149.99", "149.99", taxed, "-74.00"},
	} {
		t.Run(name, func(t *testing.T) {
			left, err := order.Profit(money.MustParse(c.paid, "USD"), money.MustParse(c.refunded, "USD"),
				money.MustParse("74", "USD"), c.terms)
			if err != nil || left.Decimal() != c.want {
				t.Errorf("%v %v, not %s", left, err, c.want)
			}
		})
	}
}

func TestLate(t *testing.T) {
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	day := func(n int) time.Time { return now.AddDate(0, 0, -n) }
	for name, c := range map[string]struct {
		state        order.State
		placed, news time.Time
		want         string
	}{
		"within the promise":             {order.ToBuy, day(3), day(1), ""},
		"past the promise":               {order.InTransit, day(17), day(1), "promise"},
		"no news for a week":             {order.Bought, day(9), day(8), "quiet"},
		"delivered is never late":        {order.Arrived, day(40), day(30), ""},
		"cancelled by the customer, too": {order.Void, day(40), day(30), ""},
	} {
		t.Run(name, func(t *testing.T) {
			if got := order.Late(c.state, c.placed, c.news, now, 16); got != c.want {
				t.Errorf("%q, not %q", got, c.want)
			}
		})
	}
}

// Twenty countries, with postcodes as each writes them (from memory), beside what the package of address formats says
// that each needs.
func TestWhatAnAddressNeedsByCountry(t *testing.T) {
	for country, c := range map[string]struct{ postcode, region string }{
		"US": {"97205-1234", "OR"}, "CA": {"B3H 1Y4", "NS"}, "GB": {"LS1 4AP", ""}, "DE": {"28203", ""},
		"FR": {"75008", ""}, "SE": {"411 06", ""}, "NL": {"1017 AB", ""}, "IT": {"00184", "RM"},
		"ES": {"28013", "Madrid"}, "AU": {"3000", "VIC"}, "JP": {"150-0001", "Tokyo"}, "BR": {"01310-100", "SP"},
		"PL": {"00-001", ""}, "DK": {"1050", ""}, "FI": {"00100", ""}, "NO": {"0150", ""}, "CH": {"8001", ""},
		"BE": {"1000", ""}, "PT": {"1100-148", ""}, "IN": {"110001", "DL"},
	} {
		t.Run(country, func(t *testing.T) {
			a := order.Address{Name: "Ada Vane", Line1: "1 Quay", City: "Harbour", Region: c.region,
				Postcode: c.postcode,
				Country:  country}
			if faults := order.CheckAddress(a); len(faults) != 0 {
				t.Errorf("a whole address: %+v", faults)
			}
			a.Postcode = ""
			if faults := order.CheckAddress(a); len(faults) != 1 || faults[0].Field != "postcode" {
				t.Errorf("without a postcode: %+v", faults)
			}
			a.Postcode, a.City = "x", ""
			if country == "JP" { // its city stands in the street
				return
			}
			if faults := order.CheckAddress(a); len(faults) < 1 || faults[0].Field != "city" {
				t.Errorf("without a city: %+v", faults)
			}
		})
	}
	if faults := order.CheckAddress(order.Address{Name: "Ada", Line1: "1 Quay", City: "Hong Kong", Region: "Kowloon",
		Country: "HK"}); len(faults) != 0 {
		t.Errorf("a country without postcodes: %+v", faults)
	}
	if faults := order.CheckAddress(order.Address{Name: "さくら", Line1: "1 Quay", City: "Portland", Region: "OR",
		Postcode: "97205", Country: "US"}); len(faults) != 1 || faults[0].Field != "name" {
		t.Errorf("%+v", faults)
	}
}

// Spellings that are proposed: of Ukraine's Cabinet of Ministers, resolution 55 of 2010, of Georgia's national system,
// and Hanyu Pinyin, all from memory; none where a proposal would mislead.
func TestLatinSpellingsAreProposed(t *testing.T) {
	for _, c := range []struct{ name, country, want string }{
		{"Наталія Коваль", "UA", "Nataliia Koval"}, {"ნინო", "GE", "Nino"}, {"王小明", "CN", "Wang Xiao Ming"},
		{"山田太郎", "JP", ""}, {"محمد", "AE", ""}, {"Ελένη", "GR", ""}, {"김철수", "KR", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			for _, f := range order.CheckAddress(order.Address{Name: c.name, Country: c.country}) {
				if f.Field == "name" && f.Latin != c.want {
					t.Errorf("%q", f.Latin)
				}
			}
		})
	}
}

// UPU S10, part on the check digit: RB 123 456 785 GB and RA 473 124 829 GB, from memory.
func TestCheckDigitOfPostalItems(t *testing.T) {
	for number, want := range map[string][2]bool{"RB123456785GB": {true, true}, "ra 473 124 829 gb": {true, true},
		"RB123456784GB": {true, false}, "RB123465785GB": {true, false}, "1Z999AA10123456784": {false, false},
		"": {false, false}, "RB12345678": {false, false}} {
		if is, right := order.ValidS10(number); is != want[0] || right != want[1] {
			t.Errorf("%s: %v %v", number, is, right)
		}
	}
}

func TestSpacesAreTrimmed(t *testing.T) {
	a := order.Address{Name: "  Ada   Vane ", Country: "us"}.Trimmed()
	if a.Name != "Ada Vane" || a.Country != "US" {
		t.Errorf("%+v", a)
	}
}
