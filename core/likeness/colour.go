package likeness

// basic are the colours that a picture's is called by: the basic colour keywords of CSS Color Module Level 4, section
// 6.1, with orange, pink, brown and beige, which goods have and the sixteen lack.
var basic = []struct {
	name string
	MedianColour
}{
	{"Black", MedianColour{0, 0, 0}}, {"Grey", MedianColour{128, 128, 128}}, {"White", MedianColour{255, 255, 255}},
	{"Red", MedianColour{255, 0, 0}}, {"Burgundy", MedianColour{128, 0, 0}}, {"Yellow", MedianColour{255, 255, 0}},
	{"Olive", MedianColour{128, 128, 0}}, {"Lime", MedianColour{0, 255, 0}}, {"Green", MedianColour{0, 128, 0}},
	{"Aqua", MedianColour{0, 255, 255}}, {"Teal", MedianColour{0, 128, 128}}, {"Blue", MedianColour{0, 0, 255}},
	{"Navy", MedianColour{0, 0, 128}}, {"Purple", MedianColour{128, 0, 128}}, {"Orange", MedianColour{255, 165, 0}},
	{"Pink", MedianColour{255, 192, 203}}, {"Brown", MedianColour{165, 42, 42}}, {"Beige", MedianColour{245, 245, 220}},
	{"Blue", MedianColour{70, 130, 180}}, {"Red", MedianColour{178, 60, 50}}, {"Green", MedianColour{60, 110, 80}},
	{"Purple", MedianColour{130, 90, 160}},
}

// ColourName is the nearest of some common colour names: a proposal, never a certainty.
func ColourName(c MedianColour) string {
	best, least := "", 1e9
	for _, b := range basic {
		if off := c.Off(b.MedianColour); off < least {
			best, least = b.name, off
		}
	}
	return best
}
