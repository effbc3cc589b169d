package sources_test

import (
	"compress/gzip"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"plainpelican/sources"
	"plainpelican/testkit"
)

func TestPastedLinksComeInALineEach(t *testing.T) {
	w := testkit.Start(t)
	price := "9.80"
	gone := false
	shop := w.Serve(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		rw.Header().Set("Content-Type", "text/html; charset=utf-8")
		switch r.URL.Path {
		case "/lamp":
			_, _ = fmt.Fprintf(rw,
				`<script type="application/ld+json">
					{"@type":"Product","name":"Storm lamp","sku":"L","offers":{"price":"%s","priceCurrency":"EUR",`+
					`"availability":"InStock"}}</script>`, price)
		case "/bell":
			if gone {
				rw.WriteHeader(http.StatusGone)
				return
			}
			_, _ = io.WriteString(rw,
				`<meta property="og:title" content="Bell"><meta property="product:price:amount" content="3">
					<meta property="product:price:currency" content="USD">`)
		case "/login":
			_, _ = io.WriteString(rw, `<input type=password>`)
		case "/inward":
			http.Redirect(rw, r, "http://10.0.0.9/x", http.StatusFound)
		default:
			http.NotFound(rw, r)
		}
	}))
	w.ConnectBazaar()
	bazaars := w.BazaarURL + "/p/QB-100003"
	paste := func(links ...string) (sources.Source, []sources.LinkResult) {
		t.Helper()
		var in sources.ImportRun
		w.Owner.Must("POST", "/api/links", map[string]string{"links": strings.Join(links, "\n")}, &in)
		source := w.Source("Single pages")
		var results []sources.LinkResult
		w.Owner.Must("GET", fmt.Sprintf("/api/imports/%d/links", in.ID), nil, &results)
		return source, results
	}
	source, results := paste(shop+"/lamp", "", shop+"/bell", shop+"/lamp", "not a link at all", shop+"/nothing",
		shop+"/login", shop+"/inward", bazaars)
	if len(results) != 7 || source.Offers != 2 || source.Imports[0].Rejected != 4 {
		t.Fatalf("%d results, %+v", len(results), source)
	}
	for i, want := range []struct{ title, trouble, from string }{{"Storm lamp", "", "JSON-LD"},
		{"Bell", "", "Open Graph"}, {"", "is not a link", ""}, {"", "There is no page any more.", ""},
		{"", "The page asks to sign in.", ""}, {"", "is a private address", ""}} {
		if r := results[i]; r.Title != want.title || !strings.Contains(r.Error, want.trouble) ||
			r.Format != want.from || (r.OfferID != 0) != (want.title != "") || r.Line != i+1 {
			t.Errorf("%+v", r)
		}
	}
	if len(results[0].Missing) == 0 {
		t.Error("what the page does not say is not said")
	}
	if r := results[6]; !r.AlreadyInCatalog || r.OfferID != w.Offer(3) {
		t.Errorf("an offer of a connected source: %+v", r)
	}
	// Again: the lamp is dearer, nothing is doubled; what was not named stays.
	price = "11.00"
	if source, _ = paste(shop + "/lamp"); source.Offers != 2 || source.Imports[0].Changed != 1 {
		t.Errorf("%+v", source.Imports[0])
	}
	// On its schedule all pages are read; what has gone is withdrawn, what does not answer stays.
	gone = true
	if _, err := w.App.Pool.Exec(t.Context(), `update source set next_at = now() where kind = 'pages'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Sources.StartDue(t.Context()); err != nil {
		t.Fatal(err)
	}
	if source = w.Source("Single pages"); source.Offers != 1 || source.Imports[0].State != "finished" ||
		source.Imports[0].Withdrawn != 1 {
		t.Errorf("%+v", source.Imports[0])
	}
	if problem := w.Owner.Ask("POST", "/api/links", map[string]string{"links": " \n"}, nil); problem == nil ||
		!strings.Contains(problem.Detail, "at least one link") {
		t.Errorf("%+v", problem)
	}
}

// A slow page delays only itself; a circle, a giant and a page that unpacks to one say what they are.
func TestOddPagesAmongPastedLinks(t *testing.T) {
	w := testkit.Start(t)
	answer := make(chan struct{})
	shop := w.Serve(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		rw.Header().Set("Content-Type", "text/html; charset=utf-8")
		switch r.URL.Path {
		case "/slow":
			select {
			case <-answer:
			case <-r.Context().Done():
			}
		case "/circle":
			http.Redirect(rw, r, "/circle", http.StatusFound)
			return
		case "/giant":
			_, _ = io.WriteString(rw, strings.Repeat("x", 7<<20))
		case "/bomb":
			rw.Header().Set("Content-Encoding", "gzip")
			z := gzip.NewWriter(rw)
			_, _ = io.WriteString(z, strings.Repeat("x", 60<<20))
			_ = z.Close()
		}
		_, _ = fmt.Fprintf(rw,
			`<script type="application/ld+json">
				{"@type":"Product","name":"Thing %s","offers":{"price":"2.00","priceCurrency":"EUR"}}</script>`,
			r.URL.Path)
	}))
	var in sources.ImportRun
	w.Owner.Must("POST", "/api/links",
		map[string]string{"links": shop + "/slow\n" + shop + "/circle\n" + shop + "/giant\n" + shop + "/bomb\n" + shop +
			"/one\n" + shop + "/two"}, &in)
	results := func() (list []sources.LinkResult) {
		w.Owner.Must("GET", fmt.Sprintf("/api/imports/%d/links", in.ID), nil, &list)
		return list
	}
	testkit.Until(t, "the others, while one is slow", func() bool {
		done := 0
		for _, r := range results() {
			if r.Title != "" || r.Error != "" {
				done++
			}
		}
		return done == 5
	})
	for i, words := range map[int]string{1: "never arrives", 2: "larger than 6 MB", 3: "larger than 6 MB"} {
		if r := results()[i]; !strings.Contains(r.Error, words) {
			t.Errorf("%s: %q", r.Link, r.Error)
		}
	}
	close(answer)
	if source := w.Source("Single pages"); source.Offers != 3 || source.Imports[0].Rejected != 3 {
		t.Errorf("%+v", source.Imports[0])
	}
}
