package likeness

import (
	"math"
	"testing"
)

// shown is a scene as another shop shows it: a part of it, mirrored, turned by degrees, a little brighter.
func shown(gray []uint8, size int, part [3]float64, mirrored bool, degrees float64) Picture {
	out := make([]uint8, size*size)
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	half := float64(size) / 2
	for y := range size {
		for x := range size {
			fx, fy := float64(x), float64(y)
			if mirrored {
				fx = float64(size-1) - fx
			}
			fx, fy = cos*(fx-half)-sin*(fy-half)+half, sin*(fx-half)+cos*(fy-half)+half
			fx, fy = fx*part[2]+part[0]*float64(size), fy*part[2]+part[1]*float64(size)
			ix, iy := min(max(int(fx), 0), size-1), min(max(int(fy), 0), size-1)
			out[y*size+x] = uint8(min(255, int(gray[iy*size+ix])*11/10+3))
		}
	}
	return PictureOf(out, size, size)
}

// Pictures that another shop mirrored, turned by five degrees or cropped by a third are found by the turned ones;
// strangers are not. The recall is stated, not promised.
func TestTurnedPicturesAreFound(t *testing.T) {
	const size, n = 150, 120
	whole := [3]float64{0, 0, 1}
	found := map[string]int{}
	strangers, compared := 0, 0
	var all []Picture
	for seed := range uint64(n) {
		gray := scene(seed+1, size)
		mine := PictureOf(gray, size, size)
		turned := append([]Picture{mine}, mine.Turned()...)
		all = append(all, mine)
		for how, other := range map[string]Picture{"as it is": shown(gray, size, whole, false, 0),
			"mirrored": shown(gray, size, whole, true, 0), "turned by 5": shown(gray, size, whole, false, 5),
			"turned by -5":               shown(gray, size, whole, false, -5),
			"cropped by a third":         shown(gray, size, [3]float64{1.0 / 6, 1.0 / 6, 2.0 / 3}, false, 0),
			"cropped by a third, corner": shown(gray, size, [3]float64{0, 1.0 / 3, 2.0 / 3}, false, 0)} {
			best := 0.0
			for i := range turned {
				best = max(best, Fit(&turned[i], &other))
			}
			if best >= SameFit {
				found[how]++
			}
		}
		for i := range all[:len(all)-1] {
			compared++
			for j := range turned {
				if Fit(&turned[j], &all[i]) >= SameFit {
					strangers++
					break
				}
			}
		}
	}
	t.Logf("of %d each: %v; %d of %d strangers", n, found, strangers, compared)
	for how, least := range map[string]int{"as it is": 95, "mirrored": 90, "turned by 5": 70, "turned by -5": 70,
		"cropped by a third": 60} {
		if found[how]*100 < least*n {
			t.Errorf("%s: %d of %d are found", how, found[how], n)
		}
	}
	if strangers*1000 > compared {
		t.Errorf("%d of %d strangers are called the same", strangers, compared)
	}
}
