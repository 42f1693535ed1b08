package ui

import (
	"bytes"
	"html/template"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/units"
)

// What a tester wrote is never put into other units: a title "Night run at 5 °C, 300 km drive" stays what it is, in
// the page and in the fields that would store it again.

// ownTypes are the packages whose values hold texts of the testers' own.
var ownTypes = []string{"zincroad/logbook", "zincroad/core/run"}

// mostOwn bounds what a page's data is looked through for, values.
const mostOwn = 200_000

// ownTexts lists the texts of testers' own in a page's data that hold a figure with a unit.
func ownTexts(data ...any) []string {
	w := ownWalk{seen: map[uintptr]bool{}, left: mostOwn}
	for _, d := range data {
		w.walk(reflect.ValueOf(d), false)
	}
	slices.SortFunc(w.out, func(a, b string) int { return len(b) - len(a) }) // the longest first: one may hold another
	return slices.Compact(w.out)
}

type ownWalk struct {
	seen map[uintptr]bool
	left int
	out  []string
}

func (w *ownWalk) walk(v reflect.Value, own bool) {
	if w.left--; w.left < 0 || !v.IsValid() {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() || w.seen[v.Pointer()] {
			return
		}
		w.seen[v.Pointer()] = true
		w.walk(v.Elem(), own)
	case reflect.Interface:
		w.walk(v.Elem(), own)
	case reflect.Struct:
		own = own || slices.Contains(ownTypes, v.Type().PkgPath())
		for i := range v.NumField() {
			w.walk(v.Field(i), own)
		}
	case reflect.Slice, reflect.Array:
		switch v.Type().Elem().Kind() {
		case reflect.Struct, reflect.Pointer, reflect.Interface, reflect.String, reflect.Slice, reflect.Map:
			for i := range v.Len() {
				w.walk(v.Index(i), own)
			}
		}
	case reflect.Map:
		for it := v.MapRange(); it.Next(); {
			w.walk(it.Value(), own)
		}
	case reflect.String:
		if s := strings.TrimSpace(v.String()); own && len(s) < maxLong && rewritten(s) {
			w.out = append(w.out, s)
		}
	}
}

// rewritten tells whether a text would be put into other units, and is more than the figure alone.
func rewritten(s string) bool {
	for _, of := range []*regexp.Regexp{temperature, distance} {
		if at := of.FindStringIndex(s); at != nil && (at[0] > 0 || at[1] < len(s)) {
			return true
		}
	}
	return false
}

var (
	inputs    = regexp.MustCompile(`<input [^>]*>`)
	textareas = regexp.MustCompile(`(?s)<textarea[^>]*>.*?</textarea>`)
)

// LocalisedBut puts a page into a reader's units, but for texts of the testers' own and what stands in fields without a
// unit.
func LocalisedBut(page []byte, p units.People, own []string) []byte {
	if p == (units.People{}) {
		return page
	}
	var kept [][]byte
	hide := func(found []byte) []byte {
		kept = append(kept, found)
		return []byte("\x00" + strconv.Itoa(len(kept)-1) + "\x00")
	}
	page = textareas.ReplaceAllFunc(page, hide)
	page = inputs.ReplaceAllFunc(page, func(tag []byte) []byte {
		if bytes.Contains(tag, []byte("data-unit=")) || bytes.Contains(tag, []byte(`__unit"`)) {
			return tag
		}
		return hide(tag)
	})
	for _, s := range own {
		for _, written := range []string{template.HTMLEscapeString(s), s} {
			if bytes.Contains(page, []byte(written)) {
				page = bytes.ReplaceAll(page, []byte(written), hide([]byte(written)))
				break
			}
		}
	}
	page = Localised(page, p)
	for i := len(kept) - 1; i >= 0; i-- { // what was hidden last may hold what was before
		page = bytes.ReplaceAll(page, []byte("\x00"+strconv.Itoa(i)+"\x00"), kept[i])
	}
	return page
}

// inUnits puts a page into a reader's units; data is what it was made of.
func inUnits(page []byte, p units.People, data any) []byte {
	if p == (units.People{}) {
		return page
	}
	return LocalisedBut(page, p, ownTexts(data))
}

// OwnTexts are the texts of testers' own in what a page is made of, for LocalisedBut.
func OwnTexts(data any) []string { return ownTexts(data) }
