package paper_test

import (
	"errors"
	"strings"
	"testing"

	"plainpelican/platform/paper"
	"plainpelican/testkit"
)

// names are the same greeting and names in the scripts that people in most markets write.
var names = map[string]string{
	"Latin": "Ærø Nguyễn Łukasz", "Greek": "Ελένη Παπαδοπούλου", "Cyrillic": "Наталія Коваль", "Georgian": "ნინო",
	"Armenian": "Անի", "Han": "王小明", "Japanese": "山田太郎 ヤマダ", "Hangul": "김철수", "Devanagari": "प्रिया क्षत्रिय",
	"Bengali": "অমিত", "Tamil": "தமிழ்", "Thai": "สุดา ที่อยู่", "Ethiopic": "አበበ",
	"Arabic": "محمد عبد الله", "Hebrew": "נועה כהן",
}

func TestNamesInAnyScriptAreReadBack(t *testing.T) {
	for script, name := range names {
		t.Run(script, func(t *testing.T) {
			doc := paper.New("Slip", "en")
			doc.Page(paper.Sizes["a6"])
			doc.Text(8, 10, 89, paper.Style{Size: 11}, paper.Natural, name)
			pdf, err := doc.Bytes()
			if err != nil {
				t.Fatal(err)
			}
			got := testkit.Poppler(t, pdf, "pdftotext")
			if strings.TrimSpace(got) != name {
				t.Errorf("%q is read as %q", name, got)
			}
		})
	}
}

func TestPagesHaveTheSizeOfTheirPaper(t *testing.T) {
	for name, want := range map[string]string{"a6": "297.64 x 419.53 pts", "a5": "419.53 x 595.28 pts",
		"letter": "612 x 792 pts (letter)"} {
		t.Run(name, func(t *testing.T) {
			doc := paper.New("Slip", "en")
			doc.Page(paper.Sizes[name])
			doc.Page(paper.Sizes[name])
			pdf, err := doc.Bytes()
			if err != nil {
				t.Fatal(err)
			}
			info := testkit.Poppler(t, pdf, "pdfinfo")
			if !strings.Contains(info, want) || !strings.Contains(info, "Pages:           2") {
				t.Error(info)
			}
		})
	}
}

func TestLongTextIsBrokenIntoLines(t *testing.T) {
	doc := paper.New("Slip", "en")
	doc.Page(paper.Sizes["a6"])
	style := paper.Style{Size: 10}
	long := strings.Repeat("Linen apron with two pockets, ", 12) + strings.Repeat("Donaudampfschiff", 20)
	measured := doc.Measure(60, style, long)
	height := doc.Text(10, 10, 60, style, paper.Left, long)
	if line := doc.Measure(60, style, "One"); height != measured || height < 12*line {
		t.Errorf("%.1f mm high, %.1f measured, a line is %.1f", height, measured, line)
	}
	pdf, err := doc.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	boxes := testkit.Poppler(t, pdf, "pdftotext", "-bbox")
	if strings.Contains(boxes, `xMax="3`) || strings.Contains(boxes, `xMax="2`) { // of 198 points
		t.Error(boxes)
	}
}

func TestALetterWithoutAFontIsSaid(t *testing.T) {
	doc := paper.New("Slip", "en")
	doc.Page(paper.Sizes["a6"])
	// A letter of private use, and a picture: left out.
	doc.Text(8, 10, 89, paper.Style{Size: 11}, paper.Natural, "Ana \U0010F123 😀")
	if _, err := doc.Bytes(); err != nil {
		t.Error(err)
	}
	doc.Text(8, 20, 89, paper.Style{Size: 11}, paper.Natural, "\U00016B00\U0001E5D0") // Pahawh Hmong, Ol Onal
	_, err := doc.Bytes()
	var none paper.NoFontError
	if !errors.As(err, &none) || !strings.Contains(none.Letters, "\U0001E5D0") {
		t.Errorf("%v", err)
	}
}
