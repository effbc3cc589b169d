package draw

import (
	"errors"
	"image"
	"image/color"
	"math/rand/v2"
	"strconv"
	"strings"
)

var palette = map[string]uint32{
	"lake": 0x5b8aac, "brick": 0xc4503f, "pine": 0x2f5d50, "sand": 0xd9c7a0, "plum": 0x86609f, "honey": 0xdca642,
	"fern": 0x6fa56f, "chalk": 0xeeece4, "ink": 0x34435c, "rose": 0xd98c94, "slate": 0x8793a1, "clay": 0xb5673f,
}

// ErrNoSuchPicture is returned for a name that nothing can be drawn from.
var ErrNoSuchPicture = errors.New("no such picture")

// tones are a good's colour in the shades that a drawing needs.
type tones struct{ body, dark, light, deep color.RGBA }

// Picture draws kind-colour-angle-crop-shoot, as in mug-lake-1-0-204, so many pixels square. A
// shoot is what one item's pictures have in common: the backdrop, what lies about, the mark on it.
func Picture(name string, pixels int) (image.Image, error) {
	parts := strings.Split(name, "-")
	if len(parts) != 5 {
		return nil, ErrNoSuchPicture
	}
	paint, known := kinds[parts[0]]
	hex, coloured := palette[parts[1]]
	var number [3]int
	for i, text := range parts[2:] {
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 {
			return nil, ErrNoSuchPicture
		}
		number[i] = n
	}
	if !known || !coloured {
		return nil, ErrNoSuchPicture
	}
	body := rgb(hex)
	white, black := rgb(0xffffff), rgb(0x17263a)
	t := tones{body, mix(body, black, 0.28), mix(body, white, 0.35), mix(body, black, 0.6)}
	c := &canvas{img: image.NewRGBA(image.Rect(0, 0, pixels, pixels)), unit: float32(pixels) / Size,
		frame: frameOf(number[1], number[2])}
	ground := mix(body, white, 0.86)
	if parts[1] == "chalk" {
		ground = rgb(0xdde4ea)
	}
	shot := newShot(number[2], number[0])
	switch number[0] % 4 {
	case 1:
		shot.good.mirrored, ground = !shot.good.mirrored, rgb(0xf1ece0)
	case 2:
		shot.good.scale, shot.good.dy, ground = shot.good.scale*1.4, -30, mix(body, white, 0.72)
	case 3:
		shot.good.scale, shot.good.dx, ground = shot.good.scale*0.75, 40, rgb(0xe6ece8)
	}
	shot.paint(c, ground, func() { paint(c, t) }, t)
	return c.img, nil
}

// frameOf is how a shop crops what it copies: not at all, or by up to a sixth, anywhere.
func frameOf(crop, shoot int) frame {
	if crop == 0 {
		return frame{0, 0, Size}
	}
	r := rand.New(rand.NewPCG(0xd4a4, uint64(shoot)<<8|uint64(crop&255)))
	width := Size * (0.84 + 0.14*r.Float32())
	return frame{(Size - width) * r.Float32(), (Size - width) * r.Float32(), width}
}

var (
	steel = rgb(0xb9c2c9)
	shade = rgb(0x7d8993)
	wood  = rgb(0xc99a63)
	bark  = rgb(0x8d6438)
	paper = rgb(0xfaf7ee)
	coal  = rgb(0x2a3340)
	leaf  = rgb(0x5c9a5a)
)

var kinds = map[string]func(*canvas, tones){
	"mug": func(c *canvas, t tones) {
		c.arc(t.dark, 560, 420, 85, 100, -90, 90, 36)
		c.taper(t.body, 400, 260, 600, 170, 160, 40)
		c.poly(t.light, point{270, 290}, point{310, 290}, point{306, 590}, point{280, 585})
		c.ellipse(t.dark, 400, 260, 170, 34, 0)
		c.ellipse(coal, 400, 264, 150, 24, 0)
	},
	"pot": func(c *canvas, t tones) {
		c.arc(t.dark, 180, 420, 50, 34, 90, 270, 24)
		c.arc(t.dark, 620, 420, 50, 34, -90, 90, 24)
		c.taper(t.body, 400, 340, 590, 225, 205, 50)
		c.ellipse(t.light, 400, 340, 225, 42, 0)
		c.ellipse(t.dark, 400, 328, 205, 40, 0)
		c.ellipse(t.body, 400, 316, 170, 34, 0)
		c.ellipse(coal, 400, 280, 34, 24, 0)
	},
	"kettle": func(c *canvas, t tones) {
		c.poly(t.dark, point{540, 470}, point{660, 360}, point{700, 380}, point{580, 560})
		c.arc(coal, 390, 290, 150, 120, 180, 360, 26)
		c.taper(t.body, 390, 380, 570, 150, 215, 70)
		c.ellipse(t.body, 390, 390, 160, 70, 0)
		c.ellipse(t.light, 320, 480, 34, 90, 12)
		c.ellipse(t.dark, 390, 350, 90, 22, 0)
		c.ellipse(coal, 390, 328, 24, 20, 0)
	},
	"lantern": func(c *canvas, t tones) {
		c.arc(t.dark, 400, 250, 110, 120, 180, 360, 14)
		c.box(t.dark, 320, 230, 160, 50, 18)
		c.box(rgb(0xfbe9b0), 310, 290, 180, 250, 30)
		c.ellipse(rgb(0xf2b63c), 400, 440, 30, 60, 0)
		c.ellipse(rgb(0xfff3cf), 400, 460, 14, 30, 0)
		for _, x := range []float64{310, 400, 490} {
			c.line(t.body, x, 286, x, 545, 12)
		}
		c.box(t.body, 280, 540, 240, 80, 20)
	},
	"planter": func(c *canvas, t tones) {
		for i, x := range []float64{290, 350, 410, 460, 510} {
			c.ellipse(mix(leaf, rgb(0x24513a), float64(i%3)/3), x, 300-float64(i%2)*40, 34, 110, float64(i-2)*14)
		}
		c.taper(t.body, 400, 370, 590, 230, 180, 44)
		c.box(t.dark, 160, 345, 480, 46, 14)
		c.line(t.light, 220, 420, 240, 570, 14)
	},
	"can": func(c *canvas, t tones) {
		c.line(t.dark, 480, 520, 680, 320, 28)
		c.ellipse(t.body, 690, 310, 50, 26, 45)
		c.arc(t.dark, 270, 400, 110, 130, 120, 300, 24)
		c.taper(t.body, 370, 360, 600, 130, 160, 34)
		c.ellipse(t.dark, 370, 360, 130, 26, 0)
		c.arc(t.dark, 370, 350, 100, 100, 190, 350, 18)
	},
	"shears": func(c *canvas, t tones) {
		c.poly(steel, point{380, 420}, point{430, 410}, point{470, 170}, point{440, 160})
		c.poly(shade, point{420, 420}, point{370, 410}, point{340, 170}, point{365, 160})
		c.arc(t.body, 320, 540, 70, 110, 0, 360, 32)
		c.arc(t.body, 480, 540, 70, 110, 0, 360, 32)
		c.ellipse(coal, 400, 420, 20, 20, 0)
	},
	"tray": func(c *canvas, t tones) {
		for i := range 6 {
			x := 230 + float64(i)*68
			c.line(leaf, x, 440, x, 370-float64(i%2)*20, 8)
			c.ellipse(leaf, x-14, 365-float64(i%2)*20, 20, 10, 30)
			c.ellipse(leaf, x+14, 360-float64(i%2)*20, 20, 10, -30)
		}
		c.taper(t.body, 400, 450, 590, 260, 230, 16)
		c.box(t.dark, 130, 430, 540, 36, 12)
		c.arc(mix(rgb(0xffffff), steel, 0.5), 400, 430, 255, 210, 180, 360, 8)
	},
	"jigsaw": func(c *canvas, t tones) {
		for i, col := range []color.RGBA{t.body, t.light, t.dark, wood} {
			x, y := 220+float64(i%2)*190, 210+float64(i/2)*190
			c.box(col, x, y, 176, 176, 12)
		}
		c.ellipse(t.body, 405, 300, 34, 34, 0)
		c.ellipse(t.dark, 310, 405, 34, 34, 0)
		c.ellipse(t.light, 500, 390, 34, 34, 0)
		c.ellipse(wood, 400, 490, 34, 34, 0)
	},
	"dice": func(c *canvas, t tones) {
		for i, at := range []point{{240, 330}, {430, 400}} {
			x, y := float64(at.x), float64(at.y)
			c.box(t.dark, x+10, y+12, 180, 180, 34)
			c.box([]color.RGBA{t.body, t.light}[i], x, y, 180, 180, 34)
			for n := range 5 - i*2 {
				dx, dy := []float64{45, 135, 90, 45, 135}[n], []float64{45, 135, 90, 135, 45}[n]
				c.ellipse(paper, x+dx, y+dy, 17, 17, 0)
			}
		}
	},
	"yarn": func(c *canvas, t tones) {
		c.ellipse(t.body, 400, 430, 200, 195, 0)
		for i := range 5 {
			c.arc(t.dark, 400, 430, 40+float64(i)*38, 185, 100, 260, 8)
			c.arc(t.light, 400, 430, 185, 40+float64(i)*34, 190, 350, 8)
		}
		c.line(t.body, 560, 560, 690, 630, 14)
		c.line(wood, 250, 210, 470, 560, 18)
		c.ellipse(bark, 250, 210, 22, 22, 0)
	},
	"scissors": func(c *canvas, t tones) {
		c.poly(steel, point{395, 440}, point{440, 430}, point{580, 170}, point{545, 165})
		c.poly(shade, point{405, 440}, point{360, 430}, point{220, 170}, point{255, 165})
		c.arc(t.body, 310, 550, 76, 84, 0, 360, 34)
		c.arc(t.dark, 490, 550, 76, 84, 0, 360, 34)
		c.ellipse(coal, 400, 420, 18, 18, 0)
	},
	"tin": func(c *canvas, t tones) {
		c.taper(t.body, 400, 340, 580, 220, 220, 60)
		c.ellipse(t.dark, 400, 350, 220, 62, 0)
		c.ellipse(t.light, 400, 330, 220, 62, 0)
		for i, x := range []float64{320, 400, 480} {
			c.ellipse([]color.RGBA{paper, wood, t.dark}[i], x, 325+float64(i%2)*16, 30, 16, 0)
		}
		c.box(paper, 300, 450, 200, 80, 10)
		c.line(t.dark, 330, 490, 470, 490, 10)
	},
	"brush": func(c *canvas, t tones) {
		c.line(wood, 400, 170, 400, 430, 40)
		c.ellipse(bark, 400, 190, 9, 9, 0)
		c.box(t.body, 270, 420, 260, 70, 30)
		for i := range 9 {
			x := 290 + float64(i)*27
			c.line(paper, x, 490, x+(x-400)*0.15, 610, 14)
		}
	},
	"basket": func(c *canvas, t tones) {
		c.arc(bark, 400, 330, 150, 150, 180, 360, 20)
		c.taper(t.body, 400, 340, 590, 225, 180, 40)
		for i := range 4 {
			y := 400 + float64(i)*56
			c.arc(t.dark, 400, y, 215-float64(i)*10, 26, 10, 170, 8)
		}
		c.ellipse(t.dark, 400, 340, 225, 40, 0)
		c.ellipse(t.deep, 400, 344, 200, 28, 0)
	},
	"pegs": func(c *canvas, t tones) {
		c.line(coal, 120, 300, 680, 330, 8)
		for i := range 4 {
			x := 220 + float64(i)*120
			c.box([]color.RGBA{t.body, wood, t.dark, t.light}[i], x-26, 240+float64(i)*6, 52, 300, 22)
			c.line(paper, x, 400, x, 530, 8)
			c.ellipse(steel, x, 350+float64(i)*6, 34, 10, 0)
		}
	},
	"bell": func(c *canvas, t tones) {
		c.poly(t.body, ring(400, 460, 210, 220, 0, 180, 360)...)
		c.box(t.dark, 170, 450, 460, 44, 20)
		c.ellipse(t.light, 320, 360, 30, 80, 30)
		c.ellipse(t.dark, 400, 244, 26, 22, 0)
		c.line(coal, 560, 500, 660, 560, 22)
		c.box(coal, 340, 494, 120, 100, 16)
	},
	"bag": func(c *canvas, t tones) {
		c.arc(coal, 400, 250, 70, 60, 180, 360, 20)
		c.box(t.body, 230, 240, 340, 380, 40)
		c.box(t.dark, 230, 240, 340, 130, 36)
		c.box(t.light, 280, 430, 240, 140, 20)
		c.line(coal, 320, 250, 320, 420, 20)
		c.line(coal, 480, 250, 480, 420, 20)
		c.ellipse(paper, 400, 500, 26, 26, 0)
	},
	"umbrella": func(c *canvas, t tones) {
		c.line(coal, 400, 200, 400, 610, 14)
		c.arc(coal, 435, 610, 35, 34, 0, 180, 14)
		c.poly(t.body, ring(400, 410, 270, 220, 0, 180, 360)...)
		c.poly(t.light, ring(400, 410, 100, 220, 0, 180, 360)...)
		for i := range 4 {
			c.ellipse(mix(t.body, rgb(0xffffff), 0.86), 198+float64(i)*135, 412, 67, 28, 0)
		}
		c.line(coal, 400, 170, 400, 200, 12)
	},
	"jacket": func(c *canvas, t tones) {
		c.poly(t.dark, point{290, 260}, point{160, 480}, point{220, 530}, point{320, 380})
		c.poly(t.dark, point{510, 260}, point{640, 480}, point{580, 530}, point{480, 380})
		c.box(t.body, 280, 240, 240, 380, 30)
		c.ellipse(t.body, 400, 240, 90, 80, 0)
		c.ellipse(t.deep, 400, 244, 56, 56, 0)
		c.line(paper, 400, 310, 400, 610, 8)
		c.box(t.dark, 300, 470, 76, 90, 12)
		c.box(t.dark, 424, 470, 76, 90, 12)
	},
}
