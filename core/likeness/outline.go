package likeness

import (
	"math"
	"math/bits"
	"slices"
)

// Edge is how many places an outline has each way.
const Edge = 36

// EdgeMap is how sharply brightness changes at places of a picture, in rows, from 0 to 255: it stays
// where the picture is recoloured.
type EdgeMap [Edge * Edge]uint8

// Picture is what a picture is known by. An outline that is nil is not known.
type Picture struct {
	Hashes  PerceptualHashes
	EdgeMap *EdgeMap
	// How it was turned to be looked for; "" is as it is.
	How string
}

// softly is the change of brightness that counts half: more counts little more, so that no one edge
// outweighs the rest.
const softly = 6

// fine is how many places are looked at each way for shapes.
const fine = 48

// PictureOf is what a picture is known by, given as brightness from 0 to 255 in rows. One of a single
// tone is not known by anything.
func PictureOf(gray []uint8, width, height int) Picture {
	if width < 1 || height < 1 || len(gray) < width*height {
		return Picture{}
	}
	sums := summed(gray, width, height)
	changes := changesOf(sums, width, height, fine)
	if !slices.ContainsFunc(changes, func(c uint8) bool { return c > 0 }) {
		return Picture{}
	}
	return Picture{Hashes: hashesOf(changes, fine), EdgeMap: (*EdgeMap)(changesOf(sums, width, height, Edge))}
}

// changesOf is how sharply brightness changes at so many places each way.
func changesOf(sums []int64, width, height, n int) []uint8 {
	cells := make([]float64, (n+1)*(n+1))
	means(cells, n+1, sums, width, height, windows[0])
	changes := make([]uint8, n*n)
	for y := range n {
		for x := range n {
			here := cells[y*(n+1)+x]
			change := math.Hypot(cells[y*(n+1)+x+1]-here, cells[(y+1)*(n+1)+x]-here)
			changes[y*n+x] = uint8(255 * change / (change + softly))
		}
	}
	return changes
}

// SameFit is the likeness of outlines from which two pictures are called one. Chosen on drawn pictures that were
// cropped, recoloured and compressed: 95 of 100 are above it, 98 above 0.86, and four of a hundred thousand of
// other pictures of the same kind of thing above 0.84.
const SameFit = 0.88

// Fit is the likeness of two pictures' outlines, from -1 to 1, where either is laid over a part of the
// other as well as can be: the correlation of what they share. It begins at a glance and goes on in
// small steps while it rises. 0 where an outline is not known.
func Fit(a, b *Picture) float64 {
	if a.EdgeMap == nil || b.EdgeMap == nil {
		return 0
	}
	x, y := a.Descriptor(), b.Descriptor()
	best, over := x.closely(&y)
	if best.fit < Hopeless {
		return best.fit
	}
	upper, lower := a.EdgeMap[:], b.EdgeMap[:]
	if !over {
		upper, lower = lower, upper
	}
	p := &pair{over: upper, under: lower, edge: Edge}
	if best.fit = p.laid(best.part); best.fit < apartAtOnce {
		return best.fit
	}
	if best = p.climb(best, 0.02); best.fit < apartSoon {
		return best.fit
	}
	return p.climb(best, 0.01).fit
}

// The likeness of outlines that moving does not mend, laid as glances are most alike, and after the
// first steps: 99 of 100 of those that are one are above 0.7 and 0.81.
const (
	apartAtOnce = 0.64
	apartSoon   = 0.76
)

// dismissed is the likeness at the best of the windows that moving does not mend: 99 of 100 of those that are
// one are above 0.7, and nine of ten strangers of one kind below.
const dismissed = 0.65

// slack is by how many bits more than the nearest a window's shapes may be apart to be tried.
const slack = 6

// Hopeless is the likeness at a glance that no closer look mends: 99 of 100 of those that are one are above 0.84.
const Hopeless = 0.78

// pair is an outline or glance that is laid over parts of another, of as many places each way.
type pair struct {
	over, under  []uint8
	edge         int
	sum, squares int64 // of what is over
	rows         [2][Edge]int32
	held         [2]int // which row each of rows is, from 1
}

// found is a part and the likeness there.
type found struct {
	fit  float64
	part [3]float64
}

// moves are the ways in which climb shifts a part, narrows and widens it, each beside the one that leads back.
var moves = [...][3]float64{{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {-0.5, -0.5, 1}, {0.5, 0.5, -1}}

// climb moves, narrows and widens a part in ever smaller steps while the likeness rises: until none of the moves has
// bettered it since the last that did.
func (p *pair) climb(best found, sizes ...float64) found {
	for _, size := range sizes {
		last := -1
		for i, failed := 0, 0; failed < len(moves); i = (i + 1) % len(moves) {
			failed++
			if last >= 0 && i == last^1 {
				continue // back where it was worse
			}
			by := &moves[i]
			part := [3]float64{best.part[0] + by[0]*size, best.part[1] + by[1]*size, best.part[2] + by[2]*size}
			if part[2] < 0.7 || part[2] > 1.1 || math.Abs(part[0]-0.1) > 0.3 || math.Abs(part[1]-0.1) > 0.3 {
				continue
			}
			if fit := p.laid(part); fit > best.fit {
				best, last, failed = found{fit, part}, i, 0
			}
		}
	}
	return best
}

// step is the place of another picture that a place lies over, and the share of the next, of 64.
type step struct {
	at    int
	share int32
}

// stepOf is that of the i-th of n places, over a part that begins at a share of the other's length.
func stepOf(from, share float64, i, n int) step {
	v := min(max((from+share*(float64(i)+0.5)/float64(n))*float64(n)-0.5, 0), float64(n)-1.001)
	return step{int(v), int32((v - math.Floor(v)) * 64)}
}

// laid is the correlation of what is over with a part of what is under.
func (p *pair) laid(part [3]float64) float64 {
	var across, down [Edge]step
	for i := range p.edge {
		across[i], down[i] = stepOf(part[0], part[2], i, p.edge), stepOf(part[1], part[2], i, p.edge)
	}
	return p.along(across[:p.edge], down[:p.edge])
}

// along is laid, by the steps across and down.
func (p *pair) along(across, down []step) float64 {
	n := p.edge
	if p.squares == 0 {
		p.sum, p.squares = sums(p.over)
	}
	p.held = [2]int{}
	var sb, bb, ab int64
	for y, row := range down {
		upper, lower := p.row(row.at, across), p.row(row.at+1, across)
		over := p.over[y*n:][:len(upper)]
		lower = lower[:len(upper)]
		var sums, products int32
		for x, u := range upper {
			v := (u<<6 + (lower[x]-u)*row.share) >> 6
			sums += v
			products += v * int32(over[x])
			bb += int64(v) * int64(v)
		}
		sb += int64(sums)
		ab += int64(products)
	}
	return correlation(p.sum, sb, p.squares, bb, ab, float64(n*n))
}

// sums are those of places and of their squares.
func sums(cells []uint8) (sum, squares int64) {
	for _, v := range cells {
		sum += int64(v)
		squares += int64(v) * int64(v)
	}
	return sum, squares
}

// row is a row of what is under, at the steps across. The two rows that were asked for last are kept.
func (p *pair) row(at int, across []step) []int32 {
	out := p.rows[at&1][:len(across)]
	if p.held[at&1] == at+1 {
		return out
	}
	p.held[at&1] = at + 1
	under := p.under[at*p.edge:][:p.edge]
	for x, c := range across {
		left := int32(under[c.at])
		out[x] = left<<6 + (int32(under[c.at+1])-left)*c.share
	}
	return out
}

// glance is how many places a glance has each way.
const glance = Edge / 3

// CoarseDescriptor is what is kept at hand of a picture, to tell at once which are worth a look.
type CoarseDescriptor struct {
	Hashes PerceptualHashes
	Rough  Rough
}

// Rough is an outline in few places, with their sum and that of their squares.
type Rough struct {
	cells        [glance * glance]uint8
	sum, squares uint32
}

// over lays it over parts of another.
func (r *Rough) over(under *Rough) pair {
	return pair{over: r.cells[:], under: under.cells[:], edge: glance, sum: int64(r.sum), squares: int64(r.squares)}
}

// Descriptor is a picture's. One that is not known is like nothing.
func (p *Picture) Descriptor() (g CoarseDescriptor) {
	if p.EdgeMap == nil {
		return g
	}
	g.Hashes = p.Hashes
	for y := range glance {
		for x := range glance {
			sum := 0
			for at := range 3 {
				row := p.EdgeMap[(3*y+at)*Edge+3*x:]
				sum += int(row[0]) + int(row[1]) + int(row[2])
			}
			g.Rough.cells[y*glance+x] = uint8(sum / 9)
		}
	}
	sum, squares := sums(g.Rough.cells[:])
	g.Rough.sum, g.Rough.squares = uint32(sum), uint32(squares)
	return g
}

// Like is how like two pictures are at a first glance, from 0 to 1: where either is laid over the
// window of the other whose shapes are nearest. 0 where their shapes are not within Far.
func (g *CoarseDescriptor) Like(shapes *PerceptualHashes, rough *Rough) float64 {
	apart, first, window := g.Hashes.nearest(shapes)
	if apart > Far {
		return 0
	}
	p := g.Rough.over(rough)
	if !first {
		p = rough.over(&g.Rough)
	}
	return max(0, p.along(steps[window][0][:], steps[window][1][:]))
}

// Windows is how like two pictures are at a second glance, from -1 to 1: where either is laid over
// those windows of the other whose shapes are about the nearest.
func (g *CoarseDescriptor) Windows(other *CoarseDescriptor) float64 {
	best, _, _ := g.windows(other)
	return best
}

func (g *CoarseDescriptor) windows(other *CoarseDescriptor) (best float64, window int, first bool) {
	here, there := g.Rough.over(&other.Rough), other.Rough.over(&g.Rough)
	best = math.Inf(-1)
	apart := g.Hashes.Apart(&other.Hashes) + slack
	for w := range windows {
		across, down := steps[w][0][:], steps[w][1][:]
		if bits.OnesCount64(g.Hashes[0]^other.Hashes[w]) <= apart {
			if fit := here.along(across, down); fit > best {
				best, window, first = fit, w, true
			}
		}
		if bits.OnesCount64(g.Hashes[w]^other.Hashes[0]) <= apart {
			if fit := there.along(across, down); fit > best {
				best, window, first = fit, w, false
			}
		}
	}
	return best, window, first
}

// Closely is how like two pictures are at a glance, from -1 to 1, laid over each other as well as can be.
func (g *CoarseDescriptor) Closely(other *CoarseDescriptor) float64 {
	best, _ := g.closely(other)
	return best.fit
}

// closely tells, too, whether it is the first that lies over a part of the other.
func (g *CoarseDescriptor) closely(other *CoarseDescriptor) (found, bool) {
	best, window, first := g.windows(other)
	if best < dismissed {
		return found{fit: best}, first
	}
	p := g.Rough.over(&other.Rough)
	if !first {
		p = other.Rough.over(&g.Rough)
	}
	return p.climb(found{best, windows[window]}, 0.04, 0.02), first
}

// steps are those of each window and place of a glance; across first, then down.
var steps = func() (s [Windows][2][glance]step) {
	for w, part := range windows {
		for axis := range 2 {
			for i := range glance {
				s[w][axis][i] = stepOf(part[axis], part[2], i, glance)
			}
		}
	}
	return s
}()

// correlation is Pearson's, of n pairs by their sums, squares and products; 0 where either is flat.
func correlation(sa, sb, aa, bb, ab int64, n float64) float64 {
	cov, va, vb := float64(ab)-float64(sa)*float64(sb)/n, float64(aa)-float64(sa)*float64(sa)/n,
		float64(bb)-float64(sb)*float64(sb)/n
	if va <= 0 || vb <= 0 {
		return 0
	}
	return cov / math.Sqrt(va*vb)
}
