package runfolder

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"reflect"
	"regexp"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/formats/csvlog"
)

var emptyTime = regexp.MustCompile(`"started_at"\s*:\s*""`)

// Document writes a run's run.json. Where the run came from a file, original is
// that file's text: it is given back as it was if nothing in it changed, and else
// keeps every key that Zinc Road does not know.
func Document(r *run.Run, photos []Photo, original []byte) ([]byte, error) {
	d := document{Format: Format, Run: *r, Photos: photos}
	for _, rec := range r.Recordings {
		d.Recordings = append(d.Recordings, recording{
			File: rec.Name, Side: rec.Side, ClockOffsetS: rec.ClockOffsetS,
			ClockDriftPPM: rec.ClockDriftPPM, ClockSettled: rec.ClockSettled,
			SoCResolutionPct: rec.SoCResolutionPct, PowerTolerancePct: rec.PowerTolerancePct,
		})
	}
	wanted, err := tree(d)
	if err != nil {
		return nil, err
	}
	if len(original) == 0 {
		return indent(wanted)
	}
	before, faults := parse(original)
	if len(faults) > 0 {
		return indent(wanted)
	}
	known, err := tree(before)
	if err != nil {
		return nil, err
	}
	if reflect.DeepEqual(known, wanted) {
		return original, nil
	}
	var whole any
	dec := json.NewDecoder(bytes.NewReader(bytes.TrimPrefix(original, []byte{0xef, 0xbb, 0xbf})))
	dec.UseNumber()
	if err := dec.Decode(&whole); err != nil {
		return indent(wanted)
	}
	return indent(merge(whole, known, wanted))
}

// tree turns a document into maps and lists for comparing.
func tree(d any) (any, error) {
	b, err := json.Marshal(d)
	if err != nil {
		return nil, fmt.Errorf("writing %s: %w", DocumentName, err)
	}
	var out any
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	return out, dec.Decode(&out)
}

// merge puts the wanted values into the whole document. Keys that were known
// before and are wanted no more go; keys that were never known stay.
func merge(whole, known, wanted any) any {
	w, ok1 := whole.(map[string]any)
	n, ok2 := wanted.(map[string]any)
	if ok1 && ok2 {
		k, _ := known.(map[string]any)
		for key := range k {
			if _, still := n[key]; !still {
				delete(w, key)
			}
		}
		for key, v := range n {
			w[key] = merge(w[key], k[key], v)
		}
		return w
	}
	wl, ok1 := whole.([]any)
	nl, ok2 := wanted.([]any)
	kl, _ := known.([]any)
	if ok1 && ok2 && len(wl) == len(nl) && len(kl) == len(nl) {
		for i := range nl {
			wl[i] = merge(wl[i], kl[i], nl[i])
		}
		return wl
	}
	return wanted
}

func indent(v any) ([]byte, error) {
	b, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("writing %s: %w", DocumentName, err)
	}
	return append(b, '\n'), nil
}

// Part is a file of a run folder, written when its turn comes.
type Part struct {
	Name  string
	Write func(w io.Writer) error
}

// Recorded are the files of recordings whose readings are there, in the project's own format.
func Recorded(r *run.Run) (files []Part) {
	for _, rec := range r.Recordings {
		files = append(files, Part{rec.Name, func(w io.Writer) error { return csvlog.Write(w, rec) }})
	}
	return files
}

// WriteZip writes a run folder as a zip: run.json, of a run whose recordings need no readings here, and the files that
// belong to it.
func WriteZip(w io.Writer, r *run.Run, photos []Photo, original []byte, files []Part, at time.Time) error {
	doc, err := Document(r, photos, original)
	if err != nil {
		return err
	}
	z := zip.NewWriter(w)
	headers := map[string][]string{}
	add := func(p Part) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: p.Name, Method: zip.Deflate, Modified: at})
		if err == nil {
			h := &headed{Writer: f}
			err = p.Write(h)
			headers[p.Name] = h.header
		}
		if err != nil {
			return fmt.Errorf("writing %s: %w", p.Name, err)
		}
		return nil
	}
	text := func(name string, doc []byte) Part {
		return Part{name, func(w io.Writer) error { _, err := w.Write(doc); return err }}
	}
	for _, p := range append([]Part{text(DocumentName, doc)}, files...) {
		if err := add(p); err != nil {
			return err
		}
	}
	described, err := DataPackage(r, headers)
	if err == nil && described != nil {
		err = add(text(DataPackageName, described))
	}
	if err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("writing the zip: %w", err)
	}
	return nil
}

// RecordingName makes a file name for a recording's CSV from what it was called,
// keeping letters, digits, dots and dashes.
func RecordingName(name string, taken map[string]bool) string {
	stem := strings.TrimSuffix(strings.TrimSuffix(strings.TrimSuffix(name, ".csv"), ".txt"), ".tsv")
	stem = strings.Trim(regexp.MustCompile(`[^\pL\pN._-]+`).ReplaceAllString(stem, "-"), "-.")
	if stem == "" {
		stem = "recording"
	}
	out := stem + ".csv"
	for i := 2; taken[out]; i++ {
		out = fmt.Sprintf("%s-%d.csv", stem, i)
	}
	taken[out] = true
	return out
}
