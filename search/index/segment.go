package index

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"plainpelican/core/terms"
)

// segment is an index over some rows, in the order of their ids.
type segment[T any] struct {
	ids      []int64
	facets   [facetCount]facet
	numbers  [numberCount][]int32
	sliced   [numberCount]bitSliced[int32]
	bounded  [numberCount]bounds[int32]
	items    []T
	pictures pictureIndex
	// firstSeenSince are the rows first seen since a day, kept when they were asked for.
	firstSeenSince sync.Map

	vocabulary []string // sorted
	// accented are the words with accents, by what they are without; plain the words of letters alone; alike those of
	// them with the same stem.
	accented []accentedWord
	plain    []uint32
	byStem   map[string][]uint32
	// words are each row's words by their index in the vocabulary, in the order of its text, from starts[row]. Those
	// marked as also stand where the one before them does.
	words  []uint32
	starts []uint32
	// postings are the rows that hold each word, from heads[word]; first is where each holds it first.
	postings       []uint32
	firstPositions []uint8
	offsets        []uint32
	// productCodes find rows by their product numbers.
	productCodes []uint64
}

// samePosition marks a word of a row that stands at the position of the one before it, begins the first of a text
// of its own:
// no phrase goes over it.
const (
	samePosition = 1 << 31
	newText      = 1 << 30
	wordFlags    = samePosition | newText
)

// accentedWord is a word with accents.
type accentedWord struct {
	plain string
	word  uint32
}

// seenSince is the rows that were first seen on a day or later.
func (s *segment[T]) seenSince(day int32) counted {
	if known, ok := s.firstSeenSince.Load(day); ok {
		return known.(counted)
	}
	set := newCounted(s.sliced[Seen].within(s.numbers[Seen], day, false))
	s.firstSeenSince.Store(day, set)
	return set
}

// build makes a segment of rows in the order of their ids.
func build[T any](rows []Entry[T], offered Offered) *segment[T] {
	n := len(rows)
	s := &segment[T]{ids: make([]int64, n), items: make([]T, n), starts: make([]uint32, n+1)}
	var coders [facetCount]*valueCoder
	for f := range coders {
		coders[f] = newValueCoder(Facet(f), n)
	}
	for k := range s.numbers {
		s.numbers[k] = make([]int32, n)
	}
	known := map[string]uint32{}
	var met []string // words in the order in which they were met
	var cutter terms.Cutter
	fresh := false
	add := func(term []byte, there bool) {
		id, ok := known[string(term)]
		if !ok {
			id = uint32(len(met))
			word := string(term)
			known[word] = id
			met = append(met, word)
		}
		if there {
			id |= samePosition
		} else if fresh {
			id |= newText
			fresh = false
		}
		s.words = append(s.words, id)
	}
	for i := range rows {
		r := &rows[i]
		s.ids[i], s.items[i] = r.ID, r.Item
		for k, v := range r.Numbers {
			s.numbers[k][i] = v
		}
		for f, c := range coders {
			c.code = append(c.code, c.codeOf(r.Facets[f]))
		}
		if r.Picture.Hashes.Known() {
			s.pictures.add(uint32(i), r.Grams, &r.Picture.Hashes, &r.Picture.Rough)
		}
		cutter.Cut(r.Text, add)
		for _, value := range r.Values {
			fresh = true
			cutter.Cut(value, add)
		}
		fresh = false
		s.addCodes(i, r.Codes)
		s.starts[i+1] = uint32(len(s.words))
	}
	order := make([]uint32, len(met))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(a, b uint32) int { return strings.Compare(met[a], met[b]) })
	position := make([]uint32, len(met))
	s.vocabulary = make([]string, len(met))
	for at, id := range order {
		position[id], s.vocabulary[at] = uint32(at), met[id]
	}
	for i, w := range s.words {
		s.words[i] = position[w&^wordFlags] | w&wordFlags
	}
	slices.Sort(s.productCodes)
	s.productCodes = slices.Compact(s.productCodes)
	s.finish(coders, offered)
	return s
}

// finish makes all that rests on the columns.
func (s *segment[T]) finish(coders [facetCount]*valueCoder, offered Offered) {
	s.pictures = s.pictures.sorted(len(s.ids))
	for f, c := range coders {
		s.facets[f] = c.facet.finish()
	}
	for k := range s.numbers {
		s.sliced[k] = bitSlicedOf(s.numbers[k])
		s.bounded[k] = boundsOf(&s.sliced[k], s.numbers[k], offered[k], Number(k).atMost())
	}
	s.byStem = map[string][]uint32{}
	for at, word := range s.vocabulary {
		plain := terms.Fold(word)
		if plain != word {
			s.accented = append(s.accented, accentedWord{plain, uint32(at)})
		}
		if terms.IsPlain(plain) {
			s.plain = append(s.plain, uint32(at))
			stem := terms.Stem(plain)
			s.byStem[stem] = append(s.byStem[stem], uint32(at))
		}
	}
	slices.SortFunc(s.accented, func(a, b accentedWord) int {
		return cmp.Or(strings.Compare(a.plain, b.plain), cmp.Compare(a.word, b.word))
	})
	s.buildPostings()
}

// buildPostings fills in which rows hold each word, from which words each row holds.
func (s *segment[T]) buildPostings() {
	s.offsets = make([]uint32, len(s.vocabulary)+1)
	last := make([]uint32, len(s.vocabulary)) // the row, from 1, in which a word was met last
	for i := range s.ids {
		for _, w := range s.words[s.starts[i]:s.starts[i+1]] {
			if w &^= wordFlags; last[w] != uint32(i)+1 {
				last[w] = uint32(i) + 1
				s.offsets[w+1]++
			}
		}
	}
	for w := range s.vocabulary {
		s.offsets[w+1] += s.offsets[w]
	}
	s.postings = make([]uint32, s.offsets[len(s.vocabulary)])
	s.firstPositions = make([]uint8, len(s.postings))
	next := slices.Clone(s.offsets[:len(s.vocabulary)])
	clear(last)
	for i := range s.ids {
		position := -1
		for _, w := range s.words[s.starts[i]:s.starts[i+1]] {
			if w&samePosition == 0 {
				position++
			}
			if w &^= wordFlags; last[w] != uint32(i)+1 {
				last[w] = uint32(i) + 1
				s.postings[next[w]], s.firstPositions[next[w]] = uint32(i), uint8(max(0, min(position, 255)))
				next[w]++
			}
		}
	}
}

// merge makes one segment of what is alive in some.
func (snap *Snapshot[T]) merge(parts []part[T]) part[T] {
	n, words := 0, 0
	for _, p := range parts {
		n += p.liveCount
		words += len(p.words)
	}
	s := &segment[T]{ids: make([]int64, 0, n), items: make([]T, 0, n), starts: make([]uint32, 1, n+1),
		words: make([]uint32, 0, words)}
	out := part[T]{segment: s, live: full(n), liveCount: n, storeColumns: map[int64]*columns{},
		cheapest: map[int64]func() *columns{}}
	from := make([]rowOf, 0, n) // which row of which part each is
	at := make([]int, len(parts))
	for i := range parts {
		at[i] = parts[i].nextLive(0)
	}
	for range n {
		least := -1
		for i := range parts {
			if at[i] < len(parts[i].ids) && (least < 0 || parts[i].ids[at[i]] < parts[least].ids[at[least]]) {
				least = i
			}
		}
		from = append(from, rowOf{least, at[least]})
		at[least] = parts[least].nextLive(at[least] + 1)
	}
	become := make([][]int32, len(parts)) // the row of each alive row of a part, from 1
	for i := range parts {
		become[i] = make([]int32, len(parts[i].ids))
	}
	vocabulary, places := mergedVocabulary(parts)
	s.vocabulary = vocabulary
	for row, r := range from {
		p := &parts[r.part]
		become[r.part][r.row] = int32(row) + 1
		s.ids, s.items = append(s.ids, p.ids[r.row]), append(s.items, p.items[r.row])
		for _, w := range p.words[p.starts[r.row]:p.starts[r.row+1]] {
			s.words = append(s.words, places[r.part][w&^wordFlags]|w&wordFlags)
		}
		s.starts = append(s.starts, uint32(len(s.words)))
	}
	for i := range parts {
		of := &parts[i].pictures
		for at, row := range of.rows {
			if now := become[i][row]; now > 0 {
				s.pictures.add(uint32(now-1), of.grams[at], &of.hashes[at], &of.rough[at])
			}
		}
	}
	codes := make([][]uint64, len(parts))
	for i := range parts {
		codes[i] = parts[i].productCodes
	}
	s.mergeCodes(codes, become)
	for k := range s.numbers {
		s.numbers[k] = gatherColumn(from, func(i int) []int32 { return parts[i].numbers[k] })
	}
	for store, price := range snap.prices {
		c := &columns{}
		for f := range c.values {
			c.values[f] = gatherColumn(from, func(i int) []int64 { return parts[i].storeColumns[store].values[f] })
		}
		c.bound(price.Offered)
		out.storeColumns[store] = c
		out.cheapest[store] = cheapestOf(s.items, price)
	}
	var coders [facetCount]*valueCoder
	for f := range coders {
		coders[f] = newValueCoder(Facet(f), n)
		placed := make([][]uint32, len(parts)) // the position of each value of a part
		for i := range parts {
			placed[i] = make([]uint32, len(parts[i].facets[f].values))
		}
		for _, r := range from {
			old := parts[r.part].facets[f]
			code := old.code[r.row]
			if placed[r.part][code] == 0 {
				placed[r.part][code] = coders[f].codeOf(old.values[code]) + 1
			}
			coders[f].code = append(coders[f].code, placed[r.part][code]-1)
		}
	}
	s.dropUnusedWords()
	s.finish(coders, snap.offered)
	return out
}

type rowOf struct{ part, row int }

// gatherColumn takes a column's values of the rows told.
func gatherColumn[V any](from []rowOf, column func(part int) []V) []V {
	out := make([]V, len(from))
	for i, r := range from {
		out[i] = column(r.part)[r.row]
	}
	return out
}

// nextLive is the first row alive from one on; their number where there is none.
func (p *part[T]) nextLive(row int) int {
	for row < len(p.ids) && !p.live.has(uint32(row)) {
		row++
	}
	return row
}

// mergedVocabulary is the words of all, sorted, with the position of each part's words among them.
func mergedVocabulary[T any](parts []part[T]) (all []string, places [][]uint32) {
	at := make([]int, len(parts))
	for _, p := range parts {
		places = append(places, make([]uint32, len(p.vocabulary)))
	}
	for {
		least := -1
		for i := range parts {
			if at[i] < len(parts[i].vocabulary) &&
				(least < 0 || parts[i].vocabulary[at[i]] < parts[least].vocabulary[at[least]]) {
				least = i
			}
		}
		if least < 0 {
			return all, places
		}
		word := parts[least].vocabulary[at[least]]
		for i := range parts {
			if at[i] < len(parts[i].vocabulary) && parts[i].vocabulary[at[i]] == word {
				places[i][at[i]] = uint32(len(all))
				at[i]++
			}
		}
		all = append(all, word)
	}
}

// dropUnusedWords takes out of the vocabulary the words that no row holds any more.
func (s *segment[T]) dropUnusedWords() {
	held := none(len(s.vocabulary))
	for _, w := range s.words {
		held.add(w &^ wordFlags)
	}
	position := make([]uint32, len(s.vocabulary))
	kept := s.vocabulary[:0]
	for w, word := range s.vocabulary {
		if held.has(uint32(w)) {
			position[w] = uint32(len(kept))
			kept = append(kept, word)
		}
	}
	if len(kept) == len(s.vocabulary) {
		return
	}
	s.vocabulary = kept
	for i, w := range s.words {
		s.words[i] = position[w&^wordFlags] | w&wordFlags
	}
}
