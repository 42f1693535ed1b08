package desk

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/curve"
	"zincroad/core/film"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/typed"
	"zincroad/web/ui"
)

// What a page reads off a film comes here as signs, never as pictures: they are weighed, what cannot be told is asked
// back, and what is left becomes a recording.

// filmSent is what was read off a film, and what was answered by then.
type filmSent struct {
	Clip    string   `json:"clip"` // the file's name
	Side    string   `json:"side"`
	Sheet   string   `json:"sheet"` // what is typed beside it: when the clip starts, and how fast it runs
	Figures []string `json:"figures"`
	Looks   []struct {
		T    float64    `json:"t"` // of the clip, s
		Seen [][]string `json:"seen"`
	} `json:"looks"`
	Answers []struct {
		Figure int      `json:"figure"`
		From   int      `json:"from"`
		To     int      `json:"to"`
		Value  *float64 `json:"value"` // nil: nobody can read it
	} `json:"answers"`
}

const (
	maxFilm     = 16 << 20 // bytes of what is read off a film
	mostFigures = 8
	mostLooks   = 15000 // four hours, once a second
	mostAsked   = 40    // questions at once
	longestClip = 200   // letters of its name
)

// figureAsked is one question, as the page shows it.
type figureAsked struct {
	Figure int      `json:"figure"`
	From   int      `json:"from"`
	To     int      `json:"to"`
	T      float64  `json:"t"` // of the clip, where to look
	Said   string   `json:"said"`
	Maybe  []string `json:"maybe"` // the likeliest first
}

// filmRead is what became of a film.
type filmRead struct {
	Kept, Mended, Left, Nothing int
	Of                          int
	Side                        trace.Side
	Said                        string
	Questions                   []figureAsked
	MoreQuestions               int
	Figures                     []sayRow
	Strip                       string
	Pace                        string // what the screen's own minutes say of the clip; empty: nothing new
}

// sifted is a film as it was read: the looks at which its picture moves.
type sifted struct {
	figures []film.Figure
	looks   []film.Look
	clipS   []float64 // of each look, in the clip
	read    [][]film.Reading
}

// sift weighs what came.
func (in *filmSent) sift() (*sifted, error) {
	if len(in.Figures) == 0 || len(in.Figures) > mostFigures || len(in.Looks) == 0 || len(in.Looks) > mostLooks {
		return nil, ui.BadRequest("expected 1 to %d figures, and looks at them, %d at most", mostFigures, mostLooks)
	}
	var f sifted
	for _, name := range in.Figures {
		if !slices.Contains(film.Figures, trace.Channel(name)) {
			return nil, ui.BadRequest("%q is no figure of a screen", name)
		}
		f.figures = append(f.figures, film.Figure{Channel: trace.Channel(name)})
	}
	at := typed.ClipTimes(limitText(in.Sheet))
	back := make([]int, len(in.Looks)) // which of the looks that move each is; those where the picture stands: the next
	last := math.Inf(-1)
	for i, l := range in.Looks {
		back[i] = len(f.looks)
		t, moves := at(l.T)
		if !moves {
			continue
		}
		if l.T < 0 || !(t >= last) || math.IsInf(t, 0) {
			return nil, ui.BadRequest("look %d, %s of the clip: expected looks in the clip's order", i+1,
				words.Clock(l.T))
		}
		last = t
		look := film.Look{TS: t}
		for k := range f.figures {
			var seen []film.Sign
			if k < len(l.Seen) {
				var err error
				if seen, err = signsOf(l.Seen[k]); err != nil {
					return nil, err
				}
			}
			look.Seen = append(look.Seen, seen)
		}
		f.looks, f.clipS = append(f.looks, look), append(f.clipS, l.T)
	}
	var answers []film.Answer
	for _, a := range in.Answers {
		if a.From < 0 || a.To >= len(in.Looks) || a.From > a.To {
			return nil, ui.BadRequest("an answer is to looks that are not there")
		}
		v := math.NaN()
		if a.Value != nil {
			v = *a.Value
		}
		answers = append(answers, film.Answer{Figure: a.Figure, From: back[a.From], To: back[a.To], Value: v})
	}
	if len(f.looks) == 0 {
		return nil, ui.BadRequest("the sheet says that the picture stands all the while: nothing can be read there")
	}
	f.read = film.Sift(f.figures, f.looks, answers)
	return &f, nil
}

// signsOf reads signs as the page writes them: "8:970 6:25" for a digit, in thousandths, "." and ":".
func signsOf(list []string) (out []film.Sign, err error) {
	for _, text := range list {
		if text == "." || text == ":" {
			out = append(out, film.Sign{Mark: text[0]})
			continue
		}
		var s film.Sign
		for word := range strings.FieldsSeq(text) {
			digit, share, _ := strings.Cut(word, ":")
			d, bad := strconv.Atoi(digit)
			p, worse := strconv.Atoi(share)
			if bad != nil || worse != nil || d < 0 || d > 9 || p < 0 || p > 1000 {
				return nil, ui.BadRequest("%q is no sign of a figure", text)
			}
			s.Digit = append(s.Digit, film.Digit{Digit: d, Share: float64(p) / 1000})
		}
		out = append(out, s)
	}
	return out, nil
}

// sentFilm reads what a page sent, and weighs it.
func sentFilm(w http.ResponseWriter, r *http.Request) (*filmSent, *sifted, error) {
	var in filmSent
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxFilm)).Decode(&in); err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return nil, nil, ui.BadRequest("this is more than a film can hold: read it in two parts")
		}
		return nil, nil, ui.BadRequest("what was read off the film did not come whole; send it once more")
	}
	f, err := in.sift()
	return &in, f, err
}

// siftFilm answers what was read off a film: what is kept, what it asks, and the road so far.
func (s *Room) siftFilm(w http.ResponseWriter, r *http.Request) error {
	in, f, err := sentFilm(w, r)
	if err != nil {
		return err
	}
	v := filmRead{Side: in.side()}
	for i := range f.read {
		for _, x := range f.read[i] {
			v.Of++
			switch x.How {
			case film.Kept, film.Settled:
				v.Kept++
			case film.Mended:
				v.Mended++
			case film.LeftOut:
				v.Left++
			case film.Nothing:
				v.Nothing++
			}
		}
	}
	for _, q := range film.Questions(f.figures, f.read) {
		if len(v.Questions) == mostAsked {
			v.MoreQuestions++
			continue
		}
		v.Questions = append(v.Questions, figureAsked{q.Figure, in.look(f.clipS[q.From]), in.look(f.clipS[q.To]),
			f.clipS[q.From], q.Said, plain(q.Maybe)})
	}
	rec := film.Recording("film", in.side(), f.figures, f.looks, f.read)
	if rec.Len() > 0 {
		of := &run.Run{Recordings: []*trace.Recording{rec}}
		x := curve.Read(of, curve.Options{})
		v.Strip, v.Figures = stripOf(of, x), figuresSoFar(x)
	}
	v.Pace, v.Said = in.pace(f), v.said()
	var part bytes.Buffer
	if err := s.Draw(&part, ui.ReaderOf(r), "sheet", "film-read", v); err != nil {
		return err
	}
	ui.Answer(w, r, http.StatusOK, map[string]any{"part": part.String(), "questions": v.Questions})
	return nil
}

// said is what became of all that was read, in a sentence.
func (v *filmRead) said() string {
	text := fmt.Sprintf("%d of %d readings are kept as the screen had them", v.Kept, v.Of)
	for _, x := range []struct {
		n    int
		what string
	}{{v.Mended, "put right by the rest"}, {v.Left, "left out"}, {v.Nothing, "not to be seen"}} {
		if x.n > 0 {
			text += fmt.Sprintf(", %d %s", x.n, x.what)
		}
	}
	return text + "."
}

// look is the number of the look at a moment of the clip.
func (in *filmSent) look(clipS float64) int {
	for i := range in.Looks {
		if in.Looks[i].T >= clipS {
			return i
		}
	}
	return len(in.Looks) - 1
}

func (in *filmSent) side() trace.Side {
	if in.Side == string(trace.CarSide) {
		return trace.CarSide
	}
	return trace.StallSide
}

// pace says in the sheet's own words how the clip runs by the screen's minutes, where the sheet has it otherwise.
func (in *filmSent) pace(f *sifted) string {
	clipS := f.clipS
	start, speed, ok := film.Pace(f.figures, clipS, f.read)
	if !ok {
		return ""
	}
	at := typed.ClipTimes(limitText(in.Sheet))
	first, _ := at(clipS[0])
	last, _ := at(clipS[len(clipS)-1])
	long := clipS[len(clipS)-1] - clipS[0]
	const same = 0.02 // what the ends of a clip of minutes leave open
	if math.Abs((last-first)/long/speed-1) < same && math.Abs(first-start-speed*clipS[0]) < 60 {
		return ""
	}
	if near := math.Round(speed); near >= 1 && math.Abs(speed/near-1) < same {
		start += (speed - near) * clipS[len(clipS)/2]
		speed = near
	}
	text := "clip " + words.Clock(math.Max(0, start))
	if speed != 1 {
		text += "\nspeed " + words.Figure(speed, 2)
	}
	return text
}

// takeFilm makes a waiting file of what was read off a film: a table that names the clip, with its times beside the
// run's.
func (s *Room) takeFilm(w http.ResponseWriter, r *http.Request) error {
	in, f, err := sentFilm(w, r)
	if err != nil {
		return err
	}
	rec := film.Recording("film", in.side(), f.figures, f.looks, f.read)
	if rec.Len() == 0 {
		return ui.BadRequest("nothing was read off the film that can be kept")
	}
	name := fmt.Sprintf("%s film %s.csv", in.side(), in.clipName())
	id, err := s.book.Arrive(r.Context(), name, filmTable(rec, f))
	if err != nil {
		return err
	}
	ui.Answer(w, r, http.StatusOK, map[string]any{"to": ui.ArrivalPath(id)})
	return nil
}

// clipName is the clip's name, as a file's.
func (in *filmSent) clipName() string {
	name := []rune(words.Line(path.Base(strings.ReplaceAll(in.Clip, `\`, "/"))))
	if len(name) > longestClip {
		name = name[:longestClip]
	}
	if len(name) == 0 || string(name) == "." || string(name) == "/" {
		return "clip"
	}
	return string(name)
}

// filmTable is a recording as our own table, with the clip's time in a column of its own.
func filmTable(rec *trace.Recording, f *sifted) []byte {
	clipOf := make(map[float64]float64, len(f.looks))
	for i, l := range f.looks {
		clipOf[l.TS] = f.clipS[i]
	}
	number := func(v float64) string {
		if math.IsNaN(v) {
			return ""
		}
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	var b bytes.Buffer
	b.WriteString("t_s")
	var channels []trace.Channel
	for _, c := range trace.Channels {
		if rec.Has(c.Channel) {
			channels = append(channels, c.Channel)
			b.WriteString("," + string(c.Channel))
		}
	}
	b.WriteString(",clip_s\n")
	for i, t := range rec.T {
		b.WriteString(number(math.Round(t*1000) / 1000))
		for _, c := range channels {
			b.WriteString("," + number(rec.Columns[c][i]))
		}
		b.WriteString("," + number(math.Round(clipOf[t]*1000)/1000) + "\n")
	}
	return b.Bytes()
}

// plain writes values as a screen does.
func plain(values []float64) (out []string) {
	for _, v := range values {
		out = append(out, strconv.FormatFloat(math.Round(v*1000)/1000, 'f', -1, 64))
	}
	return out
}

// figureChoice is a figure that a box can show.
type figureChoice struct {
	Key  trace.Channel
	Name string
}

// Menu lists what a box can show.
func (v sheetView) Menu() (list []figureChoice) {
	for _, c := range film.Figures {
		name := string(c) // the screen's own minutes
		if in, ok := trace.Describe(c); ok {
			name = in.Short + ", " + in.Unit
		}
		list = append(list, figureChoice{c, name})
	}
	return list
}
