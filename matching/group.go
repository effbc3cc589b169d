package matching

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"sync"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/likeness"
)

// groupCandidateStrength is the strength from which an offer may belong to an item by what others of it say,
// maxGroupCandidates how many of the strongest are compared with each other, and maxGroupMembersAsked of how many
// that surely belong it is asked who else is like them.
const (
	groupCandidateStrength = 45
	linkedStrength         = 10 // and by what they say that surely belong
	maxGroupCandidates     = 32
	maxGroupMembersAsked   = 3
)

// group tells which offers are the item: those that are one with each other on the whole, not with the offer alone
// that was asked for, so that from whichever of them one starts the same are found.
func (s *Service) group(ctx context.Context, of subject, items map[int64]*likeness.Item,
	matches map[int64]likeness.Match, rarity func(string) float64) (map[int64]bool, error) {
	// Of each its first picture alone, so that two are as alike one way as the other.
	this := *of.item
	this.Pictures = this.Pictures[:min(len(this.Pictures), 1)]
	item := func(id int64) *likeness.Item {
		if id == of.offer {
			return &this
		}
		return items[id]
	}
	ids := []int64{of.offer}
	for id, m := range matches {
		if m.Strength >= groupCandidateStrength || of.decisions[id] != "" {
			ids = append(ids, id)
		}
	}
	stronger := func(a, b int64) int {
		return cmp.Or(cmp.Compare(matches[b].Strength, matches[a].Strength), cmp.Compare(a, b))
	}
	slices.SortFunc(ids[1:], stronger)
	ids = append(ids, linkedTo(ids[1:min(len(ids), 1+maxGroupMembersAsked)], ids, items, matches, rarity)...)
	ids = ids[:min(len(ids), maxGroupCandidates+1)]
	slices.Sort(ids)
	said, err := s.sameDecisions(ctx, ids)
	if err != nil {
		return nil, err
	}
	strength := pairwise(ids, item, rarity, said)
	groups := likeness.Groups(len(ids), strength)
	at := slices.Index(ids, of.offer)
	out := map[int64]bool{}
	for i, id := range ids {
		if groups[i] != groups[at] {
			continue
		}
		out[id] = true
		if m := matches[id]; id != of.offer && m.Strength < likeness.Same { // what others vouch for is said
			m.Evidence = append(m.Evidence,
				likeness.Evidence{Kind: likeness.ByGroup, Points: likeness.Same - m.Strength,
					Said: "the same as others of this item"})
			m.Strength = likeness.Same
			matches[id] = m
		}
	}
	return out, nil
}

// linkedTo are further offers that are one with some that surely belong.
func linkedTo(sure, known []int64, items map[int64]*likeness.Item, matches map[int64]likeness.Match,
	rarity func(string) float64) (more []int64) {
	found := make([][]int64, len(sure))
	var working sync.WaitGroup
	for i, id := range sure {
		if matches[id].Strength < likeness.Same {
			continue
		}
		items[id].Prepare()
		working.Go(func() {
			for other, m := range matches {
				if m.Strength >= linkedStrength && m.Packs == nil && !slices.Contains(known, other) {
					if m := likeness.Compare(items[id], items[other], rarity); m.Strength >= likeness.Same {
						found[i] = append(found[i], other)
					}
				}
			}
		})
	}
	working.Wait()
	more = slices.Concat(found...)
	slices.Sort(more)
	return slices.Compact(more)
}

// pairwise compares some offers with each other, by their indexes.
func pairwise(ids []int64, item func(int64) *likeness.Item, rarity func(string) float64,
	said map[[2]int64]bool) map[likeness.Pair]int {
	for _, id := range ids {
		item(id).Prepare()
	}
	strength := map[likeness.Pair]int{}
	var mu sync.Mutex
	var working sync.WaitGroup
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i := range ids {
		free <- struct{}{}
		working.Go(func() {
			for j := i + 1; j < len(ids); j++ {
				m := likeness.Compare(item(ids[i]), item(ids[j]), rarity)
				how := m.Strength
				if m.IsDifferent() {
					how = likeness.Never
				}
				if said[[2]int64{ids[i], ids[j]}] {
					how = 100
				}
				mu.Lock()
				strength[likeness.Pair{A: i, B: j}] = how
				mu.Unlock()
			}
			<-free
		})
	}
	working.Wait()
	return strength
}

// sameDecisions are the pairs among some offers of which people said that they are the same, the lower id first. That
// two are not the same is between these two: it parts no others.
func (s *Service) sameDecisions(ctx context.Context, ids []int64) (map[[2]int64]bool, error) {
	rows, err := s.pool.Query(ctx, `select offer, other from match_decision
		where same and offer = any ($1) and other = any ($1)`, ids)
	if err != nil {
		return nil, err
	}
	out := map[[2]int64]bool{}
	var a, b int64
	_, err = pgx.ForEachRow(rows, []any{&a, &b}, func() error {
		out[[2]int64{a, b}] = true
		return nil
	})
	return out, err
}
