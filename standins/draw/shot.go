package draw

import (
	"image/color"
	"math/rand/v2"
)

// shot is how one picture of a shoot is arranged.
type shot struct {
	r    *rand.Rand
	good place
}

// newShot arranges a shoot's picture from an angle. The same shoot and angle give the same.
func newShot(shoot, angle int) *shot {
	r := rand.New(rand.NewPCG(0xd4a3, uint64(shoot)<<3|uint64(angle%4)))
	scale := 0.74 + 0.26*r.Float32()
	return &shot{r: r,
		good: place{scale: scale, dx: float32(r.IntN(161) - 80), dy: float32(r.IntN(61)-10) * (1 - scale) * 4,
			mirrored: r.IntN(2) == 0}}
}

func (s *shot) paint(c *canvas, ground color.RGBA, good func(), t tones) {
	c.place = place{scale: 1}
	s.backdrop(c, ground)
	for range 1 + s.r.IntN(2) {
		s.prop(c, ground, 250+s.r.Float64()*180)
	}
	c.place = s.good
	c.ellipse(mix(ground, rgb(0x17263a), 0.2), 400, 640, 240, 30, 0)
	good()
	s.mark(c, t)
	c.place = place{scale: 1}
	for range 1 + s.r.IntN(2) {
		s.prop(c, ground, 640+s.r.Float64()*110)
	}
}

// backdrop is a wall and a table, and what hangs or falls on the wall.
func (s *shot) backdrop(c *canvas, ground color.RGBA) {
	black := rgb(0x17263a)
	c.background(ground)
	tone := func(most float64) color.RGBA { return mix(ground, black, 0.06+s.r.Float64()*most) }
	x, y, size := float32(60+s.r.IntN(680)), float32(40+s.r.IntN(420)), 110+s.r.Float64()*190
	switch s.r.IntN(5) {
	case 0: // a round of light, or a plate
		c.ellipse(tone(0.2), float64(x), float64(y), size, size, 0)
	case 1: // a window's light
		w, h := float32(size*0.9), float32(size*1.3)
		for _, dx := range []float32{0, w * 0.55} {
			c.poly(mix(ground, rgb(0xffffff), 0.75), point{x + dx - w, y - h/2}, point{x + dx - w/2, y - h/2 - 30},
				point{x + dx - w/2 + 60, y + h/2}, point{x + dx - w + 60, y + h/2 + 30})
		}
	case 2: // an arch
		c.box(tone(0.2), float64(x)-size*0.7, float64(y), size*1.4, 800, size*0.69)
	case 3: // a curtain
		for i := range 4 {
			c.box(tone(0.16), float64(x)+float64(i)*size*0.42-200, -40, size*0.3, 900, 20)
		}
	default: // a shelf
		c.box(tone(0.25), float64(x)-size*1.3, float64(y), size*2.2, 34, 8)
	}
	edge, tilt := float32(500+s.r.IntN(150)), float32(s.r.IntN(121)-60)
	table := mix(ground, []color.RGBA{wood, black, leaf, rgb(0xffffff)}[s.r.IntN(4)], 0.18+s.r.Float64()*0.3)
	c.poly(table, point{-100, edge - tilt}, point{900, edge + tilt}, point{900, 1000}, point{-100, 1000})
}

// prop lays something beside the good, at a height.
func (s *shot) prop(c *canvas, ground color.RGBA, y float64) {
	x := 40 + s.r.Float64()*170
	if s.r.IntN(2) == 0 {
		x = Size - x
	}
	size := 36 + s.r.Float64()*64
	tint := []color.RGBA{wood, leaf, rgb(0xd8806a), rgb(0x7690a8), rgb(0xe3c16f), coal}[s.r.IntN(6)]
	tint = mix(tint, ground, s.r.Float64()*0.4)
	switch s.r.IntN(5) {
	case 0: // a stone, a fruit
		c.ellipse(tint, x, y, size, size*0.8, s.r.Float64()*60)
	case 1: // a sprig
		turn := float64(s.r.IntN(90) - 45)
		c.line(mix(leaf, coal, 0.3), x, y+size, x+turn/2, y-size*1.4, 7)
		for i := range 4 {
			c.ellipse(mix(leaf, coal, float64(i)*0.08), x+float64(i%2*2-1)*size*0.45, y-float64(i)*size*0.5, size*0.5,
				size*0.2, float64(i%2*2-1)*-30+turn)
		}
	case 2: // a book, a box
		c.box(tint, x-size, y-size*0.5, size*2, size*0.9, 8)
		c.box(mix(tint, rgb(0xffffff), 0.5), x-size*0.85, y-size*1.1, size*1.6, size*0.6, 8)
	case 3: // a cup
		c.arc(mix(tint, coal, 0.2), x+size*0.7, y, size*0.4, size*0.4, -90, 90, 10)
		c.taper(tint, x, y-size*0.6, y+size*0.5, size*0.7, size*0.6, size*0.2)
	default: // a cloth
		c.poly(tint, point{float32(x - size), float32(y)}, point{float32(x + size*0.4), float32(y - size*0.7)},
			point{float32(x + size*1.3), float32(y + size*0.2)}, point{float32(x - size*0.1), float32(y + size)})
	}
}

// mark is what is printed on the good.
func (s *shot) mark(c *canvas, t tones) {
	ink := []color.RGBA{paper, t.deep, t.light}[s.r.IntN(3)]
	x, y, size := 400.0, 470+s.r.Float64()*40, 34+s.r.Float64()*26
	switch s.r.IntN(7) {
	case 0:
		c.ellipse(ink, x, y, size, size, 0)
	case 1:
		for i := range 3 {
			c.box(ink, x-size*1.6, y-size+float64(i)*size*0.8, size*3.2, size*0.3, 4)
		}
	case 2:
		c.poly(ink, point{float32(x), float32(y - size)}, point{float32(x + size), float32(y)},
			point{float32(x), float32(y + size)}, point{float32(x - size), float32(y)})
	case 3:
		for i := range 5 {
			c.ellipse(ink, x+float64(i-2)*size*0.7, y+float64(i%2)*size*0.7, size*0.26, size*0.26, 0)
		}
	case 4:
		c.ellipse(ink, x-size*0.4, y, size*0.9, size*0.36, 35)
		c.ellipse(ink, x+size*0.4, y-size*0.3, size*0.8, size*0.3, -35)
	case 5:
		c.box(ink, x-size*0.9, y-size*0.7, size*1.8, size*1.4, 6)
		c.line(t.body, x-size*0.6, y, x+size*0.6, y, 6)
	}
}
