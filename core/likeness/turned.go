package likeness

import "math"

// Turned are other ways in which a picture is shown elsewhere: mirrored, turned by five degrees, and its parts of
// two thirds.
// They are for looking for one picture among many; what is known of those does not change.
func (p *Picture) Turned() (all []Picture) {
	if p.EdgeMap == nil {
		return nil
	}
	add := func(how string, from func(x, y float64) (float64, float64)) {
		outline := p.EdgeMap.moved(from)
		all = append(all, Picture{Hashes: hashesOf(outline[:], Edge), EdgeMap: outline, How: how})
	}
	const last = Edge - 1
	add("mirrored", func(x, y float64) (float64, float64) { return last - x, y })
	for _, degrees := range []float64{-5, 5} {
		sin, cos := math.Sincos(degrees * math.Pi / 180)
		add("turned", func(x, y float64) (float64, float64) {
			x, y = x-last/2.0, y-last/2.0
			return cos*x - sin*y + last/2.0, sin*x + cos*y + last/2.0
		})
	}
	const share = 2.0 / 3
	for _, corner := range [][2]float64{{0.5, 0.5}, {0, 0}, {1, 0}, {0, 1}, {1, 1}} {
		add("cropped", func(x, y float64) (float64, float64) {
			return x*share + corner[0]*(1-share)*last, y*share + corner[1]*(1-share)*last
		})
	}
	return all
}

// moved is an outline whose places are those of another; what lies outside is empty.
func (o *EdgeMap) moved(from func(x, y float64) (float64, float64)) *EdgeMap {
	at := func(x, y int) float64 {
		if x < 0 || y < 0 || x >= Edge || y >= Edge {
			return 0
		}
		return float64(o[y*Edge+x])
	}
	out := new(EdgeMap)
	for y := range Edge {
		for x := range Edge {
			fx, fy := from(float64(x), float64(y))
			left, top := math.Floor(fx), math.Floor(fy)
			dx, dy := fx-left, fy-top
			ix, iy := int(left), int(top)
			v := (at(ix, iy)*(1-dx)+at(ix+1, iy)*dx)*(1-dy) + (at(ix, iy+1)*(1-dx)+at(ix+1, iy+1)*dx)*dy
			out[y*Edge+x] = uint8(math.Round(v))
		}
	}
	return out
}
