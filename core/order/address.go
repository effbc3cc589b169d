package order

import (
	"slices"
	"strings"
	"unicode"

	"github.com/mozillazg/go-unidecode"
)

// Address is where an order goes, as the customer wrote it. Country is ISO 3166 alpha-2.
type Address struct {
	Name     string `json:"name"`
	Company  string `json:"company,omitempty"`
	Line1    string `json:"line1"`
	Line2    string `json:"line2,omitempty"`
	City     string `json:"city"`
	Region   string `json:"region,omitempty"`
	Postcode string `json:"postcode,omitempty"`
	Country  string `json:"country"`
	Phone    string `json:"phone,omitempty"`
}

// AddressFault is a field of an address that a supplier may not be able to deliver to, and why.
type AddressFault struct {
	Field string `json:"field"`
	Words string `json:"words"`
	// Latin is a spelling in Latin letters that a person looks at, where one can be proposed.
	Latin string `json:"latin,omitempty"`
}

// maxLine is how many characters fit on a line of a parcel's label: common practice.
const maxLine = 60

// Trimmed is an address without spaces around its parts and twice within, and the country in capitals.
func (a Address) Trimmed() Address {
	for _, part := range a.parts() {
		*part = strings.Join(strings.Fields(*part), " ")
	}
	a.Country = strings.ToUpper(a.Country)
	return a
}

func (a *Address) parts() []*string {
	return []*string{&a.Name, &a.Company, &a.Line1, &a.Line2, &a.City, &a.Region, &a.Postcode, &a.Country, &a.Phone}
}

// CheckAddress says what is missing of an address by the format of its country, what is not in Latin letters, and what
// is too long for a label. Nothing is changed: a person decides.
func CheckAddress(a Address) []AddressFault {
	a = a.Trimmed()
	faults := []AddressFault{}
	add := func(field, words string) { faults = append(faults, AddressFault{Field: field, Words: words}) }
	format, known := formats[a.Country]
	if len(a.Country) != 2 {
		add("country", "The country is missing.")
	}
	for _, need := range []struct {
		field, value, words string
		needed              bool
	}{
		{"name", a.Name, "The name is missing.", true},
		{"line1", a.Line1, "The street is missing.", true},
		{"city", a.City, "The city is missing.", !known || strings.Contains(format.required, "C")},
		{"region", a.Region, "The state or province is missing.", strings.Contains(format.required, "S")},
		{"postcode", a.Postcode, "The postcode is missing.", strings.Contains(format.required, "Z")},
	} {
		if need.needed && need.value == "" {
			add(need.field, need.words)
		}
	}
	if a.Postcode != "" && format.postcode != nil && !format.postcode.MatchString(strings.ToUpper(a.Postcode)) {
		add("postcode", "“"+a.Postcode+"” is no postcode of that country.")
	}
	fields := []string{"name", "company", "line1", "line2", "city", "region", "postcode"}
	for i, value := range []string{a.Name, a.Company, a.Line1, a.Line2, a.City, a.Region, a.Postcode} {
		if notLatin(value) {
			faults = append(faults, AddressFault{fields[i],
				"Suppliers abroad cannot print this: write it in Latin letters.", spelled(value, a.Country)})
		}
		if len([]rune(value)) > maxLine {
			add(fields[i], "This is too long for a label, which takes 60 characters.")
		}
	}
	return slices.Clip(faults)
}

// spelled proposes how a text is written in Latin letters, by go-unidecode's tables; empty where they would mislead:
// scripts that leave vowels out, Greek, which they spell as the ancients did, and Han characters outside China, which
// are read differently from country to country.
func spelled(text, country string) string {
	for _, r := range text {
		switch {
		case !unicode.IsLetter(r), unicode.In(r, unicode.Latin, unicode.Cyrillic, unicode.Georgian, unicode.Armenian):
		case unicode.Is(unicode.Han, r) && country == "CN":
		default:
			return ""
		}
	}
	words := strings.Fields(strings.ReplaceAll(unidecode.Unidecode(text), "'", ""))
	for i, word := range words {
		first := []rune(word)
		first[0] = unicode.ToUpper(first[0])
		words[i] = string(first)
	}
	return strings.Join(words, " ")
}

func notLatin(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool { return unicode.IsLetter(r) && !unicode.Is(unicode.Latin, r) })
}

// ValidS10 tells whether a tracking number that looks like an item number of UPU standard S10 has the right check
// digit: two letters, eight digits weighed 8 6 4 2 3 5 9 7, the check digit, and a country. Others are not judged.
func ValidS10(number string) (isS10, right bool) {
	n := strings.ToUpper(strings.ReplaceAll(number, " ", ""))
	if len(n) != 13 {
		return false, false
	}
	for i, r := range n {
		letter := i < 2 || i > 10
		if letter != (r >= 'A' && r <= 'Z') || !letter && (r < '0' || r > '9') {
			return false, false
		}
	}
	sum := 0
	for i, weight := range []int{8, 6, 4, 2, 3, 5, 9, 7} {
		sum += int(n[2+i]-'0') * weight
	}
	check := 11 - sum%11
	switch check {
	case 10:
		check = 0
	case 11:
		check = 5
	}
	return true, int(n[10]-'0') == check
}
