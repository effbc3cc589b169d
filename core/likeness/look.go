package likeness

import (
	"math"
	"math/bits"
	"slices"
)

// Windows are the parts of a picture that are looked at by themselves, as shops crop what they copy.
const Windows = 12

// windows are parts of a picture by their corner and width, as shares of its own: all of it, three
// around the middle, and what is left when two edges go, by a little or by more.
var windows = [Windows][3]float64{{0, 0, 1}, {0.03, 0.03, 0.94}, {0.06, 0.06, 0.88}, {0.09, 0.09, 0.82},
	{0, 0, 0.94}, {0.06, 0, 0.94}, {0, 0.06, 0.94}, {0.06, 0.06, 0.94}, {0, 0, 0.88}, {0.12, 0, 0.88}, {0, 0.12, 0.88},
	{0.12, 0.12, 0.88}}

// PerceptualHashes are the perceptual hashes of a picture's windows, the whole first. All zero is not known.
type PerceptualHashes [Windows]uint64

// Known tells whether there are any.
func (s *PerceptualHashes) Known() bool { return *s != PerceptualHashes{} }

// Apart is how many bits of 64 differ between two pictures' shapes, at their best: the whole of
// either against each window of the other, so that either may be cropped. Lower is more alike.
func (s *PerceptualHashes) Apart(other *PerceptualHashes) int {
	apart, _, _ := s.nearest(other)
	return apart
}

// nearest tells, too, the window at which they are least apart, and whether it is the whole of the first that is
// like it.
func (s *PerceptualHashes) nearest(other *PerceptualHashes) (apart int, first bool, window int) {
	here, there := s[0], other[0]
	least := 64 << 8
	for w := range Windows {
		least = min(least, bits.OnesCount64(here^other[w])<<8|2*w, bits.OnesCount64(s[w]^there)<<8|2*w+1)
	}
	return least >> 8, least&1 == 0, least & 255 >> 1
}

// Far is the distance in bits within which pictures are worth a closer look. Chosen on drawn pictures of
// twenty kinds of things, cropped by up to a sixth, compressed and half of them recoloured: 98 % of them are within
// it, and some twelve of a hundred other pictures of the same kind of thing.
const Far = 16

const (
	squares = 32 // a window is looked at as so many squares each way
	lowest  = 8  // and known by so many of the lowest frequencies each way
)

// hashesOf are the shapes of a picture, given how sharply its brightness changes at so many places each
// way, from 0 to 255. Each is the hash by discrete cosine transform that is known as pHash: a bit for
// each of the lowest frequencies, set where it is above their median. Of changes, not of brightness,
// since they stay where a picture is recoloured.
func hashesOf(changes []uint8, n int) (out PerceptualHashes) {
	sums := summed(changes, n, n)
	cells := make([]float64, squares*squares)
	for w, part := range windows {
		means(cells, squares, sums, n, n, part)
		out[w] = hash(cells)
	}
	return out
}

// means fills in the middling brightness of a window's squares, so many each way.
func means(cells []float64, n int, sums []int64, width, height int, part [3]float64) {
	for y := range n {
		top, bottom := along(part[1], part[2], y, n, height)
		for x := range n {
			left, right := along(part[0], part[2], x, n, width)
			total := sums[bottom*(width+1)+right] - sums[top*(width+1)+right] - sums[bottom*(width+1)+left] +
				sums[top*(width+1)+left]
			cells[y*n+x] = float64(total) / float64((bottom-top)*(right-left))
		}
	}
}

// along are the ends of the i-th of n squares of a window that begins at a share of a length.
func along(from, share float64, i, n, length int) (lo, hi int) {
	at := func(i int) int { return int((from + share*float64(i)/float64(n)) * float64(length)) }
	lo = min(at(i), length-1)
	return lo, min(max(at(i+1), lo+1), length)
}

// summed holds for each corner the sum of all above and left of it.
func summed(gray []uint8, width, height int) []int64 {
	sums := make([]int64, (width+1)*(height+1))
	for y := range height {
		row := int64(0)
		for x := range width {
			row += int64(gray[y*width+x])
			sums[(y+1)*(width+1)+x+1] = sums[y*(width+1)+x+1] + row
		}
	}
	return sums
}

var cosines = func() (c [lowest][squares]float64) {
	for k := range c {
		for i := range c[k] {
			c[k][i] = math.Cos(math.Pi * float64(k) * (2*float64(i) + 1) / (2 * squares))
		}
	}
	return c
}()

func hash(cells []float64) (bitsSet uint64) {
	var rows [squares][lowest]float64
	for y := range squares {
		for k := range lowest {
			sum := 0.0
			for x, c := range cosines[k] {
				sum += c * cells[y*squares+x]
			}
			rows[y][k] = sum
		}
	}
	var low [lowest * lowest]float64
	for v := range lowest {
		for k := range lowest {
			sum := 0.0
			for y, c := range cosines[v] {
				sum += c * rows[y][k]
			}
			low[v*lowest+k] = sum
		}
	}
	sorted := low
	slices.Sort(sorted[:])
	median := (sorted[lowest*lowest/2-1] + sorted[lowest*lowest/2]) / 2
	for i, f := range low {
		if f > median {
			bitsSet |= 1 << (63 - i)
		}
	}
	return bitsSet
}

// MedianColour is the median colour of the middle of a picture.
type MedianColour struct{ Red, Green, Blue uint8 }

// Off is how far two colours are from each other, from 0 to 441.
func (t MedianColour) Off(other MedianColour) float64 {
	d := func(a, b uint8) float64 { return (float64(a) - float64(b)) * (float64(a) - float64(b)) }
	return math.Sqrt(d(t.Red, other.Red) + d(t.Green, other.Green) + d(t.Blue, other.Blue))
}
