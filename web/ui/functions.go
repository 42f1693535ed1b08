package ui

import (
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/web/draw"
)

// functions are what templates may call: words for figures, nothing that decides.
var functions = template.FuncMap{
	"clock":    func(v any) string { return words.Clock(deref(v)) },
	"duration": func(v any) string { return words.Duration(deref(v)) },
	"dclock":   func(v any) string { return words.SignedClock(deref(v)) },
	"fig":      func(v any, d int) string { return words.Figure(deref(v), d) },
	"fixed":    func(v any, d int) string { return words.Fixed(deref(v), d) },
	"milli":    func(v *float64) string { return words.Figure(*v*1000, 0) },
	"opt": func(v *float64, d int) string {
		if v == nil {
			return "–"
		}
		return words.Fixed(*v, d)
	},
	"last": func(list []say.Text) say.Text {
		if len(list) == 0 {
			return nil
		}
		return list[len(list)-1]
	},
	"positive":  func(v *float64) bool { return v != nil && *v > 0 },
	"plain":     PlainNumber,
	"when":      when,
	"day":       Day,
	"dayofyear": DayOfYear,
	"minute":    Minute,
	"second":    Second,
	"waited":    waited,
	//nolint:gosec // made by package draw, which escapes
	"svg": func(s string) template.HTML { return template.HTML(s) },
	"dict": func(kv ...any) (map[string]any, error) {
		if len(kv)%2 != 0 {
			return nil, fmt.Errorf("dict: odd number of values")
		}
		m := map[string]any{}
		for i := 0; i < len(kv); i += 2 {
			m[fmt.Sprint(kv[i])] = kv[i+1]
		}
		return m, nil
	},
	"measured": func(unit any) bool {
		return (units.People{Fahrenheit: true, Miles: true}).Name(fmt.Sprint(unit)) != fmt.Sprint(unit)
	},
	"list":        func(items ...string) []string { return items },
	"abs":         math.Abs,
	"signed":      func(v float64) string { return strings.Replace("+"+words.Figure(v, 1), "+−", "−", 1) },
	"signed2":     func(v float64) string { return strings.Replace("+"+words.Fixed(v, 2), "+−", "−", 1) },
	"minutes":     func(s float64) float64 { return s / 60 },
	"add":         func(a, b int) int { return a + b },
	"join":        strings.Join,
	"upper":       strings.ToUpper,
	"sub":         func(a, b float64) float64 { return a - b },
	"ids":         func(ids []int64) string { return JoinIDs(ids, ",") },
	"letter":      draw.SignLetter,
	"causeletter": func(c limit.Cause) string { return draw.LookOf(c).Letter },
	"markname":    MarkName,
	"precond":     PreconditionedName,
	"tariff":      tariffName,
	"words": func(of string) []string {
		return map[string][]string{"climate": run.Climates, "preconditioned": run.Preconditioned, "profile": run.Profiles}[of]
	},
}

// measures are the functions of templates that write for a reader: a text, a figure with its unit or without, and a
// unit's name.
func measures(reader Reader) template.FuncMap {
	in := reader.People
	figure := func(v any, unit string, decimals int) string {
		if unit == "K" && in.Fahrenheit {
			return words.Figure(1.8*deref(v), decimals)
		}
		return words.Figure(in.Show(unit, deref(v)), decimals)
	}
	return template.FuncMap{
		writtenName: writtenFor(reader),
		"says":      func(t []say.Text, between string) string { return strings.Join(say.AllIn(t, in), between) },
		"unit":      func(kept any) string { return nameOf(in, fmt.Sprint(kept)) },
		"fieldof": func(form interface{ Shown(string) (string, bool) }, name string, kept any) string {
			value, typed := form.Shown(name)
			if typed {
				return value
			}
			return inField(value, fmt.Sprint(kept), in)
		},
		"field": func(number, kept any) string {
			return inField(fmt.Sprint(number), fmt.Sprint(kept), in)
		},
		"in": figure,
		"q": func(v any, unit string, decimals int) string {
			return say.Q(deref(v), unit, decimals).In(in)
		},
	}
}

// nameOf is a unit's name for a reader; a difference in K is one in °F.
func nameOf(in units.People, kept string) string {
	if kept == "K" && in.Fahrenheit {
		return "°F"
	}
	return in.Name(kept)
}

// deref takes a number or a pointer to one, which templates check with "with".
func deref(v any) float64 {
	switch x := v.(type) {
	case float64:
		return x
	case *float64:
		if x != nil {
			return *x
		}
	}
	return 0
}

// PlainNumber writes an optional number for a form's field.
func PlainNumber(v *float64) string {
	if v == nil {
		return ""
	}
	return strings.ReplaceAll(words.Figure(*v, 3), "−", "-")
}

// when writes a time in the run's own zone.
func when(t *time.Time, zone string) any {
	if t == nil {
		return "no date"
	}
	return Minute(Local(*t, zone))
}

// Local is a time in a zone, in UTC where there is no such zone.
func Local(t time.Time, zone string) time.Time {
	if loc, err := time.LoadLocation(zone); err == nil {
		return t.In(loc)
	}
	return t.UTC()
}

// tariffName says a tariff in a few words.
func tariffName(t *run.Tariff) string {
	if t == nil {
		return ""
	}
	var parts []string
	add := func(n run.Number, unit string) {
		if v, ok := run.Known(n); ok {
			parts = append(parts, words.Fixed(v, 2)+" "+unit)
		}
	}
	add(t.PerKWh, "per kWh")
	for _, tier := range t.PerMin {
		unit := "per min"
		if kw, ok := run.Known(tier.UpToKW); ok {
			unit += " up to " + words.Figure(kw, 0) + " kW"
		}
		add(tier.Price, unit)
	}
	add(t.SessionFee, "a session")
	add(t.IdlePerMin, "per idle min")
	if len(parts) == 0 {
		return t.Currency
	}
	return t.Currency + " " + strings.Join(parts, ", ")
}
