package workbench_test

import (
	"fmt"
	"strings"
	"testing"

	"plainpelican/standins/gen"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// bench is a draft under edit.
type bench struct {
	t    *testing.T
	w    *testkit.World
	path string
}

func take(t *testing.T, w *testkit.World, store, offer int64) bench {
	t.Helper()
	return bench{t, w, fmt.Sprintf("/api/drafts/%d?store=%d", w.Take(offer)[0], store)}
}

func (b bench) get() (d workbench.Draft) {
	b.t.Helper()
	b.w.Owner.Must("GET", b.path, nil, &d)
	return d
}

func (b bench) edit(change map[string]any) (d workbench.Draft, problem *testkit.Problem) {
	b.t.Helper()
	if problem = b.w.Owner.Ask("PATCH", b.path, change, nil); problem == nil {
		d = b.get()
	}
	return d, problem
}

func (b bench) mustEdit(change map[string]any) workbench.Draft {
	b.t.Helper()
	d, problem := b.edit(change)
	if problem != nil {
		b.t.Fatalf("%v: %s", change, problem.Detail)
	}
	return d
}

func (b bench) undo() (d workbench.Draft) {
	b.t.Helper()
	b.w.Owner.Must("POST", strings.Replace(b.path, "?", "/undo?", 1), nil, &d)
	return d
}

func TestTakingTwiceAsksFirst(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	first, second := w.Offer(0), w.Offer(1)
	var result workbench.TakeResult
	ask := func(again bool, offers ...int64) workbench.TakeResult {
		result = workbench.TakeResult{}
		w.Owner.Must("POST", "/api/drafts/take", map[string]any{"offers": offers, "again": again}, &result)
		return result
	}
	if r := ask(false, first, first); len(r.Taken) != 1 || len(r.Already) != 0 {
		t.Errorf("named twice at once: %+v", r)
	}
	if r := ask(false, first, second); len(r.Taken) != 1 || len(r.Already) != 1 || r.Already[0].OfferID != first ||
		r.Already[0].Title == "" {
		t.Errorf("one known, one new: %+v", r)
	}
	if r := ask(true, first); len(r.Taken) != 1 {
		t.Errorf("once more, as wished: %+v", r)
	}
	var list workbench.Page
	w.Owner.Must("GET", "/api/drafts?store=1", nil, &list)
	if len(list.Drafts) != 3 || list.Total != 3 || list.Next != 0 {
		t.Errorf("%+v", list)
	}
	if found := w.Search("store=1&limit=200"); len(found.Offers) > 0 {
		drafts := 0
		for _, o := range found.Offers {
			drafts += len(o.Drafts)
		}
		if drafts != 3 {
			t.Errorf("the catalog knows of %d drafts", drafts)
		}
	}
}

func TestEditingWords(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	b := take(t, w, store.ID, w.Offer(0))
	was := b.get()
	if was.Title != was.OfferTitle || strings.Contains(was.Description, "<script") {
		t.Errorf("it does not start from the supplier's words, made safe: %+v", was)
	}
	d := b.mustEdit(map[string]any{"title": "  Speckled   enamel mug ",
		"description": `<p onclick="x">A mug.</p><script>x</script>`})
	if d.Title != "Speckled enamel mug" || d.Description != "<p>A mug.</p>" || d.OfferTitle != was.OfferTitle ||
		d.Undo == "" {
		t.Errorf("%+v", d)
	}
	if back := b.undo(); back.Title != was.Title || back.Description != was.Description || back.Undo != "" {
		t.Errorf("undone: %+v", back)
	}
	if problem := w.Owner.Ask("POST", strings.Replace(b.path, "?", "/undo?", 1), nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("nothing is left to undo: %+v", problem)
	}
}

func TestPicturesAndVariants(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	b := take(t, w, store.ID, w.Offer(0))
	d := b.get()
	if len(d.Pictures) < 2 {
		t.Fatalf("%d pictures", len(d.Pictures))
	}
	turned := []map[string]any{}
	for i := len(d.Pictures) - 1; i >= 0; i-- {
		turned = append(turned, map[string]any{"id": d.Pictures[i].ID, "shown": i > 0})
	}
	after := b.mustEdit(map[string]any{"pictures": turned})
	if after.Pictures[0].ID != d.Pictures[len(d.Pictures)-1].ID || after.Pictures[len(after.Pictures)-1].Shown {
		t.Errorf("%+v", after.Pictures)
	}
	if _, problem := b.edit(map[string]any{"pictures": append(turned, turned[0])}); problem == nil ||
		problem.Field() != "pictures" {
		t.Errorf("a picture that is named twice: %+v", problem)
	}
	if _, problem := b.edit(map[string]any{"chosen": []int64{d.Variants[0].ID, 424242}}); problem == nil ||
		problem.Field() != "chosen" {
		t.Errorf("a variant of another draft: %+v", problem)
	}
	none := b.mustEdit(map[string]any{"chosen": []int64{}})
	if none.Report.Ready || none.Report.Variants != "empty" {
		t.Errorf("%+v", none.Report)
	}
	if back := b.undo(); !back.Report.Ready {
		t.Errorf("%+v", back.Report)
	}
}

func TestRenamingOptions(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	var b bench
	for place := range 60 { // one with two values to tell apart
		if b = take(t, w, store.ID, w.Offer(place)); len(b.get().Options[0].Values) > 1 {
			break
		}
	}
	d := b.get()
	d.Options[0].Name, d.Options[0].Values[0].Name = "Colour", "Lake blue"
	after := b.mustEdit(map[string]any{"options": d.Options})
	if after.Options[0].Name != "Colour" || after.Variants[0].Values[0] != "Lake blue" ||
		after.Options[0].Values[0].Original == "Lake blue" {
		t.Errorf("%+v", after.Options)
	}
	d.Options[0].Values[1].Name = "lake BLUE"
	_, problem := b.edit(map[string]any{"options": d.Options})
	if problem == nil || problem.Field() != "options" ||
		!strings.Contains(problem.Detail, "would both be called “lake BLUE”") {
		t.Errorf("two alike: %+v", problem)
	}
	if _, problem := b.edit(map[string]any{"options": d.Options[:1]}); problem == nil ||
		!strings.Contains(problem.Detail, "not added or left out") {
		t.Errorf("one left out: %+v", problem)
	}
}

func TestTypingAPrice(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	b := take(t, w, store.ID, w.Offer(0))
	d := b.get()
	v := d.Variants[0]
	typed := func(price string) map[string]any {
		return map[string]any{"prices": []map[string]any{{"variant_id": v.ID, "price": price}}}
	}
	after := b.mustEdit(typed("2.50")).Variants[0]
	if !after.Manual || after.Ladder.Price.Decimal() != "2.50" || !after.Ladder.Profit.Negative() ||
		*after.RulePrice != v.Ladder.Price {
		t.Errorf("%+v", after)
	}
	report := b.get().Report
	if !report.Ready || len(report.Findings) == 0 || !strings.Contains(report.Findings[0].Words, "on each sale") {
		t.Errorf("a loss is warned of and does not stop: %+v", report)
	}
	for text, words := range map[string]string{"2,5x": "is not a price in USD", "0": "more than 0", "-4": "more than 0",
		"1.999": "is not a price in USD"} {
		if _, problem := b.edit(typed(text)); problem == nil || problem.Status != 422 ||
			!strings.Contains(problem.Detail, words) {
			t.Errorf("%q: %+v", text, problem)
		}
	}
	if released := b.mustEdit(typed("")).Variants[0]; released.Manual || released.Ladder.Price != v.Ladder.Price {
		t.Errorf("released: %+v", released)
	}
	var audited int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from audit_entry
		where act = 'set prices'`).Scan(&audited); err != nil || audited != 2 {
		t.Errorf("%d in the audit trail, %v", audited, err)
	}
}

func TestWhatIsMissing(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	over := take(t, w, store.ID, w.Offer(gen.OverLimit)).get()
	if over.Report.Ready || over.Report.Variants != "needs_you" ||
		!strings.Contains(over.Report.Findings[0].Words, "144 variants are chosen; this store allows 100") {
		t.Errorf("%+v", over.Report)
	}
	var bare workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d", over.ID), nil, &bare)
	if bare.Report.Price != "empty" || bare.Variants[0].NoPrice != "Connect a store to price it." {
		t.Errorf("without a store: %+v", bare.Report)
	}
}

func TestDiscarding(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	drafts := w.Take(w.Offer(0), w.Offer(1))
	w.Publish(store.ID, drafts[0])
	if problem := w.Owner.Ask("DELETE", fmt.Sprintf("/api/drafts/%d", drafts[0]), nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("a live draft was discarded: %+v", problem)
	}
	w.Owner.Must("DELETE", fmt.Sprintf("/api/drafts/%d", drafts[1]), nil, nil)
	if d := draftOf(w, 0, drafts[1]); !d.Discarded {
		t.Errorf("%+v", d)
	}
	if problem := w.Owner.Ask("DELETE", fmt.Sprintf("/api/drafts/%d", drafts[1]), nil, nil); problem == nil ||
		problem.Status != 404 {
		t.Errorf("%+v", problem)
	}
}
