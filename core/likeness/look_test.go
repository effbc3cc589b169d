package likeness

import (
	"image"
	"image/color"
	"math"
	"math/bits"
	"math/rand/v2"
	"testing"

	"github.com/corona10/goimagehash"
)

// scene is a made-up picture of blobs on a ground.
func scene(seed uint64, size int) []uint8 {
	r := rand.New(rand.NewPCG(seed, 77))
	type blob struct{ x, y, radius, tone float64 }
	blobs := make([]blob, 9)
	for i := range blobs {
		blobs[i] = blob{r.Float64(), r.Float64(), 0.06 + r.Float64()*0.2, r.Float64()*200 - 100}
	}
	tilt := r.Float64()*60 - 30
	gray := make([]uint8, size*size)
	for y := range size {
		for x := range size {
			u, v := (float64(x)+0.5)/float64(size), (float64(y)+0.5)/float64(size)
			tone := 140 + tilt*(u-v)
			for _, b := range blobs {
				tone += b.tone / (1 + math.Exp((math.Hypot(u-b.x, v-b.y)-b.radius)*60))
			}
			gray[y*size+x] = uint8(max(0, min(255, tone)))
		}
	}
	return gray
}

// part is a window of a square picture, its pixels taken as they are.
func part(gray []uint8, size int, x, y, share float64) ([]uint8, int) {
	n, left, top := int(share*float64(size)), int(x*float64(size)), int(y*float64(size))
	out := make([]uint8, n*n)
	for row := range n {
		copy(out[row*n:], gray[(top+row)*size+left:][:n])
	}
	return out, n
}

// Against github.com/corona10/goimagehash, which scales to 64 pixels by interpolation where this
// takes the mean of 32 squares: few bits may differ, those of frequencies at the median.
func TestShapesAgreeWithAPackage(t *testing.T) {
	const size = 160
	off, apart := 0, 0
	var before, reference uint64
	for seed := range uint64(120) {
		gray := scene(seed, size)
		changes := image.NewRGBA(image.Rect(0, 0, fine, fine))
		for i, v := range changesOf(summed(gray, size, size), size, size, fine) {
			changes.Set(i%fine, i/fine, color.Gray{v})
		}
		theirs, err := goimagehash.PerceptionHash(changes)
		if err != nil {
			t.Fatal(err)
		}
		ours := PictureOf(gray, size, size).Hashes[0]
		off += bits.OnesCount64(ours ^ theirs.GetHash())
		if seed > 0 { // what it says of two pictures
			d := bits.OnesCount64(ours^before) - bits.OnesCount64(theirs.GetHash()^reference)
			apart += max(d, -d)
		}
		before, reference = ours, theirs.GetHash()
	}
	t.Logf("bits that differ from the package's: %.2f of 64 on average; distances differ by %.2f", float64(off)/120,
		float64(apart)/119)
	if off > 120*5 || apart > 119*4 {
		t.Errorf("%d bits off in 120 pictures, %d in their distances", off, apart)
	}
}

func TestAPictureIsKnownAgain(t *testing.T) {
	const size = 200
	type worst struct {
		bits int
		fit  float64
	}
	all := map[string]*worst{}
	others, fits := 0, 0
	for seed := range uint64(60) {
		gray := scene(seed, size)
		whole := PictureOf(gray, size, size)
		r := rand.New(rand.NewPCG(seed, 1))
		noisy, dim, inverse := make([]uint8, len(gray)), make([]uint8, len(gray)), make([]uint8, len(gray))
		for i, v := range gray {
			noisy[i] = uint8(max(0, min(255, int(v)+r.IntN(17)-8))) // as when it was compressed hard
			dim[i] = uint8(30 + int(v)*3/5)
			inverse[i] = 255 - v
		}
		try := func(what string, gray []uint8, n int) {
			p := PictureOf(gray, n, n)
			if all[what] == nil {
				all[what] = &worst{fit: 1}
			}
			all[what].bits = max(all[what].bits, whole.Hashes.Apart(&p.Hashes))
			fit := Fit(&whole, &p)
			if all[what].fit = min(all[what].fit, fit); math.Abs(fit-Fit(&p, &whole)) > 0.1 {
				t.Errorf("%s: %.2f one way, %.2f the other", what, fit, Fit(&p, &whole))
			}
		}
		try("noise", noisy, size)
		try("less contrast", dim, size)
		try("small", scene(seed, 90), 90)
		try("other tones", inverse, size)
		for what, w := range map[string][3]float64{"middle": {0.06, 0.06, 0.88}, "without an edge": {0, 0.07, 0.93},
			"without the other": {0.1, 0, 0.9}} {
			cropped, n := part(gray, size, w[0], w[1], w[2])
			try(what, cropped, n)
		}
		stranger := PictureOf(scene(seed+5000, size), size, size)
		if whole.Hashes.Apart(&stranger.Hashes) <= Far {
			others++
		}
		if Fit(&whole, &stranger) >= SameFit {
			fits++
		}
	}
	for what, w := range all {
		t.Logf("%s: at worst %d bits apart, outlines %.2f alike", what, w.bits, w.fit)
		if w.bits > Far || w.fit < SameFit {
			t.Errorf("%s: %d bits apart, outlines %.2f alike", what, w.bits, w.fit)
		}
	}
	if others > 3 || fits > 0 {
		t.Errorf("of 60 strangers %d are within %d bits, and %d fit", others, Far, fits)
	}
}

func TestWhatIsNoPictureIsNotKnown(t *testing.T) {
	for _, p := range []Picture{PictureOf(nil, 0, 0), PictureOf([]uint8{1}, 2, 2),
		PictureOf(make([]uint8, 400), 20, 20)} {
		if p.Hashes.Known() || p.EdgeMap != nil || Fit(&p, &p) != 0 {
			t.Errorf("%v", p)
		}
	}
}
