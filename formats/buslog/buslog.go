package buslog

import (
	"bufio"
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"go.einride.tech/can"
)

// ErrNone is returned, wrapped, for a text without a frame of the profile.
var ErrNone = errors.New("no frame of the profile's signals")

// everyS is how far apart readings are written, s: a bus says more often what hardly changes.
const everyS = 1.0

// absoluteFrom is from what on a time is of the day, in s since 1970, and below it since the log began: candump has
// both ways. It is the year 2001.
const absoluteFrom = 1e9

// Looks tells whether a text begins as a log of candump does: a time in brackets, an interface, a frame.
func Looks(head []byte) bool {
	for line := range bytes.Lines(head[:min(len(head), 4096)]) {
		if line = bytes.TrimSpace(line); len(line) > 0 {
			_, ok := parseFrame(line)
			return ok
		}
	}
	return false
}

// frame is one line of a log.
type frame struct {
	at     float64
	id     uint32
	data   can.Data
	length int
}

// parseFrame reads a line as candump -l writes it, "(1436509052.249713) vcan0 044#2A366C2BBA", or as it shows one,
// "(1436509052.249713)  vcan0  044   [5]  2A 36 6C 2B BA"; false for what is none, a request for data, or a frame that
// is longer than a classic one.
func parseFrame(line []byte) (f frame, ok bool) {
	if len(line) < 8 || line[0] != '(' {
		return f, false
	}
	end := bytes.IndexByte(line, ')')
	if end < 0 {
		return f, false
	}
	at, err := strconv.ParseFloat(string(line[1:end]), 64)
	if err != nil || math.IsNaN(at) || math.Abs(at) > 1e12 {
		return f, false
	}
	f.at = at
	rest := bytes.TrimLeft(line[end+1:], " \t")
	_, rest, found := bytes.Cut(rest, []byte(" ")) // the interface
	if !found {
		return f, false
	}
	rest = bytes.TrimLeft(rest, " \t")
	var id, text []byte
	if i := bytes.IndexByte(rest, '#'); i >= 0 {
		id, text = rest[:i], rest[i+1:]
		text, _, _ = bytes.Cut(text, []byte(" "))
		if len(text) > 0 && (text[0] == '#' || text[0] == 'R') {
			return f, false
		}
	} else {
		var length []byte
		if id, length, found = bytes.Cut(rest, []byte(" ")); !found {
			return f, false
		}
		length = bytes.TrimLeft(length, " \t")
		if _, text, found = bytes.Cut(length, []byte("]")); !found || length[0] != '[' {
			return f, false
		}
		if i := bytes.IndexByte(text, '\''); i >= 0 { // as text too, behind
			text = text[:i]
		}
	}
	if len(id) != 3 && len(id) != 8 {
		return f, false
	}
	n, err := strconv.ParseUint(string(id), 16, 32)
	if err != nil {
		return f, false
	}
	if f.id = uint32(n); len(id) == 8 {
		f.id |= extendedBit
	}
	text = bytes.ReplaceAll(text, []byte(" "), nil)
	if len(text)%2 != 0 || len(text) > 2*can.MaxDataLength {
		return f, false
	}
	f.length, err = hex.Decode(f.data[:], text)
	return f, err == nil
}

// Converted is what became of a log.
type Converted struct {
	Frames, Of, Rows int       // lines that are frames, those of the profile, readings
	Odd, Late        int       // lines that are no frames, frames of the profile from before the one ahead of them
	Began            time.Time // of the first reading; zero where times count from the log's beginning
	Missing          []string  // channels of which no frame came
}

// LeftOut says in sentences what of a log is in no reading.
func (c Converted) LeftOut() (said []string) {
	if c.Odd > 0 {
		said = append(said, fmt.Sprintf("lines that are no frames: %d", c.Odd))
	}
	if c.Late > 0 {
		said = append(said, fmt.Sprintf("frames from before the one ahead of them, the log's clock went back: %d", c.Late))
	}
	if len(c.Missing) > 0 {
		said = append(said, "no frame came of "+strings.Join(c.Missing, ", "))
	}
	return said
}

// Convert streams a log into our own CSV: a reading a second with the last value of each channel in it, empty where
// none came. What lies before the time so far is left out: a log is in order.
func (p *Profile) Convert(w io.Writer, r io.Reader) (out Converted, err error) {
	to := bufio.NewWriter(w)
	row, seen := make([]float64, len(p.Channels)), make([]bool, len(p.Channels))
	empty := func() {
		for i := range row {
			row[i] = math.NaN()
		}
	}
	empty()
	var second, last, began float64
	absolute, any := false, false
	flush := func() {
		if !any {
			return
		}
		if out.Rows == 0 {
			absolute, began = last > absoluteFrom, last
			if absolute {
				to.WriteString("time")
				out.Began = timeOf(last)
			} else {
				to.WriteString("t_s")
			}
			for _, c := range p.Channels {
				to.WriteString("," + string(c))
			}
			to.WriteByte('\n')
		}
		if absolute {
			to.WriteString(timeOf(last).Format("2006-01-02T15:04:05.000Z07:00"))
		} else {
			to.WriteString(strconv.FormatFloat(last-began, 'f', 3, 64))
		}
		for _, v := range row {
			to.WriteByte(',')
			if !math.IsNaN(v) {
				to.WriteString(strconv.FormatFloat(v, 'f', -1, 64))
			}
		}
		to.WriteByte('\n')
		out.Rows++
		any = false
		empty()
	}
	in := bufio.NewScanner(r)
	in.Buffer(make([]byte, 0, 64<<10), 1<<20)
	for in.Scan() {
		line := bytes.TrimSpace(in.Bytes())
		if len(line) == 0 {
			continue
		}
		f, ok := parseFrame(line)
		if !ok {
			out.Odd++
			continue
		}
		out.Frames++
		signals := p.byID[f.id]
		if len(signals) == 0 {
			continue
		}
		if f.at < last {
			out.Late++
			continue
		}
		out.Of++
		if at := math.Floor(f.at / everyS); at != second {
			flush()
			second = at
		}
		for i := range signals {
			if v := signals[i].of(f.data, f.length); !math.IsNaN(v) {
				row[signals[i].column], seen[signals[i].column], any, last = v, true, true, f.at
			}
		}
	}
	if err := in.Err(); err != nil {
		return out, fmt.Errorf("reading the bus log: %w", err)
	}
	flush()
	if out.Rows == 0 {
		return out, fmt.Errorf("the bus log has %w in %d frames", ErrNone, out.Frames)
	}
	for i, c := range p.Channels {
		if !seen[i] {
			out.Missing = append(out.Missing, string(c))
		}
	}
	if err := to.Flush(); err != nil {
		return out, fmt.Errorf("writing readings: %w", err)
	}
	return out, nil
}

// timeOf is a time in s since 1970, to the millisecond.
func timeOf(s float64) time.Time { return time.UnixMilli(int64(math.Round(s * 1000))).UTC() }
