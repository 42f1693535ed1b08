package ui

import (
	"maps"
	"net/url"
	"slices"
	"strings"

	"zincroad/core/units"
)

// wasField is the hidden field that says with what a form was filled.
const wasField = "was"

// Was is with what the form was filled, as its hidden field has it.
func (f *Fields) Was() string {
	if f.Typed {
		return f.Values.Get(wasField)
	}
	return f.Values.Encode()
}

// chosen are fields whose values are numbers of something that has a name.
var chosen = []string{"car", "stall", "adapter", "site"}

// Meanwhile holds a form that was sent against what somebody else changed since it was filled: mine is what it says,
// now is what is kept. A field that only they changed has theirs from then on; one that both changed has a fault that
// shows theirs, with what was typed in it, and sent once more it goes before. It tells whether the form has to be read
// anew.
func (f *Fields) Meanwhile(mine, now url.Values, who string) (anew bool) {
	was, err := url.ParseQuery(f.Values.Get(wasField))
	if err != nil || len(was) == 0 {
		return false
	}
	names := maps.Clone(was)
	maps.Copy(names, now)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		w, n, m := was.Get(name), now.Get(name), mine.Get(name)
		switch {
		case n == w || n == m:
		case m == w:
			f.Values.Set(name, n)
			f.Values.Del(name + "__unit")
			f.Values.Del(name + "__kept")
			anew = true
		case n == "":
			f.Fault(name, "%s took this away meanwhile; yours is still in the field.", who)
		case slices.Contains(chosen, name):
			f.Fault(name, "%s chose another here meanwhile; yours is still in the field.", who)
		default:
			f.Fault(name, "%s wrote %q here meanwhile; yours is still in the field.", who, f.readers(name, n))
		}
	}
	f.Values.Set(wasField, now.Encode())
	return anew
}

// Merge reads a form into something that is kept, against what somebody else changed of it since the form was filled:
// values fills the form from it, read reads the form into it, and who tells who changed it last.
func (f *Fields) Merge(values func() url.Values, read func(), who func() (string, error)) error {
	now := values()
	read()
	if !f.OK() {
		return nil
	}
	name, err := who()
	if err != nil {
		return err
	}
	if f.Meanwhile(values(), now, name) {
		read()
	}
	return nil
}

// readers is what is kept in a field, in the unit that its form showed.
func (f *Fields) readers(name, kept string) string {
	switch unit := f.Values.Get(name + "__unit"); {
	case unit == "°F":
		return inField(kept, "°C", units.People{Fahrenheit: true})
	case strings.HasPrefix(unit, "mi"):
		return inField(kept, "km", units.People{Miles: true})
	}
	return kept
}
