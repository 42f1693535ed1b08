package stall

import (
	"context"
	"encoding/json"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/lineup"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/vehicle"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// liveCache is what a watch has read already, so that it need not read a run anew
// every second.
type liveCache struct {
	recordings map[int64]*trace.Recording
	baseline   *forecast.Forecast
	baseKey    string
	baseKnown  *vehicle.Model
	method     *prepare.Method
}

// liveView is a live run as its page shows it.
type liveView struct {
	Row      *logbook.Run
	State    *follow.State
	Plan     forecast.Plan
	Feeds    []logbook.Feed
	Lines    []logbook.TypedLine // newest first, uncorrected
	Marks    []logbook.Mark      // newest first
	Here     []string            // who of the crew has the page open; empty: there is no crew
	Strip    string
	Narrow   string // the strip on a phone
	NowS     float64
	StoredS  float64           // since the last reading was stored; NaN: none
	ages     map[int64]float64 // of the newest reading, s, by recording
	Sets     []lineSet
	Others   []logbook.Stall // of the same site first
	Cautions []say.Text
	Todo     []prepare.Item
	World    template.HTML // of a practised run: what is around
	End      template.HTML // and how it ends
	played   string        // where its forms go; empty: it is recorded
	started  time.Time
}

// To is where a form of the page goes.
func (v *liveView) To(what string) string {
	if v.played != "" {
		return v.played + "#" + what
	}
	return ui.StallRunPath(v.Row.ID) + "/" + what
}

func (h *liveHub) view(ctx context.Context, id int64) (*liveView, error) {
	return h.viewWith(ctx, id, &liveCache{})
}

// viewWith gathers what a live page shows, reading of a recording only what is new.
func (h *liveHub) viewWith(ctx context.Context, id int64, c *liveCache) (*liveView, error) {
	row, err := h.s.book.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	v := &liveView{Row: row, Sets: lineSets, started: *row.StartedAt, StoredS: math.NaN()}
	v.NowS = h.s.Now().UTC().Sub(v.started).Seconds()
	if v.Feeds, err = h.s.book.Feeds(ctx, id); err != nil {
		return nil, err
	}
	if err := v.typed(ctx, h.s.book); err != nil {
		return nil, err
	}
	r := row.Describe()
	if err := c.fill(ctx, h.s.book, row, r); err != nil {
		return nil, err
	}
	v.ages = map[int64]float64{}
	for i, rec := range r.Recordings {
		if n := len(rec.T); n > 0 {
			age := max(0, v.NowS-rec.T[n-1]-rec.ClockOffsetS)
			v.ages[row.Recordings[i].ID] = age
			if !(age > v.StoredS) {
				v.StoredS = age
			}
		}
	}
	v.Plan = follow.SessionOf(row.Plan, r)
	known, err := h.s.book.Elsewhere(ctx, row, r.Car)
	if err != nil {
		return nil, err
	}
	v.Plan.Known = known.Car
	v.State = follow.OfKnown(r, v.Plan, known, c.baselineOf(v.Plan, r), v.NowS)
	m, err := c.methodOf(ctx, h.s.book, row.MethodName)
	if err != nil {
		return nil, err
	}
	v.due(m)
	v.drawStrips(r)
	for i := len(row.Marks) - 1; i >= 0; i-- {
		v.Marks = append(v.Marks, row.Marks[i])
	}
	return v, v.others(ctx, h.s.book)
}

// typed lists the last lines that stand.
func (v *liveView) typed(ctx context.Context, b Book) error {
	lines, err := b.TypedLines(ctx, v.Row.ID)
	for i := len(lines) - 1; i >= 0; i-- {
		if lines[i].CorrectedBy == nil && len(v.Lines) < 3 {
			v.Lines = append(v.Lines, lines[i])
		}
	}
	return err
}

// others are the stalls to move to, those of the same site first.
func (v *liveView) others(ctx context.Context, b Book) error {
	if v.State.Phase != follow.Arrived && v.State.Phase != follow.Waiting {
		return nil
	}
	sites, err := b.Sites(ctx)
	if err != nil {
		return err
	}
	var far []logbook.Stall
	for i := range sites {
		for _, t := range sites[i].Stalls {
			t.Site = &sites[i]
			switch {
			case v.Row.StallID != nil && t.ID == *v.Row.StallID:
			case v.Row.Stall != nil && t.SiteID == v.Row.Stall.SiteID:
				v.Others = append(v.Others, t)
			default:
				far = append(far, t)
			}
		}
	}
	v.Others = append(v.Others, far...)
	return nil
}

// fill reads what is new of every recording. Typed ones are few and may have been
// corrected, so they are read whole.
func (c *liveCache) fill(ctx context.Context, b Book, row *logbook.Run, r *run.Run) error {
	if c.recordings == nil {
		c.recordings = map[int64]*trace.Recording{}
	}
	for _, rec := range row.Recordings {
		have := c.recordings[rec.ID]
		from := 0
		if have != nil && !strings.HasPrefix(rec.Name, "typed-") {
			from = len(have.T)
		}
		if from < rec.Readings || from == 0 {
			more, err := b.Since(ctx, rec, from)
			if err != nil {
				return err
			}
			have = joined(have, more, from)
			c.recordings[rec.ID] = have
		}
		have.ClockOffsetS = rec.ClockOffsetS
		whole := *have
		r.Recordings = append(r.Recordings, &whole)
	}
	return nil
}

// joined puts new readings behind old ones; a channel that is new is empty before.
func joined(have, more *trace.Recording, from int) *trace.Recording {
	if have == nil || from == 0 {
		return more
	}
	for c := range more.Columns {
		if have.Columns[c] == nil {
			have.Columns[c] = slices.Repeat([]float64{math.NaN()}, len(have.T))
		}
	}
	for c, col := range have.Columns {
		if add := more.Columns[c]; add != nil {
			have.Columns[c] = append(col, add...)
		} else {
			have.Columns[c] = append(col, slices.Repeat([]float64{math.NaN()}, len(more.T))...)
		}
	}
	have.T = append(have.T, more.T...)
	return have
}

// methodOf is the method of a name, ready or a tester's own; a run without one is
// run by none of their rules.
func (c *liveCache) methodOf(ctx context.Context, b Book, name string) (prepare.Method, error) {
	if c.method != nil && c.method.Name == name {
		return *c.method, nil
	}
	rows, err := b.Methods(ctx)
	if err != nil {
		return prepare.Method{}, err
	}
	var own []prepare.Method
	for _, x := range rows {
		x.Document.Name = x.Name
		own = append(own, x.Document)
	}
	m := prepare.MethodNamed(name, own)
	c.method = &m
	return m, nil
}

// stages are what a phase is to the checklist.
var stages = map[follow.Phase]prepare.Stage{follow.Arrived: prepare.BeforePlug, follow.Waiting: prepare.Handshake,
	follow.Charging: prepare.Charging, follow.Between: prepare.Unplugged}

// due says what the method asks for now.
func (v *liveView) due(m prepare.Method) {
	st := v.State
	v.Todo, v.Cautions = prepare.Due(
		m,
		v.Plan.Stall,
		v.Plan.Adapter,
		prepare.Present{Stage: stages[st.Phase], SoCPct: st.Charge(),
			Attempts: st.Attempts, Leg: st.Leg, FromPct: v.Plan.FromPct, ToPct: v.Plan.ToPct},
	)
}

// PluggedByStall tells whether it is only the stall that has said that the plug is
// in, so that the tester's own mark is still welcome.
func (v *liveView) PluggedByStall() bool {
	for _, m := range v.Marks {
		if m.Kind == run.PlugIn {
			return m.Note == run.ByStall && v.State.Phase == follow.Waiting
		}
	}
	return false
}

// Untapped is when the plug went in that nobody tapped, on the run's clock; nil where somebody did, or no power came.
func (v *liveView) Untapped() *float64 {
	x := v.State.Reading
	if x == nil || v.State.Phase == follow.Arrived || v.State.Phase == follow.Waiting {
		return nil
	}
	for _, m := range x.MarkProposals {
		if m.Kind == run.PlugIn && m.TS <= x.ZeroS {
			return &m.TS
		}
	}
	if !slices.ContainsFunc(v.Marks, func(m logbook.Mark) bool { return m.Kind == run.PlugIn }) {
		return &x.FirstPower
	}
	return nil
}

// baselineOf is the forecast from how the run really began, made anew only when that
// is news.
func (c *liveCache) baselineOf(plan forecast.Plan, r *run.Run) *forecast.Forecast {
	if plan.Car == nil {
		return nil
	}
	plan = follow.Beginning(r, plan)
	key, err := json.Marshal(plan)
	if err != nil || string(key) != c.baseKey || plan.Known != c.baseKnown {
		c.baseKey, c.baseKnown = string(key), plan.Known
		c.baseline, _ = forecast.Of(plan, forecast.DefaultUncertainty)
	}
	return c.baseline
}

// drawStrips draws the run so far, for a wide page and for a phone.
func (v *liveView) drawStrips(r *run.Run) {
	strip := v.strip(r)
	v.Strip = strip.Large()
	strip.Narrow = true
	v.Narrow = strip.Large()
}

// strip draws the run so far, with the forecast behind it.
func (v *liveView) strip(r *run.Run) *draw.Strip {
	x := v.State.Reading
	s := &draw.Strip{
		Title:   "Power since plug-in so far, with the forecast dotted behind it",
		FromPct: v.Plan.FromPct,
		ToPct:   v.Plan.ToPct,
		Width:   640,
		RoadH:   190,
	}
	for _, p := range x.Posts {
		if math.Mod(p.SoCPct, 10) == 0 && p.TS >= 0 {
			s.Posts = append(s.Posts, p)
		}
	}
	side := x.HeadlineSide
	red := curve.Reduce(lineup.AsNoted(r), 240)
	if c, ok := red[side]; ok && v.State.Phase != follow.Arrived {
		for i, t := range c.T {
			if t-x.ZeroS >= -30 && c.Columns[trace.Power] != nil {
				s.T, s.KW = append(s.T, t-x.ZeroS), append(s.KW, max(0, c.Columns[trace.Power][i]))
			}
		}
	}
	for _, c := range x.Ceilings {
		s.Held = append(s.Held, draw.Stretch{FromS: c.FromS, ToS: c.ToS, Cause: c.Cause})
	}
	if f := v.State.Forecast; f != nil {
		for i, st := range f.Steps {
			if i%10 == 0 || i == len(f.Steps)-1 {
				kw := st.StallKW
				if side == trace.CarSide && len(s.T) > 0 {
					kw = st.PackKW
				}
				s.GhostT, s.GhostKW = append(s.GhostT, st.T), append(s.GhostKW, kw)
			}
		}
	}
	for _, m := range v.Row.Marks {
		if m.TS < x.ZeroS {
			continue // before plug-in there is no road; the list has them
		}
		s.Marks = append(s.Marks,
			draw.Sign{TS: m.TS - x.ZeroS, Letter: draw.SignLetter(m.Kind), Title: m.Kind + " " + m.Note})
	}
	if v.State.Phase == follow.Arrived || v.State.Phase == follow.Waiting && v.State.Leg < 2 {
		s.Marks = nil
	}
	s.ToS = liveEnd(s)
	return s
}

// liveEnd is the right end of a growing strip: the forecast's end, or a bit more
// than the run so far.
func liveEnd(s *draw.Strip) float64 {
	end := 1200.0
	if n := len(s.GhostT); n > 0 {
		end = s.GhostT[n-1] + 60
	}
	if n := len(s.T); n > 0 {
		end = max(end, s.T[n-1]*1.04)
	}
	return end
}
