package stores_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/piprate/json-gold/ld"

	"plainpelican/connect/page"
	"plainpelican/stores"
	"plainpelican/stores/files"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// offline gives schema.org's context, as far as its vocabulary goes, without a network.
type offline struct{}

func (offline) LoadDocument(address string) (*ld.RemoteDocument, error) {
	return &ld.RemoteDocument{DocumentURL: address, Document: map[string]any{
		"@context": map[string]any{"@vocab": "https://schema.org/"}}}, nil
}

// nquads is what a JSON-LD document says, as RDF.
func nquads(t *testing.T, document string) string {
	t.Helper()
	var parsed any
	if err := json.Unmarshal([]byte(document), &parsed); err != nil {
		t.Fatal(err)
	}
	options := ld.NewJsonLdOptions("https://stall.example/")
	options.DocumentLoader, options.Format = offline{}, "application/n-quads"
	quads, err := ld.NewJsonLdProcessor().ToRDF(parsed, options)
	if err != nil {
		t.Fatal(err)
	}
	return quads.(string)
}

// A store without an API is published to as any, and what it is to show is written as files. The CSV is read back by
// PostgreSQL's COPY, the JSON-LD by the processor json-gold and by the reader of product pages, the zip by the standard
// library's.
func TestAStoreThatIsServedByFiles(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	var s stores.Store
	w.Owner.Must("POST", "/api/stores/files", map[string]any{"name": "Market stall", "currency": "eur",
		"time_zone": "Europe/Lisbon", "markets": []string{"pt", "ES"}, "included_tax": "0.23", "variants": 100}, &s)
	if !s.Files || s.Currency.String() != "EUR" || s.Markets[0] != "PT" || s.Limits.Variants != 100 {
		t.Fatalf("%+v", s)
	}
	id := w.Take(w.Offer(0))[0]
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, s.ID)
	var d workbench.Draft
	testkit.Until(t, "its prices there", func() bool {
		w.Owner.Must("GET", path, nil, &d)
		return d.Variants[0].Ladder != nil
	})
	one := d.Variants[0]
	w.Owner.Must("PATCH", path, map[string]any{"title": `Mug, "harbour" blue; =1+1`, "chosen": []int64{one.ID},
		"tags": []string{"camp", "blue"}}, nil)
	run := w.Publish(s.ID, id)
	if run.Published != 1 {
		t.Fatalf("%+v", run.Items)
	}
	if again := w.Publish(s.ID, id); again.Unchanged != 1 {
		t.Errorf("%+v", again.Items)
	}
	file := func(name string) string {
		t.Helper()
		content, err := w.Owner.Download(fmt.Sprintf("/api/stores/%d/files/%s", s.ID, name))
		if err != nil {
			t.Fatal(err)
		}
		return content
	}

	t.Run("CSV", func(t *testing.T) {
		conn, err := w.App.Pool.Acquire(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Release()
		if _, err := conn.Exec(t.Context(), `create temp table read_back ("`+strings.Join(files.Columns, `" text, "`)+
			`" text)`); err != nil {
			t.Fatal(err)
		}
		if _, err := conn.Conn().PgConn().CopyFrom(t.Context(), strings.NewReader(file("products.csv")),
			`copy read_back from stdin with (format csv, header match)`); err != nil {
			t.Fatal(err)
		}
		var title, price, currency, sku, tags, pictures string
		if err := conn.QueryRow(t.Context(), `select title, price, currency, sku, tags, pictures from read_back`).
			Scan(&title, &price, &currency, &sku, &tags, &pictures); err != nil {
			t.Fatal(err)
		}
		if title != `Mug, "harbour" blue; =1+1` || price != one.Ladder.Price.Decimal() || currency != "EUR" ||
			sku != one.MadeSKU || tags != "camp, blue" || pictures == "" {
			t.Errorf("%q %s %s %s %s %s", title, price, currency, sku, tags, pictures)
		}
	})
	t.Run("JSON-LD", func(t *testing.T) {
		html := `<!doctype html><title>x</title><script type="application/ld+json">` +
			file("products.jsonld") + `</script>`
		found, err := page.Read([]byte(html), "text/html", "https://stall.example/mug")
		if err != nil || found.From != "JSON-LD" || !strings.Contains(found.Offer.Title, "harbour") ||
			found.Offer.Variants[0].Cost.String() != one.Ladder.Price.String() {
			t.Errorf("%v %+v", err, found.Offer)
		}
	})
	t.Run("JSON-LD, by a processor of JSON-LD 1.1", func(t *testing.T) {
		quads := nquads(t, file("products.jsonld"))
		for _, want := range []string{
			`<https://schema.org/name> "Mug, \"harbour\" blue; =1+1"`,
			`<https://schema.org/price> "` + one.Ladder.Price.Decimal() + `"`,
			`<https://schema.org/priceCurrency> "EUR"`,
			`<http://www.w3.org/1999/02/22-rdf-syntax-ns#type> <https://schema.org/Offer>`,
		} {
			if !strings.Contains(quads, want) {
				t.Errorf("%s is not in\n%s", want, quads)
			}
		}
	})
	t.Run("pictures", func(t *testing.T) {
		content := file("pictures.zip")
		read, err := zip.NewReader(bytes.NewReader([]byte(content)), int64(len(content)))
		if err != nil || len(read.File) == 0 {
			t.Fatal(err)
		}
		for _, f := range read.File {
			in, err := f.Open()
			if err != nil {
				t.Fatal(err)
			}
			head := make([]byte, 512)
			n, _ := in.Read(head)
			if kind := http.DetectContentType(head[:n]); !strings.HasPrefix(kind, "image/") {
				t.Errorf("%s is %s", f.Name, kind)
			}
			_ = in.Close()
		}
	})
	t.Run("what is taken down is in none of them", func(t *testing.T) {
		down := w.RunEnds(func() int64 {
			var run struct{ ID int64 }
			w.Owner.Must("POST", "/api/runs", map[string]any{"act": "take_down", "draft_ids": []int64{id},
				"stores": []map[string]any{{"store_id": s.ID}}}, &run)
			return run.ID
		}())
		if down.Changed != 1 || strings.Count(file("products.csv"), "\n") != 1 {
			t.Errorf("%+v", down.Items)
		}
	})
	for field, change := range map[string]map[string]any{"currency": {"currency": "XQX"},
		"time_zone": {"time_zone": "Mars"},
		"markets":   {"markets": []string{"Narnia"}}, "included_tax": {"included_tax": "a lot"}} {
		body := map[string]any{"name": "x", "currency": "EUR", "time_zone": "UTC", "markets": []string{"PT"}}
		for k, v := range change {
			body[k] = v
		}
		if problem := w.Owner.Ask("POST", "/api/stores/files", body, nil); problem == nil || problem.Field() != field {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	if problem := w.Owner.Ask("GET", "/api/stores/1/files/products.csv", nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("of a store with an API: %+v", problem)
	}
}
