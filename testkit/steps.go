package testkit

import (
	"fmt"
	"net/url"
	"strings"

	"plainpelican/core/landed"
	"plainpelican/pricing"
	"plainpelican/publishing"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/standins/shop"
	"plainpelican/stores"
	"plainpelican/workbench"
)

// ConnectBazaar connects the marketplace and waits until its catalog is in.
func (w *World) ConnectBazaar() sources.Source {
	w.t.Helper()
	w.Owner.Must("POST", "/api/sources",
		sources.Credentials{Address: w.BazaarURL, ClientID: w.Bazaar.ClientID, ClientSecret: w.Bazaar.ClientSecret},
		nil)
	return w.TakenIn()
}

// Look looks at a list that is at an address or was sent.
func (w *World) Look(list sources.PriceListInput) sources.Analysis {
	w.t.Helper()
	var looked sources.Analysis
	w.Owner.Must("POST", "/api/price-lists/analyze", list, &looked)
	return looked
}

// ConnectList connects a list as it was proposed, of a supplier in Germany, and waits until it is in.
func (w *World) ConnectList(list sources.PriceListInput) sources.Source {
	w.t.Helper()
	looked := w.Look(list)
	layout := looked.Layout
	layout.Country, layout.Supplier, layout.Processing = "DE", "Northlight Wholesale", landed.Days{Min: 1, Max: 2}
	list.File, list.Name, list.Layout = looked.File, looked.Name, &layout
	w.Owner.Must("POST", "/api/price-lists", list, nil)
	return w.Source("Northlight Wholesale")
}

// Source waits until nothing is being taken in and returns a source by its name.
func (w *World) Source(name string) sources.Source {
	w.t.Helper()
	w.TakenIn()
	var list []sources.Source
	w.Owner.Must("GET", "/api/sources", nil, &list)
	for _, s := range list {
		if s.Name == name {
			return s
		}
	}
	w.t.Fatalf("there is no source %s", name)
	return sources.Source{}
}

// TakenIn waits until nothing is being taken in and returns the first source.
func (w *World) TakenIn() sources.Source {
	w.t.Helper()
	var list []sources.Source
	Until(w.t, "the import's end", func() bool {
		w.Owner.Must("GET", "/api/sources", nil, &list)
		for _, x := range list {
			if len(x.Imports) > 0 && (x.Imports[0].State == "waiting" || x.Imports[0].State == "running") {
				return false
			}
		}
		return len(list) > 0 && len(list[0].Imports) > 0
	})
	return list[0]
}

// Swept compares everything that the first source has and returns the first source. An
// import that is on its way already, such as of a quote just taken, is waited for.
func (w *World) Swept() sources.Source {
	w.t.Helper()
	Until(w.t, "the import's start", func() bool {
		problem := w.Owner.Ask("POST", "/api/sources/1/imports?full=true", nil, nil)
		if problem != nil && problem.Status != 409 {
			w.t.Fatal(problem)
		}
		return problem == nil
	})
	return w.TakenIn()
}

// ConnectStore connects the store by way of its approval page.
func (w *World) ConnectStore() stores.Store {
	w.t.Helper()
	back := w.Approve("approve")
	if id, fresh := strings.CutPrefix(back, "/store?confirm="); fresh {
		w.Owner.Must("POST", "/api/stores/"+id+"/confirm", nil, nil)
	} else if !strings.HasPrefix(back, "/store?connected=") {
		w.t.Fatalf("approving led to %q", back)
	}
	var list []stores.Store
	w.Owner.Must("GET", "/api/stores", nil, &list)
	return list[len(list)-1]
}

// ConnectNord connects a second store, in euros with tax in its prices.
func (w *World) ConnectNord() stores.Store {
	w.t.Helper()
	nord := shop.Nord
	nord.PerSecond = 500
	server, err := shop.New(nord, w.t.TempDir())
	must(w.t, err)
	w.Nord = server
	first := w.ShopURL
	defer func() { w.ShopURL = first }()
	w.ShopURL = serve(w.t, server.Handler())
	return w.ConnectStore()
}

// Approve begins to connect the store, decides on its page, and returns where the
// application sends the person in the end.
func (w *World) Approve(decision string) string {
	w.t.Helper()
	var approval stores.Approval
	w.Owner.Must("POST", "/api/stores/connect", map[string]string{"address": w.ShopURL}, &approval)
	at, err := url.Parse(approval.ApproveAt)
	must(w.t, err)
	q := at.Query()
	q.Set("decision", decision)
	back := w.Owner.Go("POST", w.ShopURL+"/oauth/decide", q)
	return w.Owner.Go("GET", back, nil)
}

// Search asks the catalog; the query is as in an address.
func (w *World) Search(query string) search.Result {
	w.t.Helper()
	var found search.Result
	Until(w.t, "the catalog's index", func() bool {
		problem := w.Owner.Ask("GET", "/api/offers?"+query, nil, &found)
		if problem != nil && problem.Status != 503 {
			w.t.Fatalf("search %s: %s", query, problem.Detail)
		}
		return problem == nil
	})
	return found
}

// AwaitOffers waits until the index holds so many offers.
func (w *World) AwaitOffers(n int) {
	w.t.Helper()
	Until(w.t, fmt.Sprintf("%d offers", n), func() bool { return w.Search("").Total == n })
}

// Ready connects all and returns the store.
func (w *World) Ready() stores.Store {
	w.t.Helper()
	w.ConnectBazaar()
	store := w.ConnectStore()
	w.AwaitOffers(w.Bazaar.Offers)
	return store
}

// Offer is the id of the offer at an index of the marketplace's catalog.
func (w *World) Offer(index int) int64 {
	w.t.Helper()
	var id int64
	err := w.App.Pool.QueryRow(w.t.Context(), `select id from offer
		where number = $1`, fmt.Sprintf("QB-%06d", 100000+index)).Scan(&id)
	must(w.t, err)
	return id
}

// Reindex has the index read the offers of the first source anew, after they were changed by hand.
func (w *World) Reindex() {
	w.t.Helper()
	if err := w.App.Offers.NotifySource(w.t.Context(), w.App.Pool, 1); err != nil {
		w.t.Fatal(err)
	}
	if _, err := w.App.Search.FollowChanges(w.t.Context()); err != nil {
		w.t.Fatal(err)
	}
}

// FirstPicture is an offer's, as its source gave it.
func (w *World) FirstPicture(offer int64) (hash string, content []byte, err error) {
	w.t.Helper()
	var url string
	if err := w.App.Pool.QueryRow(w.t.Context(), `select pictures[1] from offer where id = $1`, offer).
		Scan(&url); err != nil {
		return "", nil, err
	}
	return w.App.Media.PictureAt(w.t.Context(), url)
}

// Take takes offers to the workbench and returns the drafts.
func (w *World) Take(offers ...int64) []int64 {
	w.t.Helper()
	var result workbench.TakeResult
	w.Owner.Must("POST", "/api/drafts/take", map[string]any{"offers": offers}, &result)
	ids := []int64{}
	for _, p := range result.Taken {
		ids = append(ids, p.DraftID)
	}
	return ids
}

// Publish starts a run and waits for its end.
func (w *World) Publish(store int64, drafts ...int64) RunInFull {
	w.t.Helper()
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs", RunOf(store, drafts...), &run)
	return w.RunEnds(run.ID)
}

// RunOf asks for drafts to be published to a store, visible.
func RunOf(store int64, drafts ...int64) map[string]any {
	return map[string]any{"draft_ids": drafts, "stores": []map[string]any{{"store_id": store, "visible": true}}}
}

// RunInFull is a run with all its items.
type RunInFull struct {
	publishing.Run
	Items []publishing.Item
}

// Done counts the items that the store has as they were to be.
func (r *RunInFull) Done() int { return r.Published + r.Changed + r.Unchanged }

// Run reads a run with its items.
func (w *World) Run(id int64) (run RunInFull) {
	w.t.Helper()
	w.Owner.Must("GET", fmt.Sprintf("/api/runs/%d", id), nil, &run.Run)
	for after := int64(0); ; {
		var page publishing.ItemPage
		w.Owner.Must("GET", fmt.Sprintf("/api/runs/%d/items?limit=1000&after=%d", id, after), nil, &page)
		run.Items = append(run.Items, page.Items...)
		if after = page.Next; after == 0 {
			return run
		}
	}
}

// RunEnds waits until nothing of a run is left to do.
func (w *World) RunEnds(id int64) RunInFull {
	w.t.Helper()
	var run publishing.Run
	Until(w.t, "the run's end", func() bool {
		w.Owner.Must("GET", fmt.Sprintf("/api/runs/%d", id), nil, &run)
		return run.FinishedAt != nil
	})
	return w.Run(id)
}

// MoneyRules reads a store's money rules.
func (w *World) MoneyRules(store int64) pricing.CurrentRules {
	w.t.Helper()
	var rules pricing.CurrentRules
	w.Owner.Must("GET", fmt.Sprintf("/api/stores/%d/money-rules", store), nil, &rules)
	return rules
}

// ApplyRules puts money rules in force and waits until the drafts are priced by them; none
// marked are all.
func (w *World) ApplyRules(store int64, rules pricing.CurrentRules, marked ...int64) pricing.Run {
	w.t.Helper()
	var run pricing.Run
	w.Owner.Must("PUT", fmt.Sprintf("/api/stores/%d/money-rules", store),
		map[string]any{"rules": rules.MoneyRules, "revision": rules.Revision, "only_drafts": marked}, &run)
	return w.Repriced(store)
}

// Repriced waits until no repricing of a store is under way and returns the newest.
func (w *World) Repriced(store int64) (newest pricing.Run) {
	w.t.Helper()
	Until(w.t, "the repricing's end", func() bool {
		var busy int
		err := w.App.Pool.QueryRow(w.t.Context(), `select count(*) filter (where state <> 'finished'), max(id)
			from reprice_run where store_id = $1`, store).Scan(&busy, &newest.ID)
		must(w.t, err)
		return busy == 0
	})
	err := w.App.Pool.QueryRow(w.t.Context(), `select why, moved, seen from reprice_run
		where id = $1`, newest.ID).Scan(&newest.Why, &newest.Moved, &newest.Seen)
	must(w.t, err)
	return newest
}
