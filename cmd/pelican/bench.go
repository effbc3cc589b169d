package main

import (
	"context"
	"errors"
)

func bench(_ context.Context, args []string) error {
	return errors.New("todo")
}
