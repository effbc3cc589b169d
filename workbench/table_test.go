package workbench_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"plainpelican/core/edit"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

func TestManyEditsAreOneStepAndOneBadOneStopsNone(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1), w.Offer(2))
	var page workbench.TablePage
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/table?store=%d&variants=true", store.ID), nil, &page)
	if page.Total != 3 || page.Rows[0].ID != ids[2] || page.Rows[0].From == nil || len(page.Rows[0].Variants) == 0 ||
		page.Rows[0].Variants[0].Price == nil || page.Rows[0].Chosen == 0 {
		t.Fatalf("%+v", page)
	}
	titles := []string{draftOf(w, 0, ids[0]).Title, "Two", "Three"}
	for i, title := range titles {
		if i > 0 {
			w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[i]), map[string]any{"title": title}, nil)
		}
	}
	// The second was changed since it was seen; the price of the third is none.
	var out workbench.EditManyResult
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/edits?store=%d", store.ID), map[string]any{"edits": []map[string]any{
		{"draft_id": ids[0], "edit": map[string]any{"title": "A", "tags": []string{"x"}}},
		{"draft_id": ids[1], "edit": map[string]any{"title": "B", "base": map[edit.Field]int{edit.Title: 0}}},
		{"draft_id": ids[2], "edit": map[string]any{"title": "C",
			"prices": []map[string]any{{"variant_id": page.Rows[0].Variants[0].ID, "price": "cheap"}}}},
		{"draft_id": 9999, "edit": map[string]any{"title": "D"}},
	}}, &out)
	if out.Changed != 1 || len(out.Refused) != 3 || !strings.Contains(out.Refused[0].Words, "changed the title") ||
		!strings.Contains(out.Refused[1].Words, "“cheap” is not a price") {
		t.Errorf("%+v", out)
	}
	now := []string{draftOf(w, 0, ids[0]).Title, draftOf(w, 0, ids[1]).Title, draftOf(w, 0, ids[2]).Title}
	if !slices.Equal(now, []string{"A", "Two", "Three"}) {
		t.Errorf("%v", now)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/bulk/%d/undo", out.Bulk), nil, nil)
	if d := draftOf(w, 0, ids[0]); d.Title != titles[0] || len(d.Tags) != 0 {
		t.Errorf("undone: %+v", d)
	}
}

// get fetches a file as a browser does.
func get(t *testing.T, w *testkit.World, path string) []byte {
	t.Helper()
	return send(t, w, http.MethodGet, path, nil, http.StatusOK)
}

func send(t *testing.T, w *testkit.World, method, path string, body []byte, want int) []byte {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, w.URL+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	w.Owner.Authorize(r)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	content, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != want {
		t.Fatalf("%s %s: %d %v %s", method, path, answer.StatusCode, err, content)
	}
	return content
}

func TestDraftsGoOutAsAFileAndComeBackAsADifference(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[0]),
		map[string]any{"title": "=Mug, \"big\"", "tags": []string{"a", "b"}}, nil)
	query := fmt.Sprintf("?store=%d", store.ID)
	content := get(t, w, "/api/drafts/export"+query)
	rows, err := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(content, []byte("\xef\xbb\xbf")))).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	at := func(name string) int { return slices.Index(rows[0], name) }
	last := len(rows) - 1 // the older draft comes last
	if rows[last][at("title")] != "'=Mug, \"big\"" || rows[last][at("tags")] != "a, b" || rows[1][at("price")] == "" {
		t.Fatalf("%q", rows)
	}
	look := func(content []byte, apply bool) (out workbench.FileResult) {
		t.Helper()
		path := "/api/drafts/import" + query + fmt.Sprintf("&apply=%v", apply)
		if err := json.Unmarshal(send(t, w, http.MethodPost, path, content, http.StatusOK), &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	if out := look(content, false); len(out.Differences)+len(out.Rejected) != 0 || out.Rows != last {
		t.Errorf("as it was exported: %+v", out)
	}
	// Changed elsewhere, with semicolons, and with rows that cannot be used.
	rows[1][at("title")], rows[1][at("sku")], rows[1][at("price")] = "New title", "SKU-1", "99,00"
	rows[last][at("price")] = "free"
	rows = append(rows, []string{"77", "?"}, slices.Clone(rows[1]))
	rows[len(rows)-1][at("variant")] = "5555555"
	var changed bytes.Buffer
	write := csv.NewWriter(&changed)
	write.Comma = ';'
	if err := write.WriteAll(rows); err != nil {
		t.Fatal(err)
	}
	seen := look(changed.Bytes(), false)
	if len(seen.Differences) != 3 || seen.Drafts != 1 || len(seen.Rejected) != 3 ||
		!strings.Contains(seen.Rejected[0].Reason, "“free” is not a price") ||
		draftOf(w, 0, ids[1]).Title == "New title" {
		t.Fatalf("%+v", seen)
	}
	made := look(changed.Bytes(), true)
	d := draftOf(w, store.ID, ids[1])
	if made.Bulk == 0 || d.Title != "New title" || d.Variants[0].SKU != "SKU-1" ||
		d.Variants[0].Ladder.Price.Decimal() != "99.00" || !d.Variants[0].Manual {
		t.Errorf("%+v %+v", made, d)
	}
	if again := look(changed.Bytes(), false); len(again.Differences) != 0 {
		t.Errorf("once more: %+v", again.Differences)
	}
	// As a spreadsheet.
	book, err := excelize.OpenReader(bytes.NewReader(get(t, w, "/api/drafts/export"+query+"&format=xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	if err := book.SetCellValue("Sheet1", "C2", "Kettle"); err != nil {
		t.Fatal(err)
	}
	var sheet bytes.Buffer
	if err := book.Write(&sheet); err != nil {
		t.Fatal(err)
	}
	if out := look(sheet.Bytes(), true); len(out.Differences) != 1 || draftOf(w, 0, ids[1]).Type != "Kettle" {
		t.Errorf("%+v", out)
	}
	for name, bad := range map[string]string{"nothing": "", "no head": "a,b\n1,2\n",
		"prices of nothing": "draft,price\n1,2\n", "not UTF-8": "draft,title\n1,\xff\xfe\n",
		"no spreadsheet": "PK\x03\x04nothing"} {
		t.Run(name, func(t *testing.T) {
			send(t, w, http.MethodPost, "/api/drafts/import"+query, []byte(bad), http.StatusUnprocessableEntity)
		})
	}
}
