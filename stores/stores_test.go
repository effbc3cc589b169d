package stores_test

import (
	"net/url"
	"strings"
	"testing"

	"plainpelican/standins/fault"
	"plainpelican/stores"
	"plainpelican/testkit"
)

func TestConnectingByApproval(t *testing.T) {
	w := testkit.Start(t)
	s := w.ConnectStore()
	if s.Handle != "saltmarsh-goods" || s.Name != "Saltmarsh Goods" || s.Currency.String() != "USD" ||
		s.TimeZone != "America/New_York" || s.Markets[0] != "US" || s.Limits.Variants != 100 {
		t.Errorf("%+v", s)
	}
	var token []byte
	if err := w.App.Pool.QueryRow(t.Context(), `select token from store`).Scan(&token); err != nil || len(token) < 20 {
		t.Errorf("%d bytes of token, %v", len(token), err)
	}
	if again := w.ConnectStore(); again.ID != s.ID {
		t.Errorf("connecting again made another store: %d", again.ID)
	}
}

func TestRefusingComesBackWithAClearWord(t *testing.T) {
	w := testkit.Start(t)
	back, err := url.QueryUnescape(w.Approve("refuse"))
	if err != nil || back != "/store?error=refused" {
		t.Errorf("%s %v", back, err)
	}
	var list []stores.Store
	w.Owner.Must("GET", "/api/stores", nil, &list)
	if len(list) != 0 {
		t.Errorf("%v", list)
	}
}

func TestTheStateIsChecked(t *testing.T) {
	w := testkit.Start(t)
	var approval stores.Approval
	w.Owner.Must("POST", "/api/stores/connect", map[string]string{"address": w.ShopURL}, &approval)
	at, err := url.Parse(approval.ApproveAt)
	if err != nil {
		t.Fatal(err)
	}
	q := at.Query()
	q.Set("decision", "approve")
	back := w.Owner.Go("POST", w.ShopURL+"/oauth/decide", q)
	forged, err := url.Parse(back)
	if err != nil {
		t.Fatal(err)
	}
	f := forged.Query()
	f.Set("state", "guessed")
	forged.RawQuery = f.Encode()
	if to := w.Owner.Go("GET", forged.String(), nil); !strings.Contains(to, "error=not-begun") {
		t.Errorf("a guessed state led to %s", to)
	}
	if _, err := w.App.Members.Add(t.Context(), "eve@example.com", "Eve", "owner", "a long password"); err != nil {
		t.Fatal(err)
	}
	if to := w.SignIn("eve@example.com", "a long password").Go("GET", back, nil); !strings.Contains(to, "error=") {
		t.Errorf("another member's approval led to %s", to)
	}
	if to := w.Owner.Go("GET", back, nil); !strings.Contains(to, "confirm=") {
		t.Errorf("the right one led to %s", to)
	}
	if to := w.Owner.Go("GET", back, nil); !strings.Contains(to, "error=") {
		t.Errorf("the same once more led to %s", to)
	}
	if to := w.Nobody("").Go("GET", back, nil); to != "" {
		t.Errorf("nobody was led to %s", to)
	}
}

func TestAddressesThatAreNoStore(t *testing.T) {
	w := testkit.Start(t)
	for address, words := range map[string]string{w.BazaarURL: "it is not a store", "127.0.0.1:1": "Nothing answers at",
		"10.0.0.1": "private address", "::": "is not a web address"} {
		problem := w.Owner.Ask("POST", "/api/stores/connect", map[string]string{"address": address}, nil)
		if problem == nil || problem.Field() != "address" || !strings.Contains(problem.Detail, words) {
			t.Errorf("%s: %+v", address, problem)
		}
	}
}

func TestDisconnectingForgetsTheToken(t *testing.T) {
	w := testkit.Start(t)
	s := w.ConnectStore()
	w.Owner.Must("POST", "/api/stores/1/disconnect", nil, nil)
	var token []byte
	if err := w.App.Pool.QueryRow(t.Context(), `select token from store`).Scan(&token); err != nil || token != nil {
		t.Errorf("the token is still here, %v", err)
	}
	// an instance that had worked them out follows within two seconds
	testkit.Until(t, "no prices in a disconnected store", func() bool {
		problem := w.Owner.Ask("GET", "/api/offers?store=1", nil, nil)
		return problem != nil && problem.Status == 404
	})
	if again := w.ConnectStore(); again.ID != s.ID {
		t.Error("it did not come back as the same store")
	}
}

// Mix-up (RFC 9207, section 1): the answer of one store is not taken for another's. Each attempt comes back to an
// address of its own, and a store says who it is.
func TestOneStoresAnswerIsNotTakenForAnothers(t *testing.T) {
	w := testkit.Start(t)
	var mine, other stores.Approval
	w.Owner.Must("POST", "/api/stores/connect", map[string]string{"address": w.ShopURL}, &mine)
	w.Owner.Must("POST", "/api/stores/connect", map[string]string{"address": w.ShopURL}, &other)
	redirect := func(a stores.Approval) string {
		at, err := url.Parse(a.ApproveAt)
		if err != nil {
			t.Fatal(err)
		}
		return at.Query().Get("redirect_uri")
	}
	if redirect(mine) == redirect(other) {
		t.Error("two attempts come back to one address")
	}
	at, err := url.Parse(mine.ApproveAt)
	if err != nil {
		t.Fatal(err)
	}
	q := at.Query()
	q.Set("decision", "approve")
	back, err := url.Parse(w.Owner.Go("POST", w.ShopURL+"/oauth/decide", q))
	if err != nil {
		t.Fatal(err)
	}
	for name, change := range map[string]func(url.Values){"another issuer": func(v url.Values) {
		v.Set("iss", "https://other.example")
	}, "no issuer": func(v url.Values) { v.Del("iss") }} {
		w.Owner.Must("POST", "/api/stores/connect", map[string]string{"address": w.ShopURL}, &mine)
		again, err := url.Parse(mine.ApproveAt)
		if err != nil {
			t.Fatal(err)
		}
		q := again.Query()
		q.Set("decision", "approve")
		to, err := url.Parse(w.Owner.Go("POST", w.ShopURL+"/oauth/decide", q))
		if err != nil {
			t.Fatal(err)
		}
		v := to.Query()
		change(v)
		to.RawQuery = v.Encode()
		if end := w.Owner.Go("GET", to.String(), nil); !strings.Contains(end, "error=issuer") {
			t.Errorf("%s led to %s", name, end)
		}
	}
	back.Path = strings.TrimSuffix(redirect(other), "/")[len(w.URL):]
	if end := w.Owner.Go("GET", back.String(), nil); !strings.Contains(end, "error=not-begun") {
		t.Errorf("an answer at another attempt's address led to %s", end)
	}
}

// The wrong store is not accepted: it is forgotten, there too, and nothing was priced for it.
func TestAStoreIsLookedAtBeforeItIsAccepted(t *testing.T) {
	w := testkit.Start(t)
	back := w.Approve("approve")
	id, waits := strings.CutPrefix(back, "/store?confirm=")
	var list []stores.Store
	var unconfirmed []stores.Unconfirmed
	w.Owner.Must("GET", "/api/stores", nil, &list)
	w.Owner.Must("GET", "/api/stores/unconfirmed", nil, &unconfirmed)
	if !waits || len(list) != 0 || len(unconfirmed) != 1 || unconfirmed[0].Name != "Saltmarsh Goods" ||
		unconfirmed[0].Trouble != "" {
		t.Fatalf("%s %v %+v", back, list, unconfirmed)
	}
	w.Owner.Must("POST", "/api/stores/"+id+"/reject", nil, nil)
	if problem := w.Owner.Ask("POST", "/api/stores/"+id+"/confirm", nil, nil); problem == nil || problem.Status != 404 {
		t.Error(problem)
	}
	if s := w.ConnectStore(); s.Name != "Saltmarsh Goods" || len(s.Missing) != 0 {
		t.Errorf("%+v", s)
	}
}

// A permission that is withdrawn on the store's side is noticed by whatever needs it, and said.
func TestAPermissionThatIsWithdrawn(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	w.Fault(w.ShopURL, fault.Plan{WithdrawPermission: "products:write"})
	run := w.Publish(store.ID, id)
	if run.Failed != 1 || run.Items[0].Area != "store" ||
		!strings.Contains(run.Items[0].Reason, "does not permit this") {
		t.Errorf("%+v", run.Items)
	}
	var list []stores.Store
	w.Owner.Must("GET", "/api/stores", nil, &list)
	if list[0].Problem != stores.ProblemForbidden {
		t.Errorf("%+v", list[0])
	}
	if again := w.ConnectStore(); again.Problem != "" || len(again.Missing) != 1 ||
		again.Missing[0].Name != "products:write" {
		t.Errorf("approved without it: %+v", again)
	}
	w.Fault(w.ShopURL, fault.Plan{})
	if again := w.ConnectStore(); len(again.Missing) != 0 {
		t.Errorf("%+v", again)
	}
	var set stores.Store
	w.Owner.Must("PUT", "/api/stores/1/defaults", map[string]any{"hidden": true, "reserve": 2,
		"collections": []string{"New"}}, &set)
	if !set.Defaults.Hidden || set.Defaults.Reserve != 2 {
		t.Errorf("%+v", set.Defaults)
	}
}
