package edit

import (
	"encoding/json"
	"fmt"
)

// stored is an operation as it is stored: its kind beside its own values.
type stored struct {
	Kind  string          `json:"kind"`
	Value json.RawMessage `json:"value"`
}

// kinds make an empty operation of each kind, to be read into.
var kinds = map[string]func() Operation{
	SetTitle{}.Kind():        func() Operation { return &SetTitle{} },
	SetDescription{}.Kind():  func() Operation { return &SetDescription{} },
	RemoveContacts{}.Kind():  func() Operation { return &RemoveContacts{} },
	ArrangePictures{}.Kind(): func() Operation { return &ArrangePictures{} },
	RenameOptions{}.Kind():   func() Operation { return &RenameOptions{} },
	ChooseVariants{}.Kind():  func() Operation { return &ChooseVariants{} },
	SetCollections{}.Kind():  func() Operation { return &SetCollections{} },
	SetTags{}.Kind():         func() Operation { return &SetTags{} },
	SetPrices{}.Kind():       func() Operation { return &SetPrices{} },
	BuyAs{}.Kind():           func() Operation { return &BuyAs{} },
}

// Marshal writes operations as JSON, to be read by Unmarshal.
func Marshal(operations []Operation) ([]byte, error) {
	list := make([]stored, len(operations))
	for i, op := range operations {
		value, err := json.Marshal(op)
		if err != nil {
			return nil, err
		}
		list[i] = stored{op.Kind(), value}
	}
	return json.Marshal(list)
}

// Unmarshal reads operations. Its error is that a kind is not known, or the values are not those of its kind.
func Unmarshal(data []byte) ([]Operation, error) {
	var list []stored
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, err
	}
	operations := make([]Operation, len(list))
	for i, s := range list {
		empty, known := kinds[s.Kind]
		if !known {
			return nil, fmt.Errorf("no edit is called %q", s.Kind)
		}
		op := empty()
		if err := json.Unmarshal(s.Value, op); err != nil {
			return nil, fmt.Errorf("an edit of the %s: %w", s.Kind, err)
		}
		operations[i] = op
	}
	return operations, nil
}
