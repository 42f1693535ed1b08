// Package figure describes the figures that Zinc Road shows: what each is called, what it
// means, how it is worked out, and with which numbers it was. The lists themselves stand
// beside the arithmetic: core/curve has those of a run, core/prepare of a plan,
// core/follow of a run under way. Pages, docs/definitions.md and the commands go by them.
package figure

import (
	"zincroad/core/say"
)

// Figure is one figure, or several that are explained together, of a T: a run's reading,
// a plan, the state of a live run.
type Figure[T any] struct {
	Key        string // in addresses; small letters and dashes
	Name       string // "Average power"
	Unit       string // empty: none, or several
	Definition string // for people, in whole sentences
	Formula    string // how exactly, as docs/definitions.md has it
	Source     string // where the rule is from; empty: it is our own definition

	// Numbers puts the definition's terms with the numbers of one T into lines; none
	// where the T does not have the figure.
	Numbers func(T) Lines
}

// List is the figures of one kind, in the order in which pages list them.
type List[T any] []Figure[T]

// Find gives the figure of a key, and false for a key that is none.
func (l List[T]) Find(key string) (Figure[T], bool) {
	for _, f := range l {
		if f.Key == key {
			return f, true
		}
	}
	return Figure[T]{}, false
}

// Text is a figure without what it is a figure of, for lists of all kinds.
type Text struct{ Key, Name, Unit, Definition, Formula, Source string }

// Texts gives what a list's figures say.
func (l List[T]) Texts() []Text {
	out := make([]Text, len(l))
	for i, f := range l {
		out[i] = Text{f.Key, f.Name, f.Unit, f.Definition, f.Formula, f.Source}
	}
	return out
}

// Lines collects lines of numbers.
type Lines []say.Text

// Say adds a line of one message.
func (l *Lines) Say(code string, args ...any) { *l = append(*l, say.T(code, args...)) }

// Add adds a line.
func (l *Lines) Add(line say.Text) { *l = append(*l, line) }
