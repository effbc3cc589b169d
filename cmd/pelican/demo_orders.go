package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"time"

	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/publishing"
	"plainpelican/search"
	"plainpelican/stores"
)

// demoOwner works in the demo as its owner does, through the application's own address.
type demoOwner struct {
	ctx    context.Context
	client *http.Client
	url    string
}

// ask makes a request and reads the answer.
func (o *demoOwner) ask(method, path string, body, into any) error {
	var content bytes.Buffer
	if body != nil {
		if err := json.NewEncoder(&content).Encode(body); err != nil {
			return err
		}
	}
	r, err := http.NewRequestWithContext(o.ctx, method, o.url+path, &content)
	if err != nil {
		return err
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	answer, err := o.client.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }()
	said, err := io.ReadAll(answer.Body)
	if err != nil {
		return err
	}
	if answer.StatusCode >= 400 {
		return fmt.Errorf("%s %s: %s %s", method, path, answer.Status, said)
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(said, into)
}

// until waits for something that background work brings about.
func (o *demoOwner) until(what string, done func() (bool, error)) error {
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); {
		if is, err := done(); err != nil || is {
			return err
		}
		select {
		case <-o.ctx.Done():
			return o.ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	return fmt.Errorf("waited in vain: %s", what)
}

// soldAtFirst is how many offers the demo's second store sells from the start, boughtAtFirst how many orders it has.
const soldAtFirst, boughtAtFirst = 6, 8

// startOrders connects the demo's second store, sells a few things in it, and leaves orders of customers in different
// states: some to buy, to pay and on their way, and one that its supplier cancelled. It is done once.
func (d *demonstration) startOrders(ctx context.Context) error {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	o := &demoOwner{ctx: ctx, url: "http://" + d.address(0), client: &http.Client{Jar: jar, Timeout: 20 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	if err := o.ask("POST", "/api/session", map[string]string{"email": demoMembers[0].email,
		"password": demoMembers[0].password}, nil); err != nil {
		return err
	}
	var connected []stores.Store
	if err := o.ask("GET", "/api/stores", nil, &connected); err != nil || len(connected) > 0 {
		return err
	}
	store, err := o.connect("http://" + d.address(3))
	if err != nil {
		return err
	}
	if err := o.sell(store); err != nil {
		return err
	}
	return o.fulfil("http://"+d.address(3), d.cancelled)
}

// cancelled has the marketplace's supplier cancel a purchase; one that it does not have is left.
func (d *demonstration) cancelled(o *demoOwner, number string) error {
	for _, p := range d.bazaar.Purchases() {
		if p.Number != number {
			continue
		}
		answer, err := o.client.Post("http://"+d.address(1)+"/-/cancel?"+url.Values{"id": {p.ID},
			"reason": {"The supplier has run out of it."}}.Encode(), "", nil)
		if err != nil {
			return err
		}
		_ = answer.Body.Close()
		return o.ask("POST", "/api/orders/read", nil, nil)
	}
	return nil
}

// connect has a store approved, and accepts it.
func (o *demoOwner) connect(address string) (id int64, err error) {
	var approval stores.Approval
	if err := o.ask("POST", "/api/stores/connect", map[string]string{"address": address}, &approval); err != nil {
		return 0, err
	}
	at, err := url.Parse(approval.ApproveAt)
	if err != nil {
		return 0, err
	}
	form := at.Query()
	form.Set("decision", "approve")
	answer, err := o.client.PostForm(address+"/oauth/decide", form)
	if err != nil {
		return 0, err
	}
	_ = answer.Body.Close()
	back, err := url.Parse(answer.Header.Get("Location"))
	if err != nil {
		return 0, err
	}
	if answer, err = o.client.Get(o.url + back.RequestURI()); err != nil {
		return 0, err
	}
	_ = answer.Body.Close()
	_, confirm, _ := strings.Cut(answer.Header.Get("Location"), "confirm=")
	var store stores.Store
	err = o.ask("POST", "/api/stores/"+confirm+"/confirm", nil, &store)
	return store.ID, err
}

// sell takes the offers that most people buy into drafts, and publishes them.
func (o *demoOwner) sell(store int64) error {
	var found search.Result
	if err := o.until("the catalog", func() (bool, error) {
		err := o.ask("GET", fmt.Sprintf("/api/offers?store=%d&days=20&sort=units&limit=40", store), nil, &found)
		return err == nil && len(found.Offers) >= soldAtFirst, nil
	}); err != nil {
		return err
	}
	var drafts []int64
	for i := 0; i < len(found.Offers) && len(drafts) < soldAtFirst; i += 5 { // not all of one kind
		var taken struct {
			Taken []struct {
				DraftID int64 `json:"draft_id"`
			} `json:"taken"`
		}
		if err := o.ask("POST", "/api/drafts/take", map[string]any{"offers": []int64{found.Offers[i].ID}},
			&taken); err != nil {
			return err
		}
		for _, t := range taken.Taken {
			drafts = append(drafts, t.DraftID)
		}
	}
	var run publishing.Run
	if err := o.ask("POST", "/api/runs", map[string]any{"draft_ids": drafts,
		"stores": []map[string]any{{"store_id": store, "visible": true}}}, &run); err != nil {
		return err
	}
	return o.until("the run's end", func() (bool, error) {
		err := o.ask("GET", fmt.Sprintf("/api/runs/%d", run.ID), nil, &run)
		return run.FinishedAt != nil, err
	})
}

// list reads orders.
func (o *demoOwner) list() (page orders.Page, err error) {
	err = o.ask("GET", "/api/orders", nil, &page)
	return page, err
}

// fulfil has customers buy, and buys, pays and follows some of their orders.
func (o *demoOwner) fulfil(shop string, cancelled func(*demoOwner, string) error) error {
	answer, err := o.client.Post(fmt.Sprintf("%s/-/orders?count=%d", shop, boughtAtFirst), "", nil)
	if err != nil {
		return err
	}
	_ = answer.Body.Close()
	var page orders.Page
	if err := o.until("the orders, and what they cost", func() (bool, error) {
		if page, err = o.list(); err != nil || page.Total < boughtAtFirst {
			return false, err
		}
		for _, one := range page.Orders {
			if one.Profit == nil && one.CostError == "" {
				return false, nil
			}
		}
		return true, nil
	}); err != nil {
		return err
	}
	var buy []int64
	for _, one := range page.Orders[3:] {
		buy = append(buy, one.ID)
	}
	if err := o.ask("POST", "/api/orders/buy", map[string]any{"order_ids": buy, "accept_addresses": true},
		nil); err != nil {
		return err
	}
	if err := o.until("the suppliers", func() (bool, error) {
		page, err = o.list()
		return page.Counts[order.Buying] == 0, err
	}); err != nil {
		return err
	}
	var owed []orders.OwedPurchase
	if err := o.ask("GET", "/api/purchases/owed", nil, &owed); err != nil || len(owed) < 4 {
		return err
	}
	if err := cancelled(o, owed[0].Number); err != nil {
		return err
	}
	pay := []int64{}
	for _, p := range owed[3:] {
		pay = append(pay, p.ID)
	}
	return o.ask("POST", "/api/purchases/pay", map[string]any{"ids": pay}, nil)
}
