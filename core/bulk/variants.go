package bulk

import (
	"slices"
	"strconv"
	"strings"
	"unicode"

	"plainpelican/core/edit"
	"plainpelican/core/variant"
)

// skus sets the SKU of each variant by the pattern: its facts are those of the draft, "n" the variant's place from 1,
// and each option's value.
func (p *Planner) skus(d *edit.Draft, f Facts) Result {
	shared := facts(d, f)
	op := edit.SetCodes{}
	var before, after []string
	n := 0
	for _, v := range d.Variants {
		if v.Dropped {
			continue
		}
		n++
		of := map[string]string{}
		for name, value := range shared {
			of[name] = code(value)
		}
		of["n"] = strconv.Itoa(n)
		for i, o := range d.Options {
			of[strings.ToLower(o.Name)] = code(o.Values[v.Values[i]].Name)
		}
		sku, missing := p.pattern.Fill(of)
		if len(missing) > 0 {
			return Result{Stays: true, Note: "Not known: " + strings.Join(missing, ", ") + "."}
		}
		if sku == v.SKU {
			continue
		}
		op.Codes = append(op.Codes, edit.VariantCodes{VariantID: v.ID, SKU: &sku})
		before, after = append(before, v.SKU), append(after, sku)
	}
	if len(op.Codes) == 0 {
		return Result{}
	}
	return p.checked(d, Result{Operations: []edit.Operation{op}, Before: some(before), After: some(after)})
}

// checked is a result, or that it stays where its operations cannot be applied.
func (p *Planner) checked(d *edit.Draft, r Result) Result {
	trial := *d
	trial.Variants, trial.Options = slices.Clone(d.Variants), slices.Clone(d.Options)
	if _, _, err := edit.ApplyAll(&trial, r.Operations); err != nil {
		return Result{Stays: true, Before: r.Before, Note: err.Error()}
	}
	return r
}

// code is a value as SKUs have it: capitals and digits, a hyphen between words.
func code(value string) string {
	var out strings.Builder
	gap := false
	for _, r := range strings.ToUpper(value) {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			if gap && out.Len() > 0 {
				out.WriteByte('-')
			}
			gap = false
			out.WriteRune(r)
		} else {
			gap = true
		}
	}
	return out.String()
}

func some(list []string) string {
	const most = 3
	list = slices.DeleteFunc(slices.Clone(list), func(s string) bool { return s == "" })
	if len(list) > most {
		return strings.Join(list[:most], ", ") + " and " + strconv.Itoa(len(list)-most) + " more"
	}
	return strings.Join(list, ", ")
}

// choose sells the variants that have one of some values, or not; or those that are in stock.
func (p *Planner) choose(d *edit.Draft, f Facts) Result {
	next := []int64{}
	meant := false
	for _, v := range d.Variants {
		if v.Dropped {
			continue
		}
		has := false
		for i, o := range d.Options {
			value := o.Values[v.Values[i]].Name
			has = has || slices.ContainsFunc(p.change.Names, func(n string) bool { return strings.EqualFold(n, value) })
		}
		meant = meant || has
		sold := v.Chosen
		switch p.change.Act {
		case ChooseValues:
			sold = v.Chosen || has
		case LeaveOutValues:
			sold = v.Chosen && !has
		case ChooseInStock:
			sold, meant = f.Stock[v.ID] > d.Reserve && v.OfferVariantID != 0, true
		}
		if sold && v.OfferVariantID != 0 || sold && v.Chosen {
			next = append(next, v.ID)
		}
	}
	now := d.Chosen()
	if !meant || slices.Equal(now, next) {
		return Result{}
	}
	r := Result{Operations: []edit.Operation{edit.ChooseVariants{Chosen: next}},
		Before: strconv.Itoa(len(now)) + " variants", After: strconv.Itoa(len(next)) + " variants"}
	if len(next) == 0 {
		r.Note = "No variant would be sold."
	}
	return r
}

// rename gives a value another name, in whichever option has it.
func (p *Planner) rename(d *edit.Draft) Result {
	next := make([]variant.Option, len(d.Options))
	changed := false
	for i, o := range d.Options {
		next[i] = o
		next[i].Values = slices.Clone(o.Values)
		for j, v := range o.Values {
			if strings.EqualFold(strings.TrimSpace(p.change.Text), v.Name) && v.Name != p.change.With {
				next[i].Values[j].Name, changed = p.change.With, true
			}
		}
	}
	if !changed {
		return Result{}
	}
	return p.checked(d, Result{Operations: []edit.Operation{edit.RenameOptions{Options: next}}, Before: p.change.Text,
		After: p.change.With})
}
