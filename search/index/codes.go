package index

import (
	"cmp"
	"hash/maphash"
	"slices"
)

// Product numbers, SKUs and barcodes of a segment's rows: each one's hash in the upper bits and its row in the lower,
// sorted. Two that share a hash are taken for one: at ten million of them, one question in a hundred thousand.
const (
	rowBits = 24
	maxRows = 1 << rowBits
)

var codeSeed = maphash.MakeSeed()

func codeHash(code string) uint64 { return maphash.String(codeSeed, code) &^ (maxRows - 1) }

// withCode are the rows with a product number.
func (s *segment[T]) withCode(code string) (rows []uint32) {
	hash := codeHash(code)
	at, _ := slices.BinarySearch(s.productCodes, hash)
	for ; at < len(s.productCodes) && s.productCodes[at]&^(maxRows-1) == hash; at++ {
		rows = append(rows, uint32(s.productCodes[at]&(maxRows-1)))
	}
	return slices.Compact(rows)
}

// addCodes adds a row's product numbers.
func (s *segment[T]) addCodes(row int, codes []string) {
	for _, code := range codes {
		if code != "" && row < maxRows {
			s.productCodes = append(s.productCodes, codeHash(code)|uint64(row))
		}
	}
}

// mergeCodes takes over the codes of parts whose rows become others, from 1; 0 is gone.
func (s *segment[T]) mergeCodes(from [][]uint64, become [][]int32) {
	n := 0
	for _, list := range from {
		n += len(list)
	}
	s.productCodes = make([]uint64, 0, n)
	at := make([]int, len(from))
	for {
		least := -1
		for i := range from {
			if at[i] < len(from[i]) && (least < 0 || cmp.Less(from[i][at[i]], from[least][at[least]])) {
				least = i
			}
		}
		if least < 0 {
			break
		}
		code := from[least][at[least]]
		at[least]++
		if row := become[least][code&(maxRows-1)]; row > 0 && row <= maxRows {
			s.productCodes = append(s.productCodes, code&^(maxRows-1)|uint64(row-1))
		}
	}
	slices.Sort(s.productCodes) // rows of one hash; the rest is in order
	s.productCodes = slices.Clip(s.productCodes)
}
