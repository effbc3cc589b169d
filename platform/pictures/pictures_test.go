package pictures

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"runtime"
	"strings"
	"testing"
)

// huge is a PNG whose header says 40,000 by 40,000 pixels (ISO/IEC 15948, IHDR), in a few bytes.
func huge() []byte {
	ihdr := append([]byte("IHDR"), binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, 40_000), 40_000)...)
	ihdr = append(ihdr, 8, 2, 0, 0, 0)
	b := append([]byte("\x89PNG\r\n\x1a\n"), 0, 0, 0, 13)
	b = append(b, ihdr...)
	return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(ihdr))
}

func TestWhatIsNoPictureIsRefusedBeforeItIsDecoded(t *testing.T) {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for name, c := range map[string]struct{ content, says string }{
		"a page":          {"<!doctype html><img src=x>", "not a picture"},
		"nothing":         {"", "not a picture"},
		"40,000 x 40,000": {string(huge()), "40000 by 40000 pixels"},
		"a cut JPEG":      {"\xff\xd8\xff\xe0\x00\x10JFIF", "not a picture"},
	} {
		if _, _, err := Check(strings.NewReader(c.content)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
		if _, err := Scale([]byte(c.content), 96, true); err == nil {
			t.Errorf("%s was scaled", name)
		}
	}
	runtime.ReadMemStats(&after)
	if grown := after.TotalAlloc - before.TotalAlloc; grown > 8<<20 {
		t.Errorf("%d bytes were taken for pictures that are none", grown)
	}
}

func TestScaling(t *testing.T) {
	full := image.NewRGBA(image.Rect(0, 0, 300, 150))
	full.Set(0, 0, color.RGBA{255, 0, 0, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, full); err != nil {
		t.Fatal(err)
	}
	small, err := Scale(b.Bytes(), 96, false)
	if err != nil {
		t.Fatal(err)
	}
	if w, h, err := Check(bytes.NewReader(small)); w != 96 || h != 48 || err != nil {
		t.Errorf("%d by %d, %v", w, h, err)
	}
	if same, err := Scale(b.Bytes(), 400, false); err != nil || !bytes.Equal(same, b.Bytes()) {
		t.Errorf("one that is small enough was changed: %v", err)
	}
}

func TestWhatIsSeenOfAPicture(t *testing.T) {
	full := image.NewRGBA(image.Rect(0, 0, 500, 250))
	for y := range 250 {
		for x := range 500 {
			full.Set(x, y, color.RGBA{200, 40, 40, 255})
			if x > 245 && x < 262 { // a mark in the middle
				full.Set(x, y, color.Black)
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, full); err != nil {
		t.Fatal(err)
	}
	seen, err := See(b.Bytes())
	if err != nil || seen.Width != 200 || seen.Height != 100 || len(seen.Gray) != 200*100 ||
		seen.Middle != (color.RGBA{200, 40, 40, 255}) {
		t.Errorf("%d by %d, %v, %v", seen.Width, seen.Height, seen.Middle, err)
	}
	if seen.Gray[0] < 80 || seen.Gray[0] > 95 || seen.Gray[50*200+101] > 40 { // by luma: 0.299, 0.587, 0.114
		t.Errorf("%d and %d bright", seen.Gray[0], seen.Gray[50*200+101])
	}
	if _, err := See([]byte("<html>")); err == nil {
		t.Error("a page was seen")
	}
}
