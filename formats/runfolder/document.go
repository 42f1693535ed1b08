package runfolder

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/photo"
)

// document is run.json with its recordings.
type document struct {
	Format string `json:"format"`
	run.Run
	Recordings []recording `json:"recordings"`
	Photos     []Photo     `json:"photos,omitempty"`
}

// Photo is a picture taken at the stall.
type Photo struct {
	File string  `json:"file"`
	TS   float64 `json:"t_s"` // after the run's start

	Kept *photo.Kept `json:"-"` // what was read of it: without what the camera noted of place and owner
}

type recording struct {
	File              string     `json:"file"`
	Side              trace.Side `json:"side,omitempty"`
	ClockOffsetS      float64    `json:"clock_offset_s,omitempty"`
	ClockDriftPPM     float64    `json:"clock_drift_ppm,omitempty"`
	ClockSettled      bool       `json:"clock_settled,omitempty"`
	SoCResolutionPct  float64    `json:"soc_resolution_pct,omitempty"`
	PowerTolerancePct float64    `json:"power_tolerance_pct,omitempty"`
}

// Plan reads a run.json that may have no recordings yet: a car, a stall and what
// else is known of a run to come. The error is a *FaultError that calls the
// document name.
func Plan(doc []byte, name string) (*run.Run, error) {
	d, faults := parse(doc)
	faults = slices.DeleteFunc(faults, func(f csvlog.Fault) bool { return f.Reason == noRecordings })
	for i := range faults {
		faults[i].File = name
	}
	if len(faults) > 0 {
		return nil, &FaultError{faults}
	}
	return &d.Run, nil
}

const noRecordings = "recordings: expected at least one"

// parse reads a run.json, with every fault and its line.
func parse(doc []byte) (*document, []csvlog.Fault) {
	doc = bytes.TrimPrefix(doc, []byte{0xef, 0xbb, 0xbf})
	faults, lines := check(doc, DocumentName)
	if len(faults) > 0 {
		return nil, faults
	}
	d, err := decode(doc)
	if err != nil {
		return nil, []csvlog.Fault{{File: DocumentName, Line: 1, Reason: plain(err)}}
	}
	return d, d.contradictions(lines)
}

func decode(doc []byte) (*document, error) {
	var d document
	if err := json.Unmarshal(blankTimes(doc), &d); err != nil {
		return nil, err
	}
	d.cleanTexts()
	return &d, nil
}

// cleanTexts takes out of a run's texts what is no text.
func (d *document) cleanTexts() {
	line := func(texts ...*string) {
		for _, s := range texts {
			*s = words.Line(*s)
		}
	}
	line(&d.Title)
	if c := d.Car; c != nil {
		line(&c.Name, &c.Software)
	}
	if s := d.Stall; s != nil {
		line(&s.Site, &s.Name)
		if s.Tariff != nil {
			line(&s.Tariff.Currency)
		}
	}
	if a := d.Adapter; a != nil {
		line(&a.Name)
	}
	if m := d.Method; m != nil {
		line(&m.Name)
	}
	if c := d.Conditions; c != nil {
		line(&c.Weather, &c.Label)
	}
	for i := range d.Claims {
		line(&d.Claims[i].Note)
	}
	for i := range d.Marks {
		line(&d.Marks[i].Note)
	}
}

// blankTimes reads an empty started_at as not given.
func blankTimes(doc []byte) []byte {
	return emptyTime.ReplaceAll(doc, []byte(`"started_at": null`))
}

// contradictions lists what no single key shows: what is missing, and values that
// do not go together.
func (d *document) contradictions(lines map[string]int) (faults []csvlog.Fault) {
	fault := func(key, format string, args ...any) {
		faults = append(faults,
			csvlog.Fault{File: DocumentName, Line: max(1, lines[key]), Reason: fmt.Sprintf(format, args...)})
	}
	if d.Format != Format {
		fault("format", "format: %q, expected %q", d.Format, Format)
	}
	if len(d.Recordings) == 0 {
		fault("recordings", noRecordings)
	}
	for i := range d.Recordings {
		rec := &d.Recordings[i]
		key := fmt.Sprintf("recordings[%d]", i)
		switch {
		case rec.File == "":
			fault(key, "%s.file: expected the name of a CSV file in this folder", key)
		case !filepath.IsLocal(rec.File) || strings.Contains(rec.File, `\`):
			fault(key+".file", "%s.file: %q, expected a file inside this folder", key, rec.File)
		}
		if rec.Side == "" {
			rec.Side = trace.CarSide
		}
		for k := range i { // one table may hold both sides
			if other := d.Recordings[k]; rec.File != "" && other.File == rec.File && other.Side == rec.Side {
				fault(key+".file", "%s.file: %q is the %s's side twice", key, rec.File, rec.Side)
				break
			}
		}
	}
	for i, p := range d.Photos {
		if !filepath.IsLocal(p.File) || strings.Contains(p.File, `\`) {
			key := fmt.Sprintf("photos[%d].file", i)
			fault(key, "%s: %q, expected a file inside this folder", key, p.File)
		}
	}
	if n := len(d.Photos); n > mostPhotos {
		fault("photos", "photos: %d of them, expected at most %d", n, mostPhotos)
	}
	if n := len(d.Recordings); n > mostRecordings {
		fault("recordings", "recordings: %d of them, expected at most %d", n, mostRecordings)
	}
	if m := d.Method; m != nil && m.FromPct != nil && m.ToPct != nil && *m.FromPct >= *m.ToPct {
		fault("method.to_pct", "method.to_pct: %g, expected more than from_pct %g", *m.ToPct, *m.FromPct)
	}
	for i, c := range d.Claims {
		if c.Kind == "" {
			fault(fmt.Sprintf("claims[%d]", i), "claims[%d].kind: expected window or peak", i)
		}
	}
	for i, m := range d.Marks {
		if m.Kind == "" {
			fault(fmt.Sprintf("marks[%d]", i), "marks[%d].kind: expected %s", i, orList(run.MarkKinds))
		}
	}
	ordered := func(key string, low, high run.Number, lowName string) {
		a, ok1 := run.Known(low)
		b, ok2 := run.Known(high)
		if ok1 && ok2 && a > b {
			fault(key, "%s: %g, expected no less than %s %g", key, b, lowName, a)
		}
	}
	if d.Car != nil {
		ordered("car.pack_max_v", d.Car.PackMinV, d.Car.PackMaxV, "pack_min_v")
		ordered("car.gross_kwh", d.Car.UsableKWh, d.Car.GrossKWh, "usable_kwh")
	}
	if d.Stall != nil {
		ordered("stall.max_v", d.Stall.MinV, d.Stall.MaxV, "min_v")
		if t := d.Stall.Tariff; t != nil {
			if err := stall.CheckTiers(t.PerMin); err != nil {
				fault("stall.tariff.per_min", "stall.tariff.per_min: %v", err)
			}
		}
	}
	return faults
}
