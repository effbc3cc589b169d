package markup

import (
	"errors"

	"plainpelican/core/money"
)

// ErrNotATrace is returned for bytes that AppendCompact did not write.
var ErrNotATrace = errors.New("not a stored trace")

const (
	hasRatio = 1 << iota
	hasOther
	hasTax
	hasText
)

// AppendCompact appends the trace in its stored form, some 5 to 10 bytes a step: the
// currency's code, then for each step its kind, which fields follow, and those as
// variable-length integers. All amounts must be in the currency.
func (t *Trace) AppendCompact(to []byte, c money.Currency) []byte {
	to = append(to, c.String()...)
	for i := range t.Steps {
		s := &t.Steps[i]
		var fields byte
		if s.Ratio != 0 {
			fields |= hasRatio
		}
		if !s.Other.IsZero() {
			fields |= hasOther
		}
		if s.Tax != 0 {
			fields |= hasTax
		}
		if s.Text != "" {
			fields |= hasText
		}
		to = appendInt(append(to, byte(s.Kind), fields), s.Amount.Minor())
		if fields&hasRatio != 0 {
			to = appendInt(to, int64(s.Ratio))
		}
		if fields&hasOther != 0 {
			to = appendInt(to, s.Other.Minor())
		}
		if fields&hasTax != 0 {
			to = appendInt(to, int64(s.Tax))
		}
		if fields&hasText != 0 {
			text := s.Text[:min(len(s.Text), 500)]
			to = append(appendInt(to, int64(len(text))), text...)
		}
	}
	return to
}

// ReadCompact adds the steps of a stored trace to this one; ErrNotATrace for anything else.
func (t *Trace) ReadCompact(data []byte) error {
	return eachStep(data, func(s Step, text []byte) {
		s.Text = string(text)
		t.Add(s)
	})
}

// SetLandedFrom fills an item's cost and known prices from the stored steps that landed it, in
// a currency, without the words; ErrNotATrace for anything else.
func (item *Item) SetLandedFrom(data []byte, c money.Currency) error {
	item.forget()
	if len(data) < 3 || string(data[:3]) != c.String() {
		return ErrNotATrace
	}
	return steps(data[3:], c, func(s Step, _ []byte) { item.know(s) })
}

func eachStep(data []byte, do func(s Step, text []byte)) error {
	if len(data) == 0 {
		return nil
	}
	if len(data) < 3 {
		return ErrNotATrace
	}
	c, err := money.ParseCurrency(string(data[:3]))
	if err != nil {
		return ErrNotATrace
	}
	return steps(data[3:], c, do)
}

func steps(data []byte, c money.Currency, do func(s Step, text []byte)) error {
	r := reader{data: data}
	for len(r.data) > 0 {
		kind, fields := StepKind(r.byte()), r.byte()
		s := Step{Kind: kind, Amount: money.New(r.int(), c)}
		if kind == 0 || kind >= stepKinds || fields > hasRatio|hasOther|hasTax|hasText {
			return ErrNotATrace
		}
		if fields&hasRatio != 0 {
			s.Ratio = money.Ratio(r.int())
		}
		if fields&hasOther != 0 {
			s.Other = money.New(r.int(), c)
		} else if needsOther(kind) {
			s.Other = money.Zero(c)
		}
		if fields&hasTax != 0 {
			s.Tax = money.Ratio(r.int())
		}
		var text []byte
		if fields&hasText != 0 {
			text = r.text()
		}
		if r.bad {
			return ErrNotATrace
		}
		do(s, text)
	}
	return nil
}

func needsOther(kind StepKind) bool {
	switch kind {
	case StepFixed, StepPercentPlus, StepTargetProfit, StepFloorProfit, StepCapped, StepOverCeiling, StepFees, StepWas:
		return true
	}
	return false
}

// appendInt writes a signed integer in 1 to 10 bytes, small ones short.
func appendInt(to []byte, n int64) []byte {
	u := uint64(n)<<1 ^ uint64(n>>63)
	for u >= 0x80 {
		to = append(to, byte(u)|0x80)
		u >>= 7
	}
	return append(to, byte(u))
}

type reader struct {
	data []byte
	bad  bool
}

func (r *reader) byte() byte {
	if len(r.data) == 0 {
		r.bad = true
		return 0
	}
	b := r.data[0]
	r.data = r.data[1:]
	return b
}

func (r *reader) int() int64 {
	var u uint64
	for shift := 0; shift < 70; shift += 7 {
		b := r.byte()
		u |= uint64(b&0x7f) << shift
		if b < 0x80 {
			return int64(u>>1) ^ -int64(u&1)
		}
	}
	r.bad = true
	return 0
}

func (r *reader) text() []byte {
	n := r.int()
	if n < 0 || n > int64(len(r.data)) {
		r.bad = true
		return nil
	}
	text := r.data[:n]
	r.data = r.data[n:]
	return text
}
