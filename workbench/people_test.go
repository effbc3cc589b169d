package workbench_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"plainpelican/core/edit"
	"plainpelican/platform/database"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// second is another member, who may edit.
func second(w *testkit.World) *testkit.Person {
	return w.Member("ed@example.com", "editor")
}

// shared is a draft that two members have open.
func shared(t *testing.T) (w *testkit.World, olga bench, ed *testkit.Person) {
	t.Helper()
	w = testkit.Start(t)
	store := w.Ready()
	return w, take(t, w, store.ID, w.Offer(0)), second(w)
}

func TestTwoPeopleEditOneDraft(t *testing.T) {
	w, olga, ed := shared(t)
	seen := olga.get()
	base := func(f edit.Field) map[edit.Field]int { return map[edit.Field]int{f: seen.Changes[f].Revision} }

	t.Run("different fields merge", func(t *testing.T) {
		olga.mustEdit(map[string]any{"title": "Olga's mug", "base": base(edit.Title)})
		ed.Must("PATCH", olga.path, map[string]any{"tags": []string{"ed"}, "base": base(edit.Tags)}, nil)
		if d := olga.get(); d.Title != "Olga's mug" || fmt.Sprint(d.Tags) != "[ed]" {
			t.Errorf("%q, %v", d.Title, d.Tags)
		}
	})
	t.Run("of the same field the later sees both", func(t *testing.T) {
		problem := ed.Ask("PATCH", olga.path, map[string]any{"title": "Ed's mug", "base": base(edit.Title)}, nil)
		if problem == nil || problem.Status != 409 || problem.Field() != "title" ||
			!strings.HasPrefix(problem.Detail, "Olga changed the title meanwhile") {
			t.Fatalf("%+v", problem)
		}
		var conflict struct {
			Field    edit.Field
			Revision int
			By       string
			Theirs   string
		}
		if err := json.Unmarshal(problem.Errors[0].Value, &conflict); err != nil || conflict.Theirs != "Olga's mug" ||
			conflict.By != "Olga" || olga.get().Title != "Olga's mug" {
			t.Fatalf("%s: %v", problem.Errors[0].Value, err)
		}
		// And chooses: over what stands there now.
		var edited workbench.Edited
		ed.Must("PATCH", olga.path, map[string]any{"title": "Ed's mug",
			"base": map[edit.Field]int{edit.Title: conflict.Revision}}, &edited)
		if edited.Title != "Ed's mug" || edited.Changes[edit.Title].By != "Ed" || edited.Draft != nil {
			t.Errorf("%+v", edited)
		}
	})
	t.Run("prices of different variants merge", func(t *testing.T) {
		for i, p := range []*testkit.Person{w.Owner, ed} {
			v := seen.Variants[i].ID
			field := edit.PriceOf(edit.PriceKey{StoreID: 1, VariantID: v})
			p.Must("PATCH", olga.path, map[string]any{"base": map[edit.Field]int{field: 0},
				"prices": []map[string]any{{"variant_id": v, "price": fmt.Sprintf("%d.50", 40+i)}}}, nil)
		}
		d := olga.get()
		if d.Variants[0].Ladder.Price.Decimal() != "40.50" || d.Variants[1].Ladder.Price.Decimal() != "41.50" {
			t.Errorf("%+v", d.Variants[:2])
		}
	})
}

// A title edit says nothing of prices: who set them, and when, stays.
func TestWhoSetAPriceStays(t *testing.T) {
	w, olga, ed := shared(t)
	v := olga.get().Variants[0].ID
	olga.mustEdit(map[string]any{"prices": []map[string]any{{"variant_id": v, "price": "44.00"}}})
	state := func() (s string) {
		if err := w.App.Pool.QueryRow(t.Context(), `select set_by || set_at from manual_price`).Scan(&s); err != nil {
			t.Fatal(err)
		}
		return s
	}
	before := state()
	ed.Must("PATCH", olga.path, map[string]any{"title": "Another", "tags": []string{"x"}}, nil)
	if after := state(); after != before || !strings.HasPrefix(after, "Olga") {
		t.Errorf("%s, was %s", after, before)
	}
}

func TestUndoIsOfOnesOwn(t *testing.T) {
	w, olga, ed := shared(t)
	was := olga.get()
	undo := strings.Replace(olga.path, "?", "/undo?", 1)
	olga.mustEdit(map[string]any{"title": "Olga's"})
	ed.Must("PATCH", olga.path, map[string]any{"tags": []string{"ed"}}, nil)
	if d := olga.get(); d.Undo != "title" {
		t.Errorf("what Olga can undo is %q", d.Undo)
	}
	if d := olga.undo(); d.Title != was.Title || fmt.Sprint(d.Tags) != "[ed]" || d.Undo != "" {
		t.Errorf("%q %v %q", d.Title, d.Tags, d.Undo)
	}
	if problem := w.Owner.Ask("POST", undo, nil, nil); problem == nil || problem.Status != 409 {
		t.Errorf("she has nothing more to undo: %+v", problem)
	}
	// What was changed since asks.
	olga.mustEdit(map[string]any{"title": "Olga's again"})
	ed.Must("PATCH", olga.path, map[string]any{"title": "Ed's"}, nil)
	problem := w.Owner.Ask("POST", undo, nil, nil)
	if problem == nil || problem.Status != 409 ||
		!strings.HasPrefix(problem.Detail, "Ed changed the title after you") ||
		olga.get().Title != "Ed's" {
		t.Fatalf("%+v", problem)
	}
	var d workbench.Draft
	if w.Owner.Must("POST", undo+"&force=true", nil, &d); d.Title != was.Title {
		t.Errorf("%q", d.Title)
	}
	ed.Must("POST", undo+"&force=true", nil, &d)
	if d.Title != "Olga's again" || fmt.Sprint(d.Tags) != "[ed]" {
		t.Errorf("what Ed's edit took the place of: %q %v", d.Title, d.Tags)
	}
}

// A change of many drafts is undone by who made it, where nobody has changed the same since.
func TestABulkChangeIsUndoneByWhoMadeIt(t *testing.T) {
	w, olga, ed := shared(t)
	d := olga.get()
	body := map[string]any{"store": 1, "drafts": []int64{d.ID}, "act": "raise_percent", "value": "10", "end": false,
		"apply": true}
	var result workbench.BulkPriceResult
	w.Owner.Must("POST", "/api/drafts/prices", body, &result)
	path := fmt.Sprintf("/api/drafts/bulk/%d/undo", result.Bulk)
	if problem := ed.Ask("POST", path, nil, nil); problem == nil || problem.Status != 409 {
		t.Errorf("another's is undone: %+v", problem)
	}
	var undone workbench.UndoBulkResult
	if w.Owner.Must("POST", path, nil, &undone); undone.Undone != 1 || olga.get().Variants[0].Manual {
		t.Errorf("%+v", undone)
	}
}

// A title edit costs a handful of statements, sign-in included, and is heard of within a second.
func TestATitleEditIsCheapAndHeard(t *testing.T) {
	w, olga, _ := shared(t)
	var heard workbench.DraftEvent
	var latest int64
	events := func() {
		list, err := w.App.Progress.Since(t.Context(), latest)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			if latest = e.Seq; e.Topic == "draft" {
				if err := json.Unmarshal(e.Data, &heard); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	events()
	ctx, counter := database.WithCounter(t.Context())
	r := httptest.NewRequestWithContext(ctx, http.MethodPatch, w.URL+olga.path,
		strings.NewReader(`{"title": "Counted", "base": {"title": 0}}`))
	r.Header.Set("Content-Type", "application/json")
	w.Owner.Authorize(r)
	answer := httptest.NewRecorder()
	began := time.Now()
	w.App.Handler().ServeHTTP(answer, r)
	if answer.Code != http.StatusOK || counter.Statements() > 8 || counter.Statements() < 4 {
		t.Errorf("%d statements, answer %d: %s", counter.Statements(), answer.Code, answer.Body)
	}
	testkit.Until(t, "the edit to be heard of", func() bool { events(); return heard.Revision == 2 })
	if late := time.Since(began); late > time.Second || heard.By != "Olga" || fmt.Sprint(heard.Fields) != "[title]" {
		t.Errorf("after %s: %+v", late, heard)
	}
	t.Logf("%d statements", counter.Statements())
}

// Twenty edits by two people at once: each is in the draft or refused, none is lost unsaid.
func TestManyEditsOfTwoPeopleAtOnce(t *testing.T) {
	_, olga, ed := shared(t)
	const each = 10
	ended := make(chan error, 2*each)
	for i := range each {
		go func() {
			ended <- problemOf(olga.w.Owner.Ask("PATCH", olga.path, map[string]any{"title": fmt.Sprint("title ", i)},
				nil))
		}()
		go func() {
			ended <- problemOf(ed.Ask("PATCH", olga.path, map[string]any{"description": fmt.Sprintf("<p>%d</p>", i)},
				nil))
		}()
	}
	for range 2 * each {
		if err := <-ended; err != nil {
			t.Error(err)
		}
	}
	if d := olga.get(); d.Revision != 1+2*each || !strings.HasPrefix(d.Title, "title ") ||
		!strings.HasPrefix(d.Description, "<p>") {
		t.Errorf("revision %d: %q %q", d.Revision, d.Title, d.Description)
	}
}

func problemOf(p *testkit.Problem) error {
	if p == nil {
		return nil
	}
	return fmt.Errorf("%d %s", p.Status, p.Detail)
}

// The list comes page by page, each draft once.
func TestTheListIsPaged(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	for i := range 5 {
		w.Take(w.Offer(i))
	}
	var ids []int64
	for before := int64(0); ; {
		var page workbench.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts?store=1&limit=2&before=%d", before), nil, &page)
		if page.Total != 5 || len(page.Drafts) > 2 {
			t.Fatalf("%+v", page)
		}
		for _, d := range page.Drafts {
			ids = append(ids, d.ID)
		}
		if before = page.Next; before == 0 {
			break
		}
	}
	if fmt.Sprint(ids) != "[5 4 3 2 1]" {
		t.Errorf("%v", ids)
	}
	var some workbench.Page
	if w.Owner.Must("GET", "/api/drafts?store=1&ids=2&ids=4", nil, &some); len(some.Drafts) != 2 ||
		some.Drafts[0].ID != 4 {
		t.Errorf("%+v", some)
	}
}

// A supplier that puts its pictures into another order, or takes one away, changes no draft.
func TestASuppliersNewOrderOfPicturesLeavesDraftsAlone(t *testing.T) {
	w, olga, _ := shared(t)
	testkit.Until(t, "the pictures to be fetched", func() bool {
		for _, p := range olga.get().Pictures {
			if strings.HasPrefix(p.Path, "/drafts/") {
				return false
			}
		}
		return true
	})
	before := olga.get()
	if _, err := w.App.Pool.Exec(t.Context(), `update offer set pictures = array(select p from unnest(pictures)
		with ordinality x (p, n) where n < cardinality(pictures) order by n desc) where id = $1`,
		before.OfferID); err != nil {
		t.Fatal(err)
	}
	after := olga.get()
	if fmt.Sprint(after.Pictures) != fmt.Sprint(before.Pictures) || after.Picture != before.Picture ||
		after.Variants[0].Picture != before.Variants[0].Picture {
		t.Errorf("%+v\nwas %+v", after.Pictures, before.Pictures)
	}
	if kind := w.Owner.Kind(after.Pictures[len(after.Pictures)-1].Path); !strings.HasPrefix(kind, "image/") {
		t.Errorf("the picture that the supplier took away is served as %s", kind)
	}
}
