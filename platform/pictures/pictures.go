// Package pictures checks pictures that come from outside before they are decoded, and makes
// small ones of them.
package pictures

import (
	"bytes"
	"context"
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
	"golang.org/x/sync/semaphore"
)

// ErrNone is returned for a picture that is not there or is not one; what wraps it says why.
var ErrNone = errors.New("there is no such picture")

// MaxBytes and mostPixels are what a picture may have.
const (
	MaxBytes   = 20 << 20
	mostPixels = 40_000_000
)

// Check reads a picture's size, by its content and without decoding it. Its error is a clause that says what is wrong.
func Check(r io.Reader) (width, height int, err error) {
	width, height, _, err = check(r)
	return width, height, err
}

// check is Check, and how many bytes decoding takes.
func check(r io.Reader) (width, height int, cost int64, err error) {
	var head bytes.Buffer // what was read to know it
	config, format, err := image.DecodeConfig(io.TeeReader(io.LimitReader(r, MaxBytes), &head))
	switch {
	case err != nil:
		return 0, 0, 0, errors.New("what is there is not a picture")
	case config.Width <= 0 || config.Height <= 0 || config.Width > mostPixels/config.Height:
		return config.Width, config.Height, 0,
			fmt.Errorf("it has %d by %d pixels, more than can be handled", config.Width, config.Height)
	}
	cost = int64(config.Width) * int64(config.Height) * perPixel(format, config.ColorModel, head.Bytes())
	if cost > maxDecoded {
		return config.Width, config.Height, cost,
			fmt.Errorf("it has %d by %d pixels and takes %d MB to read, more than can be handled", config.Width,
				config.Height, cost>>20)
	}
	return config.Width, config.Height, cost, nil
}

// maxDecoded is how many bytes all pictures that are decoded at one moment may take together, and one alone.
const maxDecoded = 200 << 20

// perPixel is about how many bytes a decoder takes for a pixel, at the worst.
func perPixel(format string, model color.Model, head []byte) int64 {
	switch {
	case format == "jpeg" && bytes.Contains(head, []byte{0xff, 0xc2}): // progressive: all coefficients are held
		return 15
	case format == "jpeg":
		return 4
	case format == "webp":
		return 8
	case model == color.NRGBA64Model || model == color.RGBA64Model || model == color.Gray16Model:
		return 16 // an interlaced PNG is put together of parts
	case format == "gif":
		return 2
	}
	return 8
}

// decoding lets pictures be decoded while they take no more than they may together.
var decoding = semaphore.NewWeighted(maxDecoded)

// decode decodes a picture when there is room, and gives it to use.
func decode(content []byte, use func(image.Image) error) error {
	_, _, cost, err := check(bytes.NewReader(content))
	if err != nil {
		return err
	}
	if err := decoding.Acquire(context.Background(), cost); err != nil {
		return err
	}
	defer decoding.Release(cost)
	full, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return errors.New("it cannot be read")
	}
	return use(full)
}

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
func See(content []byte) (seen Seen, err error) {
	err = decode(content, func(full image.Image) error {
		seen = look(full)
		return nil
	})
	return seen, err
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
func Scale(content []byte, width int, always bool) (scaled []byte, err error) {
	err = decode(content, func(full image.Image) error {
		b := full.Bounds()
		if b.Dx() <= width && !always {
			scaled = content
			return nil
		}
		width := min(width, b.Dx())
		height := max(1, b.Dy()*width/b.Dx())
		if height > maxHeight { // a strip a few pixels wide: not stretched to a picture of its own
			width, height = max(1, width*maxHeight/height), maxHeight
		}
		small := image.NewRGBA(image.Rect(0, 0, width, height))
		draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
		draw.ApproxBiLinear.Scale(small, small.Bounds(), full, b, draw.Over, nil)
		var out bytes.Buffer
		err := jpeg.Encode(&out, small, &jpeg.Options{Quality: 85})
		scaled = out.Bytes()
		return err
	})
	return scaled, err
}

// maxHeight is how high a scaled picture gets, in pixels.
const maxHeight = 4_000
