package matching

import (
	"cmp"
	"slices"

	"plainpelican/core/money"
)

// comparePieces compares other packs by what one piece lands for.
func (e *Alternatives) comparePieces() error {
	var own *money.Amount
	for i := range e.Offers {
		if e.Offers[i].IsSubject && e.Offers[i].Ladder != nil {
			own = &e.Offers[i].Ladder.Landed
		}
	}
	for i := range e.Packs {
		a := &e.Packs[i]
		if a.Ladder == nil {
			continue
		}
		piece, err := shareOf(a.Ladder.Landed, a.Packs.There)
		if err != nil {
			return err
		}
		if a.PerPiece = &piece; own != nil {
			piece, err := shareOf(*own, a.Packs.Here)
			if err != nil {
				return err
			}
			a.OwnPerPiece = &piece
		}
	}
	slices.SortStableFunc(e.Packs, func(a, b Alternative) int {
		switch {
		case a.PerPiece == nil && b.PerPiece == nil:
			return 0
		case a.PerPiece == nil:
			return 1
		case b.PerPiece == nil:
			return -1
		}
		return cmp.Compare(a.PerPiece.Minor(), b.PerPiece.Minor())
	})
	return nil
}

// shareOf is an amount shared by so many, rounded to the minor unit.
func shareOf(a money.Amount, by int) (money.Amount, error) {
	n, err := money.MulDiv(a.Minor(), 1, int64(by))
	return money.New(n, a.Currency()), err
}
