// Package draw paints the pictures of the stand-ins' goods: simple illustrations,
// by kind, colour, angle and crop, 800 pixels square. Nothing is copied from anywhere.
package draw

import (
	"image"
	"image/color"
	"image/draw"
	"math"

	"golang.org/x/image/vector"
)

// Size is the width and height of the square that drawings are made in.
const Size = 800

// canvas paints filled shapes, smooth at the edges: a thing by its place, and all that is
// seen through a frame.
type canvas struct {
	img  *image.RGBA
	unit float32 // pixels for each unit of the square
	place
	frame frame
}

// place is where a thing stands, how large and which way round.
type place struct {
	scale, dx, dy float32
	mirrored      bool
}

// frame is the part of the square that is shown, by its corner and width.
type frame struct{ x, y, width float32 }

type point struct{ x, y float32 }

func (c *canvas) at(p point) (float32, float32) {
	x := p.x
	if c.mirrored {
		x = Size - x
	}
	x, y := (x-Size/2)*c.scale+Size/2+c.dx, (p.y-Size/2)*c.scale+Size/2+c.dy
	return (x - c.frame.x) * Size / c.frame.width * c.unit, (y - c.frame.y) * Size / c.frame.width * c.unit
}

// poly fills a polygon; only the part of the picture that it covers is touched.
func (c *canvas) poly(col color.Color, points ...point) {
	seen := make([]point, len(points))
	left, top, right, bottom := float32(1e9), float32(1e9), float32(-1e9), float32(-1e9)
	for i, p := range points {
		x, y := c.at(p)
		seen[i] = point{x, y}
		left, top, right, bottom = min(left, x), min(top, y), max(right, x), max(bottom, y)
	}
	box := image.Rect(int(left)-1, int(top)-1, int(right)+2, int(bottom)+2).Intersect(c.img.Rect)
	if box.Empty() {
		return
	}
	z := vector.NewRasterizer(box.Dx(), box.Dy())
	for i, p := range seen {
		x, y := p.x-float32(box.Min.X), p.y-float32(box.Min.Y)
		if i == 0 {
			z.MoveTo(x, y)
		} else {
			z.LineTo(x, y)
		}
	}
	z.ClosePath()
	z.Draw(c.img, box, image.NewUniform(col), image.Point{})
}

// ellipse fills an ellipse; turn is in degrees.
func (c *canvas) ellipse(col color.Color, cx, cy, rx, ry, turn float64) {
	c.poly(col, ring(cx, cy, rx, ry, turn, 0, 360)...)
}

func ring(cx, cy, rx, ry, turn, from, to float64) []point {
	steps := 72
	sin, cos := math.Sincos(turn * math.Pi / 180)
	points := make([]point, 0, steps+1)
	for i := 0; i <= steps; i++ {
		s, k := math.Sincos((from + (to-from)*float64(i)/float64(steps)) * math.Pi / 180)
		x, y := rx*k, ry*s
		points = append(points, point{float32(cx + x*cos - y*sin), float32(cy + x*sin + y*cos)})
	}
	return points
}

// arc strokes part of an ellipse with a pen of some width.
func (c *canvas) arc(col color.Color, cx, cy, rx, ry, from, to, pen float64) {
	outer := ring(cx, cy, rx+pen/2, ry+pen/2, 0, from, to)
	inner := ring(cx, cy, rx-pen/2, ry-pen/2, 0, to, from)
	c.poly(col, append(outer, inner...)...)
}

// line strokes from one point to another, round at the ends.
func (c *canvas) line(col color.Color, x1, y1, x2, y2, pen float64) {
	length := math.Hypot(x2-x1, y2-y1)
	nx, ny := -(y2-y1)/length*pen/2, (x2-x1)/length*pen/2
	c.poly(col, point{float32(x1 + nx), float32(y1 + ny)}, point{float32(x2 + nx), float32(y2 + ny)},
		point{float32(x2 - nx), float32(y2 - ny)}, point{float32(x1 - nx), float32(y1 - ny)})
	c.ellipse(col, x1, y1, pen/2, pen/2, 0)
	c.ellipse(col, x2, y2, pen/2, pen/2, 0)
}

// box fills a rectangle with rounded corners.
func (c *canvas) box(col color.Color, x, y, w, h, r float64) {
	var points []point
	for i, corner := range [][2]float64{{x + w - r, y + h - r}, {x + r, y + h - r}, {x + r, y + r},
		{x + w - r, y + r}} {
		points = append(points, ring(corner[0], corner[1], r, r, 0, float64(i)*90, float64(i)*90+90)...)
	}
	c.poly(col, points...)
}

// taper fills a body wider or narrower at the top than at the bottom, with a round base.
func (c *canvas) taper(col color.Color, cx, top, bottom, halfTop, halfBottom, sag float64) {
	points := []point{{float32(cx - halfTop), float32(top)}, {float32(cx + halfTop), float32(top)}}
	points = append(points, ring(cx, bottom, halfBottom, sag, 0, 0, 180)...)
	c.poly(col, points...)
}

func rgb(hex uint32) color.RGBA {
	return color.RGBA{uint8(hex >> 16), uint8(hex >> 8), uint8(hex), 255}
}

// mix goes from a to b by share.
func mix(a, b color.RGBA, share float64) color.RGBA {
	blend := func(x, y uint8) uint8 { return uint8(float64(x) + (float64(y)-float64(x))*share) }
	return color.RGBA{blend(a.R, b.R), blend(a.G, b.G), blend(a.B, b.B), 255}
}

func (c *canvas) background(col color.RGBA) {
	draw.Draw(c.img, c.img.Bounds(), image.NewUniform(col), image.Point{}, draw.Src)
}
