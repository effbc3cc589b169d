// Package paper sets text in any script on the pages of a PDF.
//
// Text is shaped by HarfBuzz's rules with the machine's fonts (Noto, of Debian's packages fonts-noto-core and
// fonts-noto-cjk; Latin, Greek and Cyrillic letters also without them). Runs whose letters stand one by one are written
// as text of an embedded font; others are drawn as outlines, with their words invisible above them, as in a scanned
// page: so they look right, and can be searched, copied and read aloud.
package paper

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"log"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"unicode"

	"codeberg.org/go-pdf/fpdf"
	"github.com/go-text/typesetting/di"
	"github.com/go-text/typesetting/font"
	"github.com/go-text/typesetting/font/opentype"
	"github.com/go-text/typesetting/fontscan"
	"github.com/go-text/typesetting/language"
	"github.com/go-text/typesetting/shaping"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/math/fixed"
	"golang.org/x/text/unicode/bidi"
)

// Size is the size of a page in millimetres.
type Size struct{ Width, Height float64 }

// Sizes are the sizes of paper by name: ISO 216, and ANSI's letter.
var Sizes = map[string]Size{"a6": {105, 148}, "a5": {148, 210}, "letter": {215.9, 279.4}}

// Style is how text looks: its size in points, bold or not, and how dark, 0 is black.
type Style struct {
	Size float64
	Bold bool
	Grey int
}

// A Side is the side at which lines of text begin.
type Side int

// The sides: Natural is the left but for text of scripts that are written from right to left.
const (
	Natural Side = iota
	Left
	Right
)

const (
	points  = 72 / 25.4 // in a millimetre
	leading = 1.32      // of a line, in sizes of its letters
	fine    = 20        // parts of a point in which text is shaped: the shaper takes whole numbers for sizes
)

// NoFontError is that letters cannot be printed since the machine has no font for them.
type NoFontError struct{ Letters string }

func (e NoFontError) Error() string {
	return fmt.Sprintf("there is no font for “%s” here: install Debian's packages fonts-noto-core and fonts-noto-cjk",
		e.Letters)
}

// fonts are the machine's; the index of them is made once, and used by one document at a time.
var fonts struct {
	sync.Mutex
	of *fontscan.FontMap
}

func fontMap() *fontscan.FontMap {
	if fonts.of == nil {
		m := fontscan.NewFontMap(log.New(io.Discard, "", 0))
		// Without fonts of the machine's own, those that come with this program are left.
		if dir, err := cacheDir(); err == nil {
			_ = m.UseSystemFonts(dir)
		}
		for name, file := range map[string][]byte{"regular": goregular.TTF, "bold": gobold.TTF} {
			if err := m.AddFont(bytes.NewReader(file), "go "+name, "Go"); err != nil {
				panic(err) // it is part of the program
			}
		}
		fonts.of = m
	}
	return fonts.of
}

// cacheDir is where the index of the fonts is kept: a folder of this user's alone.
func cacheDir() (string, error) {
	if dir, err := os.UserCacheDir(); err == nil {
		return filepath.Join(dir, "plain-pelican", "fonts"), nil
	}
	return os.MkdirTemp("", "pelican-fonts-")
}

// Doc is a PDF that is being made. It is used by one goroutine.
type Doc struct {
	pdf     *fpdf.Fpdf
	lang    language.Language
	shaper  shaping.HarfbuzzShaper
	wrapper shaping.LineWrapper
	splits  shaping.Segmenter
	missing map[rune]bool
}

// New begins a document with a title in a language, BCP 47.
func New(title, lang string) *Doc {
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm"})
	pdf.SetAutoPageBreak(false, 0)
	pdf.SetMargins(0, 0, 0)
	pdf.SetTitle(title, true)
	pdf.SetLang(lang)
	pdf.SetCreator("Plain Pelican", true)
	pdf.AddUTF8FontFromBytes("Go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("Go", "B", gobold.TTF)
	return &Doc{pdf: pdf, lang: language.NewLanguage(lang), missing: map[rune]bool{}}
}

// Page begins a page of a size.
func (d *Doc) Page(size Size) {
	d.pdf.AddPageFormat("P", fpdf.SizeType{Wd: size.Width, Ht: size.Height})
}

// Line draws a thin grey line.
func (d *Doc) Line(x1, y1, x2, y2 float64) {
	d.pdf.SetDrawColor(190, 190, 190)
	d.pdf.SetLineWidth(0.2)
	d.pdf.Line(x1, y1, x2, y2)
}

// Picture draws a JPEG as large as fits into a box, at its left or right upper corner. The same one is kept once.
func (d *Doc) Picture(jpeg []byte, x, y, width, height float64, side Side) {
	name := fmt.Sprintf("%x", sha256.Sum256(jpeg))
	options := fpdf.ImageOptions{ImageType: "JPG"}
	info := d.pdf.RegisterImageOptionsReader(name, options, bytes.NewReader(jpeg))
	if info == nil || info.Height() == 0 {
		return
	}
	w, h := width, width*info.Height()/info.Width()
	if h > height {
		w, h = height*info.Width()/info.Height(), height
	}
	if side == Right {
		x += width - w
	}
	d.pdf.ImageOptions(name, x, y, w, h, false, options, 0, "")
}

// Bytes ends the document. It returns a NoFontError where letters have no font.
func (d *Doc) Bytes() ([]byte, error) {
	if len(d.missing) > 0 {
		var letters []rune
		for r := range d.missing {
			letters = append(letters, r)
		}
		slices.Sort(letters)
		return nil, NoFontError{string(letters[:min(len(letters), 10)])}
	}
	var out bytes.Buffer
	err := d.pdf.Output(&out)
	return out.Bytes(), err
}

// rightToLeft tells whether text is written from right to left: its first strong letter says so, UAX 9 rules P2 and P3.
func rightToLeft(text string) bool {
	for _, r := range text {
		p, _ := bidi.LookupRune(r)
		switch p.Class() {
		case bidi.L:
			return false
		case bidi.R, bidi.AL:
			return true
		}
	}
	return false
}

// printable leaves out what is no letter: control characters, and pictures such as emoji, which are in no font for
// print.
func printable(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\n':
			return r
		case r == '\t':
			return ' '
		case unicode.IsControl(r), unicode.Is(unicode.So, r) && r > 0x2BFF, unicode.Is(unicode.Sk, r) && r > 0xFFFF,
			unicode.Is(unicode.Variation_Selector, r), unicode.Is(unicode.Co, r):
			return -1
		}
		return r
	}, strings.ToValidUTF8(text, ""))
}

// Text sets text in lines of a width, with its top at y, and returns the height that it takes; all in millimetres. What
// no line can hold is broken within.
func (d *Doc) Text(x, y, width float64, style Style, side Side, text string) (height float64) {
	fonts.Lock()
	defer fonts.Unlock()
	line := style.Size * leading / points
	for paragraph := range strings.SplitSeq(printable(text), "\n") {
		if strings.TrimSpace(paragraph) == "" {
			height += line
			continue
		}
		height += d.paragraph(x, y+height, width, line, style, side, paragraph)
	}
	return height
}

// Measure returns the height that Text would take.
func (d *Doc) Measure(width float64, style Style, text string) (height float64) {
	fonts.Lock()
	defer fonts.Unlock()
	line := style.Size * leading / points
	for paragraph := range strings.SplitSeq(printable(text), "\n") {
		n := 1
		if strings.TrimSpace(paragraph) != "" {
			lines, _ := d.lines(width, style, paragraph)
			n = len(lines)
		}
		height += float64(n) * line
	}
	return height
}

// lines shapes a paragraph and breaks it into lines.
func (d *Doc) lines(width float64, style Style, text string) ([]shaping.Line, bool) {
	m := fontMap()
	aspect := font.Aspect{Weight: font.WeightNormal}
	if style.Bold {
		aspect.Weight = font.WeightBold
	}
	m.SetQuery(fontscan.Query{Aspect: aspect, Families: []string{"Go", "Noto Sans", "Noto Sans Arabic",
		"Noto Sans Hebrew", "Noto Sans Thai", "Noto Sans CJK JP"}})
	rtl := rightToLeft(text)
	direction := di.DirectionLTR
	if rtl {
		direction = di.DirectionRTL
	}
	runes := []rune(text)
	var shaped []shaping.Output
	for _, run := range d.splits.Split(shaping.Input{Text: runes, RunEnd: len(runes), Direction: direction,
		Size: fixed.I(int(math.Round(style.Size * fine))), Language: d.lang}, m) {
		if run.Face != nil && isGo(run.Face) {
			run.FontFeatures = noKerning // what is written as text is not kerned
		}
		shaped = append(shaped, d.shaper.Shape(run))
	}
	lines, _ := d.wrapper.WrapParagraphF(shaping.WrapConfig{Direction: direction},
		fixed.Int26_6(width*points*fine*64), runes, shaping.NewSliceIterator(shaped))
	return lines, rtl
}

var noKerning = []shaping.FontFeature{{Tag: opentype.MustNewTag("kern")}}

// isGo tells that a face is of the fonts that come with this program.
func isGo(face *font.Face) bool {
	family, _ := fonts.of.FontMetadata(face.Font)
	return family == "go"
}

func (d *Doc) paragraph(x, y, width, line float64, style Style, side Side, text string) (height float64) {
	lines, rtl := d.lines(width, style, text)
	right := side == Right || side == Natural && rtl
	d.pdf.SetTextColor(style.Grey, style.Grey, style.Grey)
	d.pdf.SetFillColor(style.Grey, style.Grey, style.Grey)
	runes := []rune(text)
	for _, runs := range lines {
		slices.SortFunc(runs, func(a, b shaping.Output) int { return int(a.VisualIndex - b.VisualIndex) })
		at := x
		if right {
			wide := fixed.Int26_6(0)
			for _, run := range runs {
				wide += run.Advance
			}
			at = x + width - millimetres(wide)
		}
		base := y + height + line*0.76
		for _, run := range runs {
			d.run(at, base, style, runes, run)
			at += millimetres(run.Advance)
		}
		height += line
	}
	return height
}

// millimetres is a length of shaped text.
func millimetres(n fixed.Int26_6) float64 { return float64(n) / 64 / fine / points }

// run writes a run of letters of one script and font.
func (d *Doc) run(x, y float64, style Style, text []rune, run shaping.Output) {
	words := text[run.Runes.Offset : run.Runes.Offset+run.Runes.Count]
	look := ""
	if style.Bold {
		look = "B"
	}
	d.pdf.SetFont("Go", look, style.Size)
	if isGo(run.Face) && plain(run) {
		d.pdf.Text(x, y, string(words))
		return
	}
	scale := millimetres(run.Size) / float64(run.Face.Upem())
	at := x
	for _, g := range run.Glyphs {
		if g.GlyphID == 0 {
			d.note(words[min(max(g.TextIndex()-run.Runes.Offset, 0), len(words)-1)])
		}
		d.outline(run.Face, g.GlyphID, at+millimetres(g.XOffset), y-millimetres(g.YOffset), scale)
		at += millimetres(g.Advance)
	}
	d.unseen(x, y, words, run)
}

// note remembers a letter that no font has; spaces and joiners need none.
func (d *Doc) note(r rune) {
	if !unicode.IsSpace(r) && !unicode.Is(unicode.Cf, r) {
		d.missing[r] = true
	}
}

// plain tells that a run is a letter for each rune, from left to right, each where the one before ended.
func plain(run shaping.Output) bool {
	if run.Direction == di.DirectionRTL || len(run.Glyphs) != run.Runes.Count {
		return false
	}
	for _, g := range run.Glyphs {
		if g.GlyphID == 0 || g.RunesCount() != 1 || g.XOffset != 0 || g.YOffset != 0 {
			return false
		}
	}
	return true
}

// outline draws a glyph with its origin at a point; scale is millimetres for each unit of the font.
func (d *Doc) outline(face *font.Face, glyph font.GID, x, y, scale float64) {
	shape, found := face.GlyphDataOutline(glyph)
	if !found || len(shape.Segments) == 0 {
		return
	}
	px := func(p opentype.SegmentPoint) float64 { return x + float64(p.X)*scale }
	py := func(p opentype.SegmentPoint) float64 { return y - float64(p.Y)*scale }
	begun := false
	for _, s := range shape.Segments {
		a := s.Args
		switch s.Op {
		case opentype.SegmentOpMoveTo:
			if begun {
				d.pdf.ClosePath()
			}
			begun = true
			d.pdf.MoveTo(px(a[0]), py(a[0]))
		case opentype.SegmentOpLineTo:
			d.pdf.LineTo(px(a[0]), py(a[0]))
		case opentype.SegmentOpQuadTo:
			d.pdf.CurveTo(px(a[0]), py(a[0]), px(a[1]), py(a[1]))
		case opentype.SegmentOpCubeTo:
			d.pdf.CurveBezierCubicTo(px(a[0]), py(a[0]), px(a[1]), py(a[1]), px(a[2]), py(a[2]))
		}
	}
	d.pdf.ClosePath()
	d.pdf.DrawPath("F")
}

// unseen writes the words of a run invisibly above its outlines, as wide as these are. Those from right to left are
// written in the order in which they are seen, as in every PDF.
func (d *Doc) unseen(x, y float64, words []rune, run shaping.Output) {
	words = slices.Clone(words)
	for i, r := range words {
		if r > 0xFFFF { // beyond what a font of a PDF maps here
			words[i] = unicode.ReplacementChar
		}
	}
	if run.Direction == di.DirectionRTL {
		slices.Reverse(words)
	}
	natural := d.pdf.GetStringWidth(string(words))
	if natural <= 0 || run.Advance <= 0 {
		return
	}
	d.pdf.SetTextRenderingMode(3)
	d.pdf.TransformBegin()
	d.pdf.TransformScaleX(100*millimetres(run.Advance)/natural, x, y)
	d.pdf.Text(x, y, string(words))
	d.pdf.TransformEnd()
	d.pdf.SetTextRenderingMode(0)
}
