package workbench

import (
	"context"
	"errors"
	"fmt"
	"html"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/bulk"
	"plainpelican/core/edit"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
)

// BulkInput changes many drafts at once.
type BulkInput struct {
	Drafts []int64     `json:"drafts" minItems:"1" maxItems:"10000"`
	Change bulk.Change `json:"change"`
	// Except are those of the drafts that are left as they are.
	Except []int64 `json:"except,omitempty" maxItems:"10000"`
	// Apply makes the change; otherwise it is only looked at.
	Apply bool `json:"apply,omitempty"`
}

// BulkResult says what became of many drafts, or would become.
type BulkResult struct {
	Lines     []BulkLine `json:"lines" doc:"The first 500 that change or cannot be changed"`
	Changed   int        `json:"changed"`
	Unchanged int        `json:"unchanged"`
	// Stays counts those that cannot be changed so; their lines say why.
	Stays int `json:"stays"`
	// Bulk names the change, to be undone as one step; 0 where nothing was changed.
	Bulk int64 `json:"bulk"`
}

// BulkLine is one draft of them. Before and After are plain text, of long ones the part that differs.
type BulkLine struct {
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
	Picture string `json:"picture"`
	Before  string `json:"before"`
	After   string `json:"after"`
	Stays   bool   `json:"stays"`
	Note    string `json:"note"`
}

// BulkEvent tells browsers how far a change of many drafts is.
type BulkEvent struct {
	MemberID int64 `json:"member_id"`
	Done     int   `json:"done"`
	Of       int   `json:"of"`
}

// ChangeInBulk looks at a change of many drafts, or makes it as one step.
func (s *Service) ChangeInBulk(ctx context.Context, in BulkInput) (BulkResult, error) {
	out := BulkResult{Lines: []BulkLine{}}
	wording, err := s.Wording(ctx)
	if err != nil {
		return out, err
	}
	in.Change.Text, in.Change.With = cleanChange(in.Change)
	plan, err := bulk.Plan(in.Change, wording.Rules)
	var wrong *bulk.Error
	if errors.As(err, &wrong) {
		return out, apikit.Problem(422, "change."+wrong.Part, "%s", wrong.Reason)
	}
	if err != nil {
		return out, err
	}
	ids := slices.DeleteFunc(slices.Clone(in.Drafts), func(id int64) bool { return slices.Contains(in.Except, id) })
	order := map[int64]int{}
	for i, id := range in.Drafts {
		order[id] = i
	}
	drafts, err := load(ctx, s.Pool, s.Media, ids...)
	if err != nil {
		return out, err
	}
	slices.SortFunc(drafts, func(a, b *draft) int { return order[a.id] - order[b.id] })
	facts, err := s.bulkFacts(ctx, drafts)
	if err != nil {
		return out, err
	}
	var change []*draft
	for _, d := range drafts {
		r := plan.For(d.editable(), facts[d.id])
		out.count(d, r)
		if len(r.Operations) > 0 {
			change = append(change, d)
		}
	}
	if !in.Apply || len(change) == 0 {
		return out, nil
	}
	slices.SortFunc(change, func(a, b *draft) int { return int(a.id - b.id) }) // as all that write many do
	out.Bulk, out.Changed, err = s.applyInBulk(ctx, plan, change, facts)
	return out, err
}

// cleanChange is the text of a change that becomes part of a description, as safe HTML.
func cleanChange(c bulk.Change) (text, with string) {
	if c.Act == bulk.AddHeader || c.Act == bulk.AddFooter || c.Act == bulk.SetText && c.Field == edit.Description {
		return safehtml.CleanLinked(c.Text), c.With
	}
	return c.Text, c.With
}

// applyInBulk writes drafts, in the order of their ids, as one step, and counts those that were changed: what a draft
// becomes is worked out anew once it is locked.
func (s *Service) applyInBulk(ctx context.Context, plan *bulk.Planner, drafts []*draft,
	facts map[int64]bulk.Facts) (id int64, changed int, err error) {
	who := access.Who(ctx).MemberID
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		changed = 0
		if err := tx.QueryRow(ctx, `select nextval('bulk_edit')`).Scan(&id); err != nil {
			return err
		}
		var moved []int64
		for i, d := range drafts {
			var operations []edit.Operation
			w, err := s.write(ctx, tx, d.id, writeOptions{bulk: id, variants: true},
				func(w *writing) ([]edit.Operation, error) {
					operations = plan.For(&w.draft, facts[d.id]).Operations
					return operations, nil
				})
			var status huma.StatusError
			gone := errors.As(err, &status) && status.GetStatus() == http.StatusNotFound
			if gone || errors.Is(err, errDiscarded) {
				continue // by somebody else meanwhile
			}
			if err != nil {
				return fmt.Errorf("changing draft %d: %w", d.id, err)
			}
			if len(w.touched) > 0 {
				changed++
			}
			if edit.MovesPrice(operations) {
				moved = append(moved, d.id)
			}
			const step = 200
			if i%step == step-1 {
				// Outside the transaction, so that it is seen; it says nothing that would be wrong if all failed.
				if err := s.Progress.Publish(ctx, "bulk", BulkEvent{who, i + 1, len(drafts)}); err != nil {
					return err
				}
			}
		}
		if changed == 0 {
			id = 0
			return nil
		}
		if len(moved) > 0 {
			if err := s.Pricing.PriceDrafts(ctx, tx, moved); err != nil {
				return err
			}
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int64{"changed": id})
	})
	return id, changed, err
}

func (r *BulkResult) count(d *draft, one bulk.Result) {
	switch {
	case one.Stays:
		r.Stays++
	case len(one.Operations) == 0:
		r.Unchanged++
		return
	default:
		r.Changed++
	}
	if len(r.Lines) >= maxLines {
		return
	}
	line := BulkLine{DraftID: d.id, Title: d.title, Picture: d.path(d.firstShown()), Stays: one.Stays, Note: one.Note}
	line.Before, line.After = excerpt(plainText(one.Before), plainText(one.After))
	r.Lines = append(r.Lines, line)
}

var tagged = regexp.MustCompile(`<[^>]*>`)

// plainText is what a reader sees of HTML; text without tags stays as it is.
func plainText(text string) string {
	if !strings.Contains(text, "<") {
		return text
	}
	return strings.Join(strings.Fields(html.UnescapeString(tagged.ReplaceAllString(text, " "))), " ")
}

// excerpt is of two long texts the part where they begin to differ, with a little before it.
func excerpt(a, b string) (string, string) {
	const most, around = 300, 60
	x, y := []rune(a), []rune(b)
	if len(x) <= most && len(y) <= most {
		return a, b
	}
	same := 0
	for same < len(x) && same < len(y) && x[same] == y[same] {
		same++
	}
	from := max(0, same-around)
	cut := func(r []rune) string {
		from, to := min(from, len(r)), min(from+most, len(r))
		text := string(r[from:to])
		if from > 0 {
			text = "… " + text
		}
		if to < len(r) {
			text += " …"
		}
		return text
	}
	return cut(x), cut(y)
}

// editable is a draft as people edit it.
func (d *draft) editable() *edit.Draft {
	e := d.text
	e.Title, e.Description, e.Pictures, e.Options = d.title, d.description, d.pictures, d.options
	e.Collections, e.Tags, e.OfferID = d.collections, d.tags, d.offerID
	add := func(v *draftVariant, dropped bool) {
		e.Variants = append(e.Variants, edit.Variant{ID: v.id, Name: d.name(v), Chosen: v.chosen, Codes: v.codes,
			Values: v.valueIndexes, Dropped: dropped,
			Purchase: edit.Purchase{VariantID: v.id, OfferVariantID: v.offerVariantID, PictureID: v.pictureID,
				OtherOfferID: v.otherOffer()}})
	}
	for i := range d.variants {
		add(&d.variants[i], false)
	}
	for i := range d.dropped {
		add(&d.dropped[i], true)
	}
	return &e
}

// bulkFacts are what changes may ask of drafts besides themselves.
func (s *Service) bulkFacts(ctx context.Context, drafts []*draft) (map[int64]bulk.Facts, error) {
	offers := make([]int64, len(drafts))
	for i, d := range drafts {
		offers[i] = d.offerID
	}
	rows, err := s.Pool.Query(ctx, `select o.id, o.description, coalesce((select min(weight_grams)
			from facts.offer_variant v where v.offer_id = o.id and not v.withdrawn and weight_grams > 0), 0)
		from facts.offer o where o.id = any ($1)`, offers)
	if err != nil {
		return nil, err
	}
	descriptions, weights := map[int64]string{}, map[int64]int{}
	var id int64
	var description string
	var grams int
	if _, err := pgx.ForEachRow(rows, []any{&id, &description, &grams}, func() error {
		descriptions[id], weights[id] = description, grams
		return nil
	}); err != nil {
		return nil, err
	}
	ids := make([]int64, len(drafts))
	for i, d := range drafts {
		ids[i] = d.id
	}
	if rows, err = s.Pool.Query(ctx, `select distinct draft_id from facts.listing where draft_id = any ($1)
		order by 1`,
		ids); err != nil {
		return nil, err
	}
	live, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return nil, err
	}
	out := map[int64]bulk.Facts{}
	for _, d := range drafts {
		category := d.facts.Category
		if at := strings.LastIndex(category, ">"); at >= 0 {
			category = strings.TrimSpace(category[at+1:])
		}
		f := bulk.Facts{DraftID: d.id, Stock: map[int64]int{}, Title: d.offerTitle,
			Description: originalDescription(descriptions[d.offerID]),
			Values: map[string]string{"brand": d.facts.Brand, "category": category,
				"weight": weightText(weights[d.offerID])}}
		_, f.Live = slices.BinarySearch(live, d.id)
		for i := range d.variants {
			f.Stock[d.variants[i].id] = d.variants[i].stock
		}
		out[d.id] = f
	}
	return out, nil
}

// weightText writes a weight as labels do; that of 0 is not known.
func weightText(grams int) string {
	switch {
	case grams <= 0:
		return ""
	case grams < 1000:
		return fmt.Sprintf("%d g", grams)
	case grams%1000 == 0:
		return fmt.Sprintf("%d kg", grams/1000)
	}
	return strings.TrimRight(fmt.Sprintf("%d.%03d", grams/1000, grams%1000), "0") + " kg"
}
