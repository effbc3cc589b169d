package index

import (
	"cmp"
	"slices"
	"strings"
)

// segment is an index over some rows, in the order of their ids.
type segment[T any] struct {
	ids                  []int64
	stock, rating, units []int32
	sources              facet[int64]
	shipsFrom            facet[string]
	categories           facet[string]
	things               []T

	vocabulary []string // sorted
	// words are the places in the vocabulary of each row's words, in the order of its text, from starts[row].
	words  []uint32
	starts []uint32
	// posts are the rows that hold each word, from heads[word].
	posts []uint32
	heads []uint32
}

// facet gives each row the place of its value among the distinct ones.
type facet[V cmp.Ordered] struct {
	values []V
	code   []uint32
}

// coder gives values their places.
type coder[V cmp.Ordered] struct {
	facet[V]
	known map[V]uint32
}

func (c *coder[V]) place(v V) uint32 {
	code, ok := c.known[v]
	if !ok {
		code = uint32(len(c.values))
		c.known[v] = code
		c.values = append(c.values, v)
	}
	return code
}

func newFacet[V cmp.Ordered, R any](rows []R, of func(*R) V) facet[V] {
	c := coder[V]{known: map[V]uint32{}}
	c.code = make([]uint32, len(rows))
	for i := range rows {
		c.code[i] = c.place(of(&rows[i]))
	}
	return c.facet
}

// build makes a segment of rows in the order of their ids.
func build[T any](rows []Entry[T]) *segment[T] {
	n := len(rows)
	s := &segment[T]{ids: make([]int64, n), stock: make([]int32, n), rating: make([]int32, n), units: make([]int32, n), things: make([]T, n), starts: make([]uint32, n+1)}
	known := map[string]uint32{}
	var met []string // words in the order in which they were met
	var buffer []byte
	for i := range rows {
		r := &rows[i]
		s.ids[i], s.stock[i], s.rating[i], s.units[i], s.things[i] = r.ID, r.Stock, r.Rating, r.Units, r.Thing
		buffer = eachTerm(r.Text, buffer, func(term []byte) {
			id, ok := known[string(term)]
			if !ok {
				id = uint32(len(met))
				word := string(term)
				known[word] = id
				met = append(met, word)
			}
			s.words = append(s.words, id)
		})
		s.starts[i+1] = uint32(len(s.words))
	}
	s.sources = newFacet(rows, func(r *Entry[T]) int64 { return r.Source })
	s.shipsFrom = newFacet(rows, func(r *Entry[T]) string { return r.ShipsFrom })
	s.categories = newFacet(rows, func(r *Entry[T]) string { return r.Category })

	order := make([]uint32, len(met))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(a, b uint32) int { return strings.Compare(met[a], met[b]) })
	place := make([]uint32, len(met))
	s.vocabulary = make([]string, len(met))
	for at, id := range order {
		place[id], s.vocabulary[at] = uint32(at), met[id]
	}
	for i, w := range s.words {
		s.words[i] = place[w]
	}
	s.post()
	return s
}

// post fills in which rows hold each word, from which words each row holds.
func (s *segment[T]) post() {
	s.heads = make([]uint32, len(s.vocabulary)+1)
	last := make([]uint32, len(s.vocabulary)) // the row, from 1, in which a word was met last
	for i := range s.ids {
		for _, w := range s.words[s.starts[i]:s.starts[i+1]] {
			if last[w] != uint32(i)+1 {
				last[w] = uint32(i) + 1
				s.heads[w+1]++
			}
		}
	}
	for w := range s.vocabulary {
		s.heads[w+1] += s.heads[w]
	}
	s.posts = make([]uint32, s.heads[len(s.vocabulary)])
	next := slices.Clone(s.heads[:len(s.vocabulary)])
	clear(last)
	for i := range s.ids {
		for _, w := range s.words[s.starts[i]:s.starts[i+1]] {
			if last[w] != uint32(i)+1 {
				last[w] = uint32(i) + 1
				s.posts[next[w]] = uint32(i)
				next[w]++
			}
		}
	}
}

// merge makes one segment of what is alive in some.
func merge[T any](parts []part[T], prices Prices[T]) part[T] {
	n, words := 0, 0
	for _, p := range parts {
		n += p.live
		words += len(p.words)
	}
	s := &segment[T]{ids: make([]int64, 0, n), stock: make([]int32, 0, n), rating: make([]int32, 0, n), units: make([]int32, 0, n), things: make([]T, 0, n),
		starts: make([]uint32, 1, n+1), words: make([]uint32, 0, words)}
	out := part[T]{segment: s, alive: full(n), live: n, money: map[int64][]Money{}}
	for store := range prices {
		out.money[store] = make([]Money, 0, n)
	}
	vocabulary, places := mergedVocabulary(parts)
	s.vocabulary = vocabulary
	sources := coder[int64]{known: map[int64]uint32{}}
	from, categories := coder[string]{known: map[string]uint32{}}, coder[string]{known: map[string]uint32{}}
	at := make([]int, len(parts))
	for i := range parts {
		at[i] = parts[i].nextAlive(0)
	}
	for range n {
		least := -1
		for i := range parts {
			if at[i] < len(parts[i].ids) && (least < 0 || parts[i].ids[at[i]] < parts[least].ids[at[least]]) {
				least = i
			}
		}
		p, row := &parts[least], at[least]
		at[least] = p.nextAlive(row + 1)
		s.ids, s.stock, s.rating, s.units, s.things = append(s.ids, p.ids[row]), append(s.stock, p.stock[row]), append(s.rating, p.rating[row]), append(s.units, p.units[row]), append(s.things, p.things[row])
		for store := range prices {
			out.money[store] = append(out.money[store], p.money[store][row])
		}
		sources.code = append(sources.code, sources.place(p.sources.values[p.sources.code[row]]))
		from.code = append(from.code, from.place(p.shipsFrom.values[p.shipsFrom.code[row]]))
		categories.code = append(categories.code, categories.place(p.categories.values[p.categories.code[row]]))
		for _, w := range p.words[p.starts[row]:p.starts[row+1]] {
			s.words = append(s.words, places[least][w])
		}
		s.starts = append(s.starts, uint32(len(s.words)))
	}
	s.sources, s.shipsFrom, s.categories = sources.facet, from.facet, categories.facet
	s.forget()
	s.post()
	out.tally = s.tally()
	return out
}

// nextAlive is the first row alive from one on; their number where there is none.
func (p *part[T]) nextAlive(row int) int {
	for row < len(p.ids) && !p.alive.has(uint32(row)) {
		row++
	}
	return row
}

// mergedVocabulary is the words of all, sorted, with the place of each part's words among them.
func mergedVocabulary[T any](parts []part[T]) (all []string, places [][]uint32) {
	at := make([]int, len(parts))
	for _, p := range parts {
		places = append(places, make([]uint32, len(p.vocabulary)))
	}
	for {
		least := -1
		for i := range parts {
			if at[i] < len(parts[i].vocabulary) && (least < 0 || parts[i].vocabulary[at[i]] < parts[least].vocabulary[at[least]]) {
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

// forget takes out of the vocabulary the words that no row holds any more.
func (s *segment[T]) forget() {
	held := none(len(s.vocabulary))
	for _, w := range s.words {
		held.add(w)
	}
	place := make([]uint32, len(s.vocabulary))
	kept := s.vocabulary[:0]
	for w, word := range s.vocabulary {
		if held.has(uint32(w)) {
			place[w] = uint32(len(kept))
			kept = append(kept, word)
		}
	}
	if len(kept) == len(s.vocabulary) {
		return
	}
	s.vocabulary = kept
	for i, w := range s.words {
		s.words[i] = place[w]
	}
}
