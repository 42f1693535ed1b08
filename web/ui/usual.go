package ui

import (
	"context"
	"fmt"
	"slices"

	"zincroad/core/prepare"
	"zincroad/logbook"
)

// Usual are what a reader's plans and runs may begin with.
type Usual struct{ Cars, Methods []Choice }

// Choice is an entry of a menu.
type Choice struct{ Key, Name string }

// usable is where cars and methods are kept.
type usable interface {
	Cars(ctx context.Context) ([]logbook.Car, error)
	Methods(ctx context.Context) ([]logbook.OwnMethod, error)
}

// UsualOf lists what plans and runs may begin with.
func UsualOf(ctx context.Context, book usable) (Usual, error) {
	var u Usual
	cars, err := book.Cars(ctx)
	if err != nil {
		return u, err
	}
	for _, c := range cars {
		u.Cars = append(u.Cars, Choice{fmt.Sprint(c.ID), c.Name})
	}
	methods, err := Methods(ctx, book)
	for _, m := range methods {
		u.Methods = append(u.Methods, Choice{m.Key, m.Name})
	}
	return u, err
}

// Methods gives the ready methods and the logbook's own, those with a key that no ready one has.
func Methods(ctx context.Context, book interface {
	Methods(ctx context.Context) ([]logbook.OwnMethod, error)
}) ([]prepare.Method, error) {
	own, err := book.Methods(ctx)
	all := slices.Clone(prepare.Methods)
	for _, m := range own {
		m.Document.Key, m.Document.Name = fmt.Sprintf("own-%d", m.ID), m.Name
		all = append(all, m.Document)
	}
	return all, err
}

// keysOf are the keys of choices, and of none of them.
func keysOf(choices []Choice) []string {
	out := []string{""}
	for _, c := range choices {
		out = append(out, c.Key)
	}
	return out
}
