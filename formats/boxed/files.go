package boxed

import (
	"bufio"
	"bytes"
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"time"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/photo"
	"zincroad/formats/runfolder"
	"zincroad/formats/typed"
)

// The jobs.
const (
	readAll   = "all"
	readOne   = "one"
	readPhoto = "photo"
)

// plainText is up to which size a text is read in the program itself: it has no means to become more than it is.
const plainText = 256 << 10

// All is intake.All, done in a process of its own where the file could grow.
func All(ctx context.Context, name string, content []byte, c intake.Choices) ([]*intake.Bundle, error) {
	if plain(content) {
		return intake.All(name, content, c)
	}
	return files(ctx, readAll, name, content, c)
}

// Bytes is intake.Bytes, done in a process of its own where the file could grow.
func Bytes(ctx context.Context, name string, content []byte, c intake.Choices) (*intake.Bundle, error) {
	if plain(content) {
		return intake.Bytes(name, content, c)
	}
	list, err := files(ctx, readOne, name, content, c)
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// Photo is photo.Keep, done in a process of its own: a few bytes of a picture can be more pixels than any machine
// holds.
func Photo(ctx context.Context, content []byte) (*photo.Kept, error) {
	var said photoSaid
	err := process(ctx, readPhoto, func(r io.Reader) error { return gob.NewDecoder(r).Decode(&said) }, content)
	if errors.Is(err, ErrMemory) || errors.Is(err, ErrTime) {
		return nil, fmt.Errorf("%w: %w", photo.ErrSize, err)
	}
	if err != nil {
		return nil, err
	}
	for _, known := range []error{photo.ErrKind, photo.ErrSize, photo.ErrWhole} {
		if said.Fault == known.Error() {
			return nil, known
		}
	}
	if said.Kept == nil {
		return nil, photo.ErrWhole
	}
	return said.Kept, nil
}

type photoSaid struct {
	Kept  *photo.Kept
	Fault string
}

// plain tells whether a file is a text, and no larger than one that is read here.
func plain(content []byte) bool {
	return len(content) <= plainText && !runfolder.IsZip(content) && bytes.IndexByte(content, 0) < 0 &&
		!bytes.HasPrefix(bytes.TrimLeft(content, " \t\r\n\ufeff"), []byte("{")) &&
		!bytes.HasPrefix(bytes.TrimLeft(content, " \t\r\n\ufeff"), []byte("["))
}

// question is what a reader is asked; the file follows.
type question struct {
	Name      string
	Side      trace.Side
	Layout    *csvlog.Layout
	Named     *intake.Named
	StartedAt time.Time
	Zone      string
	Times     typed.Times
	Size      int
}

// answer is what it says; the columns of all recordings follow one by one, as a whole they would be held twice. The
// encoding keeps readings that were not taken, and loses numbers that are zero behind a pointer: what has such ones
// travels as the text that it is kept as.
type answer struct {
	Faults  []csvlog.Fault // of a file that is refused
	NotALog string         // the sentence of one that holds no log
	Fault   string         // any other
	Bundles []bundle
}

type bundle struct {
	Bundle     intake.Bundle // but for what stands below
	Run        []byte
	Recordings []recording // but for their columns
	Layout     []byte
}

type recording struct {
	trace.Recording
	Channels []trace.Channel
}

func files(ctx context.Context, job, name string, content []byte, c intake.Choices) ([]*intake.Bundle, error) {
	q := question{Name: name, Side: c.Side, Layout: c.Layout, Named: c.Named, StartedAt: c.StartedAt, Times: c.Times,
		Size: len(content)}
	if c.Zone != nil {
		q.Zone = c.Zone.String()
	}
	head, err := json.Marshal(q)
	if err != nil {
		return nil, fmt.Errorf("asking a reader: %w", err)
	}
	var list []*intake.Bundle
	var refused error
	err = process(ctx, job, func(r io.Reader) (err error) {
		list, refused, err = understood(r, content)
		return err
	}, append(head, '\n'), content)
	if errors.Is(err, ErrMemory) || errors.Is(err, ErrTime) {
		reason := err.Error() + `; "zincroad import FILE" takes more`
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: name, Reason: reason}}}
	}
	if err == nil {
		err = refused
	}
	if err != nil {
		return nil, err
	}
	return list, nil
}

// understood reads a reader's answer: what it read, or why the file is refused.
func understood(r io.Reader, content []byte) (list []*intake.Bundle, refused, err error) {
	var a answer
	in := gob.NewDecoder(bufio.NewReaderSize(r, 1<<16))
	if err := in.Decode(&a); err != nil {
		return nil, nil, fmt.Errorf("a reader's answer: %w", err)
	}
	switch {
	case len(a.Faults) > 0:
		return nil, &runfolder.FaultError{Faults: a.Faults}, nil
	case a.NotALog != "":
		return nil, notALog{a.NotALog}, nil
	case a.Fault != "":
		return nil, errors.New(a.Fault), nil
	case len(a.Bundles) == 0:
		return nil, nil, errors.New("a reader said nothing")
	}
	list = make([]*intake.Bundle, len(a.Bundles))
	for i, said := range a.Bundles {
		b := said.Bundle
		b.Run = &run.Run{}
		if err := json.Unmarshal(said.Run, b.Run); err != nil {
			return nil, nil, fmt.Errorf("a reader's answer: %w", err)
		}
		for _, r := range said.Recordings {
			rec := r.Recording
			if err := in.Decode(&rec.T); err != nil {
				return nil, nil, fmt.Errorf("a reader's answer: %w", err)
			}
			rec.Columns = map[trace.Channel][]float64{}
			for _, ch := range r.Channels {
				var column []float64
				if err := in.Decode(&column); err != nil {
					return nil, nil, fmt.Errorf("a reader's answer: %w", err)
				}
				rec.Columns[ch] = column
			}
			b.Run.Recordings = append(b.Run.Recordings, &rec)
		}
		if len(said.Layout) > 0 {
			b.Layout = &csvlog.Layout{}
			if err := json.Unmarshal(said.Layout, b.Layout); err != nil {
				return nil, nil, fmt.Errorf("a reader's answer: %w", err)
			}
		}
		if b.Kind != intake.FolderKind { // each recording keeps what it came from
			for k := range b.Files {
				b.Files[k].Bytes = content
			}
		}
		list[i] = &b
	}
	return list, nil, nil
}

// notALog is a refusal that is known by csvlog.ErrNotALog.
type notALog struct{ text string }

func (e notALog) Error() string { return e.text }
func (e notALog) Unwrap() error { return csvlog.ErrNotALog }

// serve does one job, in the process that was started for it.
func serve(job string, in io.Reader, out io.Writer) error {
	w := bufio.NewWriterSize(out, 1<<16)
	if job == readPhoto {
		content, err := io.ReadAll(in)
		if err != nil {
			return err
		}
		var said photoSaid
		if said.Kept, err = photo.Keep(content); err != nil {
			said.Fault = photo.ErrWhole.Error()
			for _, known := range []error{photo.ErrKind, photo.ErrSize} {
				if errors.Is(err, known) {
					said.Fault = known.Error()
				}
			}
		}
		if err := gob.NewEncoder(w).Encode(said); err != nil {
			return err
		}
		return w.Flush()
	}
	br := bufio.NewReaderSize(in, 1<<16)
	head, err := br.ReadBytes('\n')
	if err != nil {
		return err
	}
	var q question
	if err := json.Unmarshal(head, &q); err != nil {
		return err
	}
	content := make([]byte, q.Size)
	if _, err := io.ReadFull(br, content); err != nil {
		return err
	}
	c := intake.Choices{Side: q.Side, Layout: q.Layout, Named: q.Named, StartedAt: q.StartedAt, Times: q.Times}
	if q.Zone != "" {
		c.Zone, _ = time.LoadLocation(q.Zone)
	}
	var list []*intake.Bundle
	if job == readAll {
		list, err = intake.All(q.Name, content, c)
	} else {
		var b *intake.Bundle
		b, err = intake.Bytes(q.Name, content, c)
		list = []*intake.Bundle{b}
	}
	if err := tell(w, q.Name, list, err); err != nil {
		return err
	}
	return w.Flush()
}

// tell writes what came of reading.
func tell(w io.Writer, name string, list []*intake.Bundle, refused error) error {
	var a answer
	switch fe := (*runfolder.FaultError)(nil); {
	case errors.As(refused, &fe):
		a.Faults = fe.Faults
	case errors.Is(refused, csvlog.ErrNotALog):
		a.NotALog = refused.Error()
	case refused != nil:
		a.Fault = intake.Refusal(name, refused)[0].Reason
	}
	if refused != nil {
		list = nil
	}
	for _, b := range list {
		one := bundle{Bundle: *b}
		one.Bundle.Run, one.Bundle.Layout = nil, nil
		if b.Kind != intake.FolderKind {
			one.Bundle.Files = slices.Clone(b.Files)
			for i := range one.Bundle.Files {
				one.Bundle.Files[i].Bytes = nil
			}
		}
		for _, rec := range b.Run.Recordings {
			r := recording{Recording: *rec, Channels: slices.Sorted(maps.Keys(rec.Columns))}
			r.T, r.Columns = nil, nil
			one.Recordings = append(one.Recordings, r)
		}
		var err error
		if one.Run, err = json.Marshal(b.Run); err != nil {
			return err
		}
		if b.Layout != nil {
			if one.Layout, err = json.Marshal(b.Layout); err != nil {
				return err
			}
		}
		a.Bundles = append(a.Bundles, one)
	}
	enc := gob.NewEncoder(w)
	if err := enc.Encode(a); err != nil {
		return err
	}
	for i, b := range list {
		for k, rec := range b.Run.Recordings {
			if err := enc.Encode(rec.T); err != nil {
				return err
			}
			for _, ch := range a.Bundles[i].Recordings[k].Channels {
				if err := enc.Encode(rec.Columns[ch]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}
