// Package pictures checks pictures that come from outside before they are decoded, and makes
// small ones of them.
package pictures

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // pictures may be GIF
	"image/jpeg"
	_ "image/png" // or PNG
	"io"
	"slices"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // or WebP
)

// MostBytes and mostPixels are what a picture may have.
const (
	MostBytes  = 20 << 20
	mostPixels = 40_000_000
)

// Check reads a picture's size, by its content and without decoding it. Its error is a clause that says what is wrong.
func Check(r io.Reader) (width, height int, err error) {
	config, _, err := image.DecodeConfig(io.LimitReader(r, MostBytes))
	switch {
	case err != nil:
		return 0, 0, errors.New("what is there is not a picture")
	case config.Width <= 0 || config.Height <= 0 || config.Width > mostPixels/config.Height:
		return config.Width, config.Height, fmt.Errorf("it has %d by %d pixels, more than can be handled", config.Width, config.Height)
	}
	return config.Width, config.Height, nil
}

// decoding limits how many pictures are held decoded at once.
var decoding = make(chan struct{}, 2)

// Seen is what a picture is known by: its brightness in rows, from 0 to 255, and the median
// colour of its middle.
type Seen struct {
	Gray          []uint8
	Width, Height int
	Middle        color.RGBA
}

// mostSeen is the width and height that are looked at.
const mostSeen = 200

// See looks at a picture that was checked, made small.
func See(content []byte) (Seen, error) {
	decoding <- struct{}{}
	defer func() { <-decoding }()
	if _, _, err := Check(bytes.NewReader(content)); err != nil {
		return Seen{}, err
	}
	full, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return Seen{}, errors.New("it cannot be read")
	}
	return look(full), nil
}

func look(full image.Image) Seen {
	b := full.Bounds()
	most := max(b.Dx(), b.Dy(), 1)
	w, h := max(1, b.Dx()*min(mostSeen, most)/most), max(1, b.Dy()*min(mostSeen, most)/most)
	small := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(small, small.Bounds(), full, b, draw.Over, nil)
	seen := Seen{Gray: make([]uint8, w*h), Width: w, Height: h}
	var middle [3][]uint8
	for y := range h {
		for x := range w {
			c := small.RGBAAt(x, y)
			seen.Gray[y*w+x] = color.GrayModel.Convert(c).(color.Gray).Y
			if x >= w*2/5 && x <= w*3/5 && y >= h*2/5 && y <= h*3/5 {
				middle[0], middle[1], middle[2] = append(middle[0], c.R), append(middle[1], c.G), append(middle[2], c.B)
			}
		}
	}
	for _, values := range middle {
		slices.Sort(values)
	}
	if n := len(middle[0]); n > 0 { // the median: a mark or an edge in the middle does not tint it
		seen.Middle = color.RGBA{middle[0][n/2], middle[1][n/2], middle[2][n/2], 255}
	}
	return seen
}

// Scale makes a JPEG of at most a width in pixels of a picture that was checked. One that is not wider is
// returned as it is, unless it must be a JPEG all the same.
func Scale(content []byte, width int, always bool) ([]byte, error) {
	decoding <- struct{}{}
	defer func() { <-decoding }()
	if _, _, err := Check(bytes.NewReader(content)); err != nil {
		return nil, err
	}
	full, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return nil, errors.New("it cannot be read")
	}
	b := full.Bounds()
	if b.Dx() <= width && !always {
		return content, nil
	}
	width = min(width, b.Dx())
	small := image.NewRGBA(image.Rect(0, 0, width, max(1, b.Dy()*width/b.Dx())))
	draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(small, small.Bounds(), full, b, draw.Over, nil)
	var out bytes.Buffer
	err = jpeg.Encode(&out, small, &jpeg.Options{Quality: 85})
	return out.Bytes(), err
}
