package index

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"testing"

	"plainpelican/core/likeness"
)

// The same words over another picture are left out, but for the first few; without a picture they stay.
func TestOtherPicturesAreLeftOut(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 24))
	var rows []Entry[StoreValues]
	for id := range int64(90) {
		e := Entry[StoreValues]{Row: Row{ID: id + 1, Text: "enamel mug"}}
		if id < 80 {
			e.Picture = blots(r, uint64(min(id/10, 1))) // ten of one, seventy of another
		}
		rows = append(rows, e)
	}
	glance := blots(r, 0)
	var same, other, without int
	for _, h := range Build(rows, Offered{}, nil).Similar([]string{"enamel", "mug"}, &glance, 0, 100) {
		switch {
		case h.ID <= 10:
			same++
		case h.ID <= 80:
			other++
		default:
			without++
		}
	}
	if same != 10 || other != firstFew-10 || without != 10 {
		t.Errorf("%d of the same picture, %d of another, %d without", same, other, without)
	}
}

// blots is a made-up picture of a number, as a shop compresses it.
func blots(r *rand.Rand, of uint64) likeness.CoarseDescriptor {
	draw := rand.New(rand.NewPCG(of, 1))
	gray := make([]uint8, 80*80)
	for range 12 {
		x, y, size, tone := draw.IntN(80), draw.IntN(80), 4+draw.IntN(16), uint8(draw.IntN(256))
		for v := max(0, y-size); v < min(80, y+size); v++ {
			for u := max(0, x-size); u < min(80, x+size); u++ {
				gray[v*80+u] = tone
			}
		}
	}
	for i := range gray {
		gray[i] += uint8(r.IntN(3))
	}
	p := likeness.PictureOf(gray, 80, 80)
	return p.Descriptor()
}

// Likes by words and by pictures, against looking at every row; rows without pictures, changed ones,
// those that are gone and merged segments among them.
func TestLikePicturesAreFound(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	snapshot, known := world(r, 300)
	shown := map[int64]uint64{}
	for round := range 40 {
		var changed []Entry[StoreValues]
		var gone []int64
		for range 30 {
			id := int64(1 + r.IntN(900))
			e := randomRow(r, id)
			delete(shown, id)
			if r.IntN(4) > 0 {
				shown[id] = uint64(r.IntN(40))
				e.Picture, e.Grams = blots(r, shown[id]), []int32{0, 84, 85, 100, 117, 118}[r.IntN(6)]
			}
			changed, known[id] = append(changed, e), e
		}
		for range 5 {
			id := int64(1 + r.IntN(900))
			gone = append(gone, id)
			changed = slices.DeleteFunc(changed, func(e Entry[StoreValues]) bool { return e.ID == id })
			delete(known, id)
			delete(shown, id)
		}
		snapshot = snapshot.Apply(changed, gone)
		of := uint64(r.IntN(40))
		glance := blots(r, of)
		var want, got []int64
		for id, e := range known {
			if glance.Like(&e.Picture.Hashes, &e.Picture.Rough) >= minCoarseLikeness &&
				glance.Closely(&e.Picture) >= alikeFrom && (e.Grams == 0 || e.Grams >= 85 && e.Grams <= 117) {
				want = append(want, id)
			}
		}
		for _, h := range snapshot.Similar(nil, &glance, 100, 1000) {
			got = append(got, h.ID)
		}
		best := slices.Clone(got)
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("round %d: %v, want %v", round, got, want)
		}
		for id, which := range shown {
			if g := known[id].Grams; which == of && (g == 0 || g >= 85 && g <= 117) && !slices.Contains(got, id) {
				t.Errorf("round %d: row %d shows the same and is not found", round, id)
			}
		}
		if len(best) > 0 && len(snapshot.Similar(nil, &glance, 100, 1)) != 1 {
			t.Errorf("round %d: the nearest alone is not found", round)
		}
	}
}

// Sorting only the foremost leaves the same ones in front as sorting all does.
func TestTheForemostAreTheMostAlike(t *testing.T) {
	r := rand.New(rand.NewPCG(25, 26))
	for range 200 {
		all := make([]similarPicture, 1+r.IntN(900))
		for i := range all {
			all[i] = similarPicture{row: uint32(i), like: []float64{r.Float64(), 0.5, 1}[r.IntN(3)]}
		}
		most := 1 + r.IntN(500)
		likes := func(of []similarPicture) (out []float64) {
			for _, s := range of {
				out = append(out, s.like)
			}
			slices.SortFunc(out, func(a, b float64) int { return cmp.Compare(b, a) })
			return out[:min(len(out), most)]
		}
		want := likes(all)
		few := mostAlike(slices.Clone(all), most)
		if got := likes(few); !slices.Equal(got, want) {
			t.Fatalf("of %d the %d most alike are not those in front: %v, want %v", len(all), most, got, want)
		}
	}
}
