package index

import (
	"cmp"
	"math"
	"runtime"
	"slices"
	"sync"

	"plainpelican/core/likeness"
)

// pictureIndex are the first pictures of a segment's rows, of those that are known, by weight: first those
// of rows whose weight is not known.
type pictureIndex struct {
	rows   []uint32
	grams  []int32
	hashes []likeness.PerceptualHashes
	rough  []likeness.Rough
	// places are those of each row's picture among them, from 1; none where there are no pictures.
	places []uint32
}

func (s *pictureIndex) add(row uint32, grams int32, shapes *likeness.PerceptualHashes, rough *likeness.Rough) {
	s.rows, s.grams, s.hashes, s.rough = append(s.rows, row), append(s.grams, grams), append(s.hashes, *shapes),
		append(s.rough, *rough)
}

// sorted puts sights in order once those of all of so many rows were added.
func (s *pictureIndex) sorted(rows int) pictureIndex {
	order := make([]uint32, len(s.rows))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(a, b uint32) int {
		return cmp.Or(cmp.Compare(s.grams[a], s.grams[b]), cmp.Compare(s.rows[a], s.rows[b]))
	})
	out := pictureIndex{make([]uint32, len(order)), make([]int32, len(order)),
		make([]likeness.PerceptualHashes, len(order)), make([]likeness.Rough, len(order)), nil}
	if len(order) > 0 {
		out.places = make([]uint32, rows)
	}
	for to, from := range order {
		out.rows[to], out.grams[to], out.hashes[to], out.rough[to] = s.rows[from], s.grams[from], s.hashes[from],
			s.rough[from]
		out.places[s.rows[from]] = uint32(to) + 1
	}
	return out
}

// otherWeight is the difference, as a share of the heavier, from which offers are not looked for by their
// pictures: shops' scales and boxes differ by less.
const otherWeight = 0.15

// weightRanges are the ends of those that may weigh as much: of all where no weight is told.
func (s *pictureIndex) weightRanges(grams int32) [][2]int {
	if grams <= 0 {
		return [][2]int{{0, len(s.rows)}}
	}
	from := func(least float64) int {
		at, _ := slices.BinarySearchFunc(s.grams, least, func(g int32, least float64) int {
			return cmp.Compare(float64(g), least)
		})
		return at
	}
	least := float64(grams) * (1 - otherWeight)
	return [][2]int{{0, from(1)}, {from(max(least, 1)), from(math.Floor(float64(grams)/(1-otherWeight)) + 1)}}
}

// indexOf is the index of a row's picture; -1 where it is not known.
func (s *pictureIndex) indexOf(row int) int {
	if len(s.places) == 0 {
		return -1
	}
	return int(s.places[row]) - 1
}

func (s *pictureIndex) descriptor(at int) *likeness.CoarseDescriptor {
	return &likeness.CoarseDescriptor{Hashes: s.hashes[at], Rough: s.rough[at]}
}

// similarPicture is a row whose picture is like another's.
type similarPicture struct {
	part int
	row  uint32
	at   int
	like float64
}

// How many pictures are looked at a second time, and laid over another as well as can be: those that
// were most alike before. glimpsed is the likeness at first from which one is worth it.
const (
	mostSecond        = 400
	mostClosely       = 120
	minCoarseLikeness = 0.5
)

// similarPictures are the rows whose pictures are most like another and that may weigh as much, the most alike first.
func (s *Snapshot[T]) similarPictures(picture *likeness.CoarseDescriptor, grams int32) []similarPicture {
	var all []similarPicture
	var mu sync.Mutex
	var working sync.WaitGroup
	for i := range s.parts {
		p := &s.parts[i]
		for _, ends := range p.pictures.weightRanges(grams) {
			n := (ends[1]-ends[0])/runtime.GOMAXPROCS(0) + 1
			for from := ends[0]; from < ends[1]; from += n {
				working.Go(func() {
					var own []similarPicture
					for at := from; at < min(from+n, ends[1]); at++ {
						if like := picture.Like(&p.pictures.hashes[at],
							&p.pictures.rough[at]); like >= minCoarseLikeness && p.live.has(p.pictures.rows[at]) {
							own = append(own, similarPicture{i, p.pictures.rows[at], at, like})
						}
					}
					mu.Lock()
					all = append(all, own...)
					mu.Unlock()
				})
			}
		}
	}
	working.Wait()
	all = s.rerank(all, mostSecond, picture.Windows)
	all = s.rerank(all, mostClosely, picture.Closely)
	few, _ := slices.BinarySearchFunc(all, alikeFrom, func(a similarPicture, from float64) int {
		if a.like >= from {
			return -1
		}
		return 1
	})
	return all[:few]
}

// rerank looks at the most alike, at most so many, by another measure, and sorts them by it.
func (s *Snapshot[T]) rerank(all []similarPicture, most int,
	by func(*likeness.CoarseDescriptor) float64) []similarPicture {
	byLike := func(a, b similarPicture) int {
		return cmp.Or(cmp.Compare(b.like, a.like), cmp.Compare(s.parts[a.part].ids[a.row], s.parts[b.part].ids[b.row]))
	}
	all = mostAlike(all, most)
	slices.SortFunc(all, byLike)
	all = all[:min(len(all), most)]
	parallel(len(all), func(i int) { all[i].like = by(s.parts[all[i].part].pictures.descriptor(all[i].at)) })
	slices.SortFunc(all, byLike)
	return all
}

// mostAlike leaves out most of those that are not among the most alike, so that fewer are sorted.
func mostAlike(all []similarPicture, most int) []similarPicture {
	var held [101]int // by hundredths
	for i := range all {
		held[int(max(0, all[i].like)*100)]++
	}
	least, n := 100, held[100]
	for ; n < most && least > 0; n += held[least] {
		least--
	}
	return slices.DeleteFunc(all, func(a similarPicture) bool { return int(max(0, a.like)*100) < least })
}

// parallel does n things on all processors.
func parallel(n int, do func(i int)) {
	var working sync.WaitGroup
	each := n/runtime.GOMAXPROCS(0) + 1
	for from := 0; from < n; from += each {
		working.Go(func() {
			for i := from; i < min(from+each, n); i++ {
				do(i)
			}
		})
	}
	working.Wait()
}

// dropOtherPictures drops those of some rows whose pictures are others: no words make up for that. The
// first few are left, which are most alike in all else.
func (s *Snapshot[T]) dropOtherPictures(found []entry, picture *likeness.CoarseDescriptor) []entry {
	others := make([]bool, len(found))
	parallel(len(found), func(i int) {
		of := &s.parts[found[i].part].pictures
		if at := of.indexOf(found[i].row); at >= 0 && i >= firstFew {
			others[i] = picture.Closely(of.descriptor(at)) < likeness.Hopeless
		}
	})
	kept := found[:0]
	for i, e := range found {
		if !others[i] {
			kept = append(kept, e)
		}
	}
	return kept
}

const firstFew = 30
