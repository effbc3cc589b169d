package index

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"plainpelican/core/likeness"
)

// enoughPosts is how many places of words are looked at for what is similar: the rarest words first,
// since the common ones tell little.
const enoughPosts = 200_000

// What a picture tells beside words that is worth a look, and how much more for each hundredth by which it
// is more like: a word that one offer in a hundred holds tells some 4,600. alikeFrom is the likeness at a
// glance that tells anything: 99 of 100 pictures that are one are above 0.83.
const (
	tellsAlike = 4000
	tellsMore  = 400
	alikeFrom  = 0.78
)

var similarities columnPool[int64]

// Similar lists offers that share the most telling words of a text, or whose first picture is like
// another: at most limit, those of which the most tells first, and half as many by their pictures alone. Pictures
// of what is known to weigh other than grams, by otherWeight, are not looked at; 0 grams is not known.
func (s *Snapshot[T]) Similar(words []string, picture *likeness.CoarseDescriptor, grams, limit int) []Hit[T] {
	type asked struct {
		found []wordMatch
		n     int
	}
	var all []asked
	live := s.Len()
	for _, w := range words {
		found := s.findWord(w)
		if n := s.countPostings(found); n > 0 {
			all = append(all, asked{found, n})
		}
	}
	slices.SortStableFunc(all, func(a, b asked) int { return cmp.Compare(a.n, b.n) })
	looked := 0
	for i := range all {
		if looked += all[i].n; looked > enoughPosts && i > 0 {
			all = all[:i]
			break
		}
	}
	var seen []similarPicture
	var looking sync.WaitGroup
	if picture != nil {
		looking.Go(func() { seen = s.similarPictures(picture, int32(grams)) })
	}
	told := make([]*[]int64, len(s.parts)) // what words tell of each row
	sets := make([]bitset, len(s.parts))
	for i := range s.parts {
		p := &s.parts[i]
		scores, set := similarities.get(len(p.ids)), none(len(p.ids))
		told[i], sets[i] = scores, set
		for _, a := range all {
			tells := int64(1000 * math.Log(1+float64(live)/float64(a.n)))
			held := none(len(p.ids)) // a row may hold several forms of a word
			p.eachPosting(a.found[i], func(row uint32) {
				if !held.has(row) {
					held.add(row)
					set.add(row)
					(*scores)[row] += tells
				}
			})
		}
	}
	looking.Wait()
	for _, sight := range seen {
		sets[sight.part].add(sight.row)
		(*told[sight.part])[sight.row] += int64(tellsAlike + (sight.like-alikeFrom)*100*tellsMore)
	}
	top := &topRows{keep: limit}
	for i := range s.parts {
		sets[i].and(s.parts[i].live)
		top.part = i
		pickByColumn(sets[i], s.parts[i].ids, *told[i], false, top)
		similarities.put(told[i])
	}
	found := top.sorted()
	if picture != nil {
		found = s.dropOtherPictures(found, picture)
	}
	for _, sight := range seen[:min(len(seen), (limit+1)/2)] {
		if !slices.ContainsFunc(found, func(e entry) bool { return e.part == sight.part && e.row == int(sight.row) }) {
			found = append(found, entry{0, s.parts[sight.part].ids[sight.row], sight.part, int(sight.row)})
		}
	}
	return s.hits(found)
}

// countPostings counts the rows that hold a word, those that are gone among them: near enough for weighing.
func (s *Snapshot[T]) countPostings(found []wordMatch) (n int) {
	for i, l := range found {
		for _, words := range l.spans {
			n += int(s.parts[i].offsets[words.to] - s.parts[i].offsets[words.from])
		}
	}
	return n
}

// IDF is how much a word tells: the logarithm of how few offers hold it.
func (s *Snapshot[T]) IDF(word string) float64 {
	return math.Log(1 + float64(s.Len())/float64(max(s.countPostings(s.findWord(word)), 1)))
}

// Lookup lists the offers with some ids; those that are not there are left out.
func (s *Snapshot[T]) Lookup(ids []int64) []Hit[T] {
	var found []entry
	for _, id := range ids {
		for i := range s.parts {
			p := &s.parts[i]
			if row, there := slices.BinarySearch(p.ids, id); there && p.live.has(uint32(row)) {
				found = append(found, entry{0, id, i, row})
			}
		}
	}
	return s.hits(found)
}
