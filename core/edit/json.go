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

// kinds read an operation of each kind.
var kinds = map[string]func(value []byte) (Operation, error){
	SetTitle{}.Kind():        read[SetTitle],
	SetDescription{}.Kind():  read[SetDescription],
	RemoveContacts{}.Kind():  read[RemoveContacts],
	ArrangePictures{}.Kind(): read[ArrangePictures],
	RenameOptions{}.Kind():   read[RenameOptions],
	ChooseVariants{}.Kind():  read[ChooseVariants],
	SetCollections{}.Kind():  read[SetCollections],
	SetTags{}.Kind():         read[SetTags],
	SetPrices{}.Kind():       read[SetPrices],
	BuyAs{}.Kind():           read[BuyAs],
	SetTray{}.Kind():         read[SetTray],
	Reshape{}.Kind():         read[Reshape],
	SetDiscarded{}.Kind():    read[SetDiscarded],
	SetReserve{}.Kind():      read[SetReserve],
	SetCodes{}.Kind():        read[SetCodes],
	SetText{}.Kind():         read[SetText],
	SetOwnWords{}.Kind():     read[SetOwnWords],
}

func read[O Operation](value []byte) (Operation, error) {
	var op O
	err := json.Unmarshal(value, &op)
	return op, err
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
		read, known := kinds[s.Kind]
		if !known {
			return nil, fmt.Errorf("no edit is called %q", s.Kind)
		}
		var err error
		if operations[i], err = read(s.Value); err != nil {
			return nil, fmt.Errorf("an edit of the %s: %w", s.Kind, err)
		}
	}
	return operations, nil
}
