package edit

import (
	"slices"

	"plainpelican/core/variant"
)

// Reshape gives a draft other options, and its variants other values, another order, and says which are dropped. It
// names each variant once: none is lost, and each stays tied to what it is bought as. Those that came into the draft
// since it was made, and are dropped, need not be named.
type Reshape struct {
	variant.Shape
}

func (Reshape) Kind() string          { return "variants" }
func (Reshape) Fields(*Draft) []Field { return []Field{Options, Chosen} }

// MovesPrice is true: a variant that is brought back has no price yet.
func (Reshape) MovesPrice() bool { return true }

// Shape is a draft's options and variants.
func (d *Draft) Shape() variant.Shape {
	s := variant.Shape{Options: d.Options}
	for _, v := range d.Variants {
		s.Variants = append(s.Variants, variant.Variant{ID: v.ID, Values: v.Values, Dropped: v.Dropped})
	}
	return s.Clone()
}

func (o Reshape) Apply(d *Draft) (Operation, error) {
	if err := o.Check(); err != nil {
		return nil, wrong(Options, "%s", err)
	}
	before := Reshape{d.Shape()}
	next := make([]Variant, len(o.Variants), len(d.Variants))
	seen := map[int64]bool{}
	for i, v := range o.Variants {
		at := d.variant(v.ID)
		if at < 0 || seen[v.ID] {
			return nil, wrong(Options, "The variants are not those of this draft any more. Look again.")
		}
		seen[v.ID] = true
		next[i] = d.Variants[at]
		next[i].Values, next[i].Dropped, next[i].Name = slices.Clone(v.Values), v.Dropped, o.Name(v)
	}
	for _, v := range d.Variants {
		if seen[v.ID] {
			continue
		}
		if !v.Dropped {
			return nil, wrong(Options, "The variants are not those of this draft any more. Look again.")
		}
		v.Values = make([]int, len(o.Options)) // what its values were is kept by what took it in
		next = append(next, v)
	}
	d.Options, d.Variants = o.Shape.Clone().Options, next
	return before, nil
}

// SetDiscarded throws a draft away, or brings it back.
type SetDiscarded struct {
	Discarded bool `json:"discarded"`
}

func (SetDiscarded) Kind() string          { return "discarding" }
func (SetDiscarded) Fields(*Draft) []Field { return []Field{Discarded} }

// MovesPrice is true: one that is brought back was not priced meanwhile.
func (SetDiscarded) MovesPrice() bool { return true }

func (o SetDiscarded) Apply(d *Draft) (Operation, error) {
	before := SetDiscarded{d.Discarded}
	d.Discarded = o.Discarded
	return before, nil
}
