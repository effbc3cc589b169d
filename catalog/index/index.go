// Package index answers what is asked of the catalog from memory: it knows nothing of
// HTTP or the database. A snapshot never changes, so a question sees one state; a newer
// snapshot takes its place whole.
//
// Facts lie in columns by row, so that a clause is one pass over one column into a set of
// bitset, and the count of every choice, given the other clauses, is exact.
package index

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// Row is what the index must know of an offer.
type Row struct {
	ID        int64
	Text      string // title, supplier, category, brand
	Source    int64
	ShipsFrom string
	Category  string
	Stock     int32
	Rating    int32 // tenths
	Units     int32 // sold in the last four weeks
}

// Money is what an offer comes to in one store; all in its currency's minor units.
// Sellable is false where it has no price there.
type Money struct {
	Landed, Price, Profit int64
	Margin                int64 // millionths
	Days                  int32 // door to door, the upper end
	Sellable              bool
}

// Snapshot is one state of the catalog.
type Snapshot struct {
	rows       []Row
	postings   map[string][]uint32
	vocabulary []string // sorted
	sources    facet[int64]
	shipsFrom  facet[string]
	categories facet[string]
	stores     map[int64][]Money
}

// facet gives each row the place of its value among the distinct ones.
type facet[T cmp.Ordered] struct {
	values []T
	code   []uint16
}

func newFacet[T cmp.Ordered](rows []Row, of func(*Row) T) facet[T] {
	f := facet[T]{code: make([]uint16, len(rows))}
	known := map[T]uint16{}
	for i := range rows {
		v := of(&rows[i])
		code, ok := known[v]
		if !ok {
			code = uint16(len(f.values))
			known[v] = code
			f.values = append(f.values, v)
		}
		f.code[i] = code
	}
	return f
}

// Build makes a snapshot of rows. Their order does not matter.
func Build(rows []Row) *Snapshot {
	rows = slices.Clone(rows)
	slices.SortFunc(rows, func(a, b Row) int { return cmp.Compare(a.ID, b.ID) })
	s := &Snapshot{rows: rows, postings: map[string][]uint32{}, stores: map[int64][]Money{}}
	for i := range rows {
		for _, term := range Terms(rows[i].Text) {
			list := s.postings[term]
			if len(list) == 0 || list[len(list)-1] != uint32(i) {
				s.postings[term] = append(list, uint32(i))
			}
		}
	}
	for term := range s.postings {
		s.vocabulary = append(s.vocabulary, term)
	}
	slices.Sort(s.vocabulary)
	s.sources = newFacet(rows, func(r *Row) int64 { return r.Source })
	s.shipsFrom = newFacet(rows, func(r *Row) string { return r.ShipsFrom })
	s.categories = newFacet(rows, func(r *Row) string { return r.Category })
	return s
}

// WithStore is the same snapshot with a store's columns, one Money for each of Rows.
func (s *Snapshot) WithStore(store int64, columns []Money) *Snapshot {
	other := *s
	other.stores = map[int64][]Money{store: columns}
	for id, c := range s.stores {
		if id != store {
			other.stores[id] = c
		}
	}
	return &other
}

// Rows are the snapshot's rows in the order of its columns.
func (s *Snapshot) Rows() []Row { return s.rows }

// Len is how many offers there are.
func (s *Snapshot) Len() int { return len(s.rows) }

// Terms cuts text into the words that are looked up: lower case, letters and digits, a
// plural's s left off.
func Terms(text string) []string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for i, w := range words {
		if len(w) > 3 && strings.HasSuffix(w, "s") && !strings.HasSuffix(w, "ss") {
			words[i] = w[:len(w)-1]
		}
	}
	return words
}

// bitset is a set of rows.
type bitset []uint64

func (s *Snapshot) none() bitset { return make(bitset, (len(s.rows)+63)/64) }

func (b bitset) add(i uint32) { b[i>>6] |= 1 << (i & 63) }

func (b bitset) and(c bitset) {
	for i := range b {
		b[i] &= c[i]
	}
}

// find returns the rows that hold a word: exactly, or as the beginning of one; and where
// there are none, those of the nearest word, which is returned.
func (s *Snapshot) find(word string, set bitset) (instead string) {
	if s.startingWith(word, set) || isNumber(word) {
		return ""
	}
	best, nearest := "", 3
	most := 1
	if len(word) >= 7 {
		most = 2
	}
	for _, known := range s.vocabulary {
		if len(word) < 4 || len(known) < 4 {
			continue
		}
		d := distance(word, known, most)
		if d <= most && (d < nearest || (d == nearest && len(s.postings[known]) > len(s.postings[best]))) {
			best, nearest = known, d
		}
	}
	if best != "" {
		s.startingWith(best, set)
	}
	return best
}

// startingWith adds the rows that hold a word beginning so. A number must be the whole
// word: 100 is not the beginning of every offer's number.
func (s *Snapshot) startingWith(word string, set bitset) bool {
	found := false
	number := isNumber(word)
	at, _ := slices.BinarySearch(s.vocabulary, word)
	for ; at < len(s.vocabulary) && strings.HasPrefix(s.vocabulary[at], word); at++ {
		if number && s.vocabulary[at] != word {
			break
		}
		for _, i := range s.postings[s.vocabulary[at]] {
			set.add(i)
		}
		found = true
	}
	return found
}

// isNumber tells whether a word is digits alone: those are taken as they are typed.
func isNumber(word string) bool { return strings.Trim(word, "0123456789") == "" }

// distance counts the letters to change, add, leave out or swap with a neighbour, giving
// up beyond most.
func distance(a, b string, most int) int {
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}
