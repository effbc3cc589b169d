package workbench

import (
	"context"
	"slices"
	"strings"

	"plainpelican/core/edit"
	"plainpelican/core/readiness"
	"plainpelican/core/words"
	"plainpelican/platform/database"
)

// Wording are the seller's own lists of words.
type Wording struct {
	words.Rules
	// Unwanted are words that may not be used: a brand without rights, a claim that is not allowed.
	Unwanted []words.Unwanted `json:"unwanted" maxItems:"1000"`
	// Standard is that nobody has changed the lists.
	Standard bool `json:"standard,omitempty" readOnly:"true"`
}

// Wording reads the lists; those that nobody has changed are the standard ones.
func (s *Service) Wording(ctx context.Context) (Wording, error) {
	w := Wording{}
	err := s.Pool.QueryRow(ctx, `select rules, unwanted from wording`).Scan(&w.Rules, &w.Unwanted)
	if database.Missing(err) {
		return Wording{words.Standard(), []words.Unwanted{}, true}, nil
	}
	return w, err
}

// SetWording stores the lists, each word once.
func (s *Service) SetWording(ctx context.Context, in Wording) (Wording, error) {
	in.Noise, in.Exceptions = once(in.Noise), once(in.Exceptions)
	seen := map[string]bool{}
	in.Unwanted = slices.DeleteFunc(slices.Clone(in.Unwanted), func(u words.Unwanted) bool {
		folded := strings.ToLower(strings.TrimSpace(u.Text))
		before := seen[folded]
		seen[folded] = true
		return before || folded == ""
	})
	_, err := s.Pool.Exec(ctx, `insert into wording (rules, unwanted) values ($1, $2)
		on conflict (only_row) do update set rules = excluded.rules, unwanted = excluded.unwanted`, asJSON(in.Rules),
		asJSON(in.Unwanted))
	if err != nil {
		return Wording{}, err
	}
	if err := s.Progress.Publish(ctx, "drafts", map[string]bool{"wording": true}); err != nil {
		return Wording{}, err
	}
	return s.Wording(ctx)
}

// ResetWording brings the lists for tidying back to the standard ones; the unwanted words stay.
func (s *Service) ResetWording(ctx context.Context) (Wording, error) {
	now, err := s.Wording(ctx)
	if err != nil {
		return now, err
	}
	now.Rules = words.Standard()
	return s.SetWording(ctx, now)
}

func once(list []string) []string {
	seen := map[string]bool{}
	out := []string{}
	for _, word := range list {
		word = strings.Join(strings.Fields(word), " ")
		if word != "" && !seen[word] {
			out = append(out, word)
		}
		seen[word] = true
	}
	return out
}

// unwanted are the words that may not be used.
func (s *Service) unwanted(ctx context.Context) (list []words.Unwanted, err error) {
	err = s.Pool.QueryRow(ctx, `select unwanted from wording`).Scan(&list)
	if database.Missing(err) {
		return nil, nil
	}
	return list, err
}

// wordsOf are the words of a draft as they stand in a store.
func wordsOf(d *edit.Draft, storeID int64) readiness.Draft {
	title, description := d.Words(storeID)
	return readiness.Draft{Title: title, Description: description, SearchTitle: d.SearchTitle,
		SearchDescription: d.SearchDescription}
}

// Tidied are the changes that are proposed for the words of a draft, and how much of them is the supplier's wording.
type Tidied struct {
	Title       []words.Part  `json:"title"`
	Description []words.Part  `json:"description"`
	Wording     words.Wording `json:"wording" doc:"Of the description"`
	// TitleWording is that of the title.
	TitleWording words.Wording `json:"title_wording"`
}

// Tidy proposes what to change in the words of a draft.
func (s *Service) Tidy(ctx context.Context, id int64) (Tidied, error) {
	w, err := s.Wording(ctx)
	if err != nil {
		return Tidied{}, err
	}
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return Tidied{}, err
	}
	var original string
	if err := s.Pool.QueryRow(ctx, `select description from facts.offer where id = $1`, d.offerID).
		Scan(&original); err != nil {
		return Tidied{}, err
	}
	return Tidied{words.TidyTitle(d.title, w.Rules), words.TidyDescription(d.description),
		words.WordingOf(d.description, original), words.WordingOf(d.title, d.offerTitle)}, nil
}
