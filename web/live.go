package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"strings"
	"sync"
	"time"

	"zincroad/core/ceiling"
	"zincroad/core/curve"
	"zincroad/core/follow"
	"zincroad/core/forecast"
	"zincroad/core/pack"
	"zincroad/core/prepare"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
)

// liveHub keeps one watch for each live run that somebody looks at, and tells every
// page of it what changed.
type liveHub struct {
	s  *Server
	mu sync.Mutex
	by map[int64]*watch
}

// The pace of live pages: at most one picture a second, one every few seconds
// though nothing came in, since ages and expectations move on.
const (
	livePace  = time.Second
	liveIdle  = 3 * time.Second
	pingEvery = 15 * time.Second
)

// watch follows one run for its pages.
type watch struct {
	pages map[chan frame]bool
	news  chan struct{}
	stop  context.CancelFunc
}

// frame is one state of a page, by its parts.
type frame struct{ now, acts, last string }

// FollowLive hears of live runs from the database until the context ends, so that
// pages show what any copy of the program stores. Without it they notice every
// few seconds.
func (s *Server) FollowLive(ctx context.Context) {
	_ = s.book.Listen(ctx, s.live.kick)
}

// kick tells the watch of a run that something changed; 0 tells all of them.
func (h *liveHub) kick(id int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for of, w := range h.by {
		if id == 0 || id == of {
			select {
			case w.news <- struct{}{}:
			default:
			}
		}
	}
}

// join adds a page to a run's watch, beginning it if need be.
func (h *liveHub) join(id int64) (pages chan frame, leave func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	w := h.by[id]
	if w == nil {
		ctx, stop := context.WithCancel(context.Background())
		w = &watch{pages: map[chan frame]bool{}, news: make(chan struct{}, 1), stop: stop}
		h.by[id] = w
		go h.follow(ctx, id, w)
	}
	c := make(chan frame, 1)
	w.pages[c] = true
	select {
	case w.news <- struct{}{}:
	default:
	}
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(w.pages, c)
		if len(w.pages) == 0 {
			w.stop()
			delete(h.by, id)
		}
	}
}

// follow draws a run anew when something came in, and gives it to every page. A
// page that is slow gets the newest when it is ready.
func (h *liveHub) follow(ctx context.Context, id int64, w *watch) {
	c := &liveCache{}
	for ctx.Err() == nil {
		f, err := h.draw(ctx, id, c)
		if err != nil && ctx.Err() == nil {
			h.s.log.Warn("following a live run", "run", id, "error", err)
		}
		if err == nil {
			h.mu.Lock()
			for page := range w.pages {
				select {
				case <-page: // an older one that nobody took
				default:
				}
				page <- f
			}
			h.mu.Unlock()
		}
		select {
		case <-ctx.Done():
		case <-time.After(livePace):
			select {
			case <-ctx.Done():
			case <-w.news:
			case <-time.After(liveIdle - livePace):
			}
		}
	}
}

func (h *liveHub) draw(ctx context.Context, id int64, c *liveCache) (frame, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	v, err := h.viewWith(ctx, id, c)
	if err != nil {
		return frame{}, err
	}
	var f frame
	for name, into := range map[string]*string{"live-now": &f.now, "live-acts": &f.acts, "live-last": &f.last} {
		var b bytes.Buffer
		if err := h.s.templates["stall-live"].ExecuteTemplate(&b, name, v); err != nil {
			return frame{}, fmt.Errorf("drawing %s: %w", name, err)
		}
		*into = b.String()
	}
	return f, nil
}

// events is the stream that a live page listens to.
func (s *Server) liveEvents(w http.ResponseWriter, r *http.Request) {
	row, ok := s.liveOf(w, r)
	if !ok {
		return
	}
	rc := http.NewResponseController(w)
	_ = rc.SetWriteDeadline(time.Time{})
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	frames, leave := s.live.join(row.ID)
	defer leave()
	ping := time.NewTicker(pingEvery)
	defer ping.Stop()
	var was frame
	for {
		select {
		case <-r.Context().Done():
			return
		case <-s.closing:
			return
		case f := <-frames:
			event(w, "now", f.now)
			if f.acts != was.acts {
				event(w, "acts", f.acts)
			}
			if f.last != was.last {
				event(w, "last", f.last)
			}
			was = f
		case <-ping.C:
			fmt.Fprint(w, ": still here\n\n")
		}
		if rc.Flush() != nil {
			return
		}
	}
}

func event(w http.ResponseWriter, name, html string) {
	fmt.Fprintf(w, "event: %s\n", name)
	for _, line := range strings.Split(strings.TrimSpace(html), "\n") {
		fmt.Fprintf(w, "data: %s\n", line)
	}
	fmt.Fprint(w, "\n")
}

// liveCache is what a watch has read already, so that it need not read a run anew
// every second.
type liveCache struct {
	recordings map[int64]*trace.Recording
	baseline   *forecast.Forecast
	baseKey    string
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
	Strip    string
	Narrow   string // the strip on a phone
	NowS     float64
	StoredS  float64 // since the last reading was stored; NaN: none
	Sets     []lineSet
	Others   []logbook.Stall // of the same site first
	Cautions []string
	Todo     []prepare.Item
	started  time.Time
}

func (h *liveHub) view(ctx context.Context, id int64) (*liveView, error) {
	return h.viewWith(ctx, id, &liveCache{})
}

func (h *liveHub) viewWith(ctx context.Context, id int64, c *liveCache) (*liveView, error) {
	row, err := h.s.book.Run(ctx, id)
	if err != nil {
		return nil, err
	}
	v := &liveView{Row: row, Sets: lineSets, started: *row.StartedAt, StoredS: math.NaN()}
	v.NowS = h.s.now().UTC().Sub(v.started).Seconds()
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
	for _, rec := range r.Recordings {
		if n := len(rec.T); n > 0 {
			if age := v.NowS - rec.T[n-1] - rec.ClockOffsetS; !(age > v.StoredS) {
				v.StoredS = max(0, age)
			}
		}
	}
	v.plan(r)
	v.State = follow.Of(r, v.Plan, c.baselineOf(v.Plan, r), v.NowS)
	m, err := c.methodOf(ctx, h.s.book, row.MethodName)
	if err != nil {
		return nil, err
	}
	v.due(m)
	strip := v.strip(r)
	v.Strip = strip.Large()
	strip.Narrow = true
	v.Narrow = strip.Large()
	for i := len(row.Marks) - 1; i >= 0; i-- {
		v.Marks = append(v.Marks, row.Marks[i])
	}
	return v, v.others(ctx, h.s.book)
}

// typed lists the last lines that stand.
func (v *liveView) typed(ctx context.Context, b *logbook.Book) error {
	lines, err := b.TypedLines(ctx, v.Row.ID)
	for i := len(lines) - 1; i >= 0; i-- {
		if lines[i].CorrectedBy == nil && len(v.Lines) < 3 {
			v.Lines = append(v.Lines, lines[i])
		}
	}
	return err
}

// others are the stalls to move to, those of the same site first.
func (v *liveView) others(ctx context.Context, b *logbook.Book) error {
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
func (c *liveCache) fill(ctx context.Context, b *logbook.Book, row *logbook.Run, r *run.Run) error {
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
			have.Columns[c] = unknown(len(have.T))
		}
	}
	for c, col := range have.Columns {
		if add := more.Columns[c]; add != nil {
			have.Columns[c] = append(col, add...)
		} else {
			have.Columns[c] = append(col, unknown(len(more.T))...)
		}
	}
	have.T = append(have.T, more.T...)
	return have
}

// plan is the session that the run is held against.
func (v *liveView) plan(r *run.Run) {
	if v.Row.Plan != nil {
		v.Plan = *v.Row.Plan
	}
	v.Plan.Car, v.Plan.Stall, v.Plan.Adapter = r.Car, r.Stall, r.Adapter
	if v.Row.ToPct != nil {
		v.Plan.ToPct = *v.Row.ToPct
	}
	if v.Plan.ToPct == 0 {
		v.Plan.ToPct = 80
	}
	if v.Row.FromPct != nil {
		v.Plan.FromPct = *v.Row.FromPct
	}
	if c := v.Row.AmbientC; c != nil {
		v.Plan.AmbientC = *c
	}
	if c := v.Row.BatteryC; c != nil {
		v.Plan.Battery = pack.Nodes{ColdestC: *c, WarmestC: *c}
	}
	if v.Row.Profile != "" {
		v.Plan.Gentle = v.Row.Profile == "gentle"
	}
}

// methodOf is the method of a name, ready or a tester's own; a run without one is
// run by none of their rules.
func (c *liveCache) methodOf(ctx context.Context, b *logbook.Book, name string) (prepare.Method, error) {
	if c.method != nil && c.method.Name == name {
		return *c.method, nil
	}
	m := prepare.Method{Name: name}
	own, err := b.Methods(ctx)
	if err != nil {
		return m, err
	}
	for _, x := range prepare.Methods {
		if x.Name == name {
			m = x
		}
	}
	for _, x := range own {
		if x.Name == name {
			m = x.Document
			m.Name = name
		}
	}
	c.method = &m
	return m, nil
}

// stages are what a phase is to the checklist.
var stages = map[follow.Phase]prepare.Stage{follow.Arrived: prepare.BeforePlug, follow.Waiting: prepare.Handshake,
	follow.Charging: prepare.Charging, follow.Between: prepare.Unplugged}

// due says what the method asks for now.
func (v *liveView) due(m prepare.Method) {
	st := v.State
	soc := st.SoC.V
	if !math.IsNaN(st.Counted) {
		soc = st.Counted
	}
	v.Todo, v.Cautions = prepare.Due(m, v.Plan.Stall, v.Plan.Adapter, prepare.Present{Stage: stages[st.Phase], SoCPct: soc,
		Attempts: st.Attempts, Leg: st.Leg, FromPct: v.Plan.FromPct, ToPct: v.Plan.ToPct})
}

// PluggedByStall tells whether it is only the stall that has said that the plug is
// in, so that the tester's own mark is still welcome.
func (v *liveView) PluggedByStall() bool {
	for _, m := range v.Marks {
		if m.Kind == run.PlugIn {
			return m.Note == logbook.ByStall && v.State.Phase == follow.Waiting
		}
	}
	return false
}

// baselineOf is the forecast from how the run really began: the first charge and
// the first temperatures that were read.
func (c *liveCache) baselineOf(plan forecast.Plan, r *run.Run) *forecast.Forecast {
	if plan.Car == nil {
		return nil
	}
	first := func(ch trace.Channel, other float64) float64 {
		best, v := math.Inf(1), other
		for _, rec := range r.Recordings {
			s := rec.OnRunClock().Series(ch)
			if s.Len() > 0 && s.T[0] < best {
				best, v = s.T[0], s.V[0]
			}
		}
		return v
	}
	plan.FromPct = first(trace.SoC, plan.FromPct)
	plan.Battery.ColdestC = first(trace.BatteryTempMin, first(trace.BatteryTemp, plan.Battery.ColdestC))
	plan.Battery.WarmestC = max(plan.Battery.ColdestC, first(trace.BatteryTempMax, plan.Battery.WarmestC))
	key, err := json.Marshal(plan)
	if err != nil || string(key) != c.baseKey {
		c.baseKey = string(key)
		c.baseline, _ = forecast.Of(plan, forecast.DefaultUncertainty)
	}
	return c.baseline
}

// strip draws the run so far, with the forecast behind it.
func (v *liveView) strip(r *run.Run) *draw.Strip {
	x := v.State.Reading
	s := &draw.Strip{Title: "Power since plug-in so far, with the forecast dotted behind it", FromPct: v.Plan.FromPct, ToPct: v.Plan.ToPct, Width: 640, RoadH: 190}
	for _, p := range x.Posts {
		if math.Mod(p.SoCPct, 10) == 0 && p.TS >= 0 {
			s.Posts = append(s.Posts, p)
		}
	}
	side := x.HeadlineSide
	red := curve.Reduce(r, 240)
	if c, ok := red[side]; ok && v.State.Phase != follow.Arrived {
		for i, t := range c.T {
			if t-x.ZeroS >= -30 && c.Columns[trace.Power] != nil {
				s.T, s.KW = append(s.T, t-x.ZeroS), append(s.KW, max(0, c.Columns[trace.Power][i]))
			}
		}
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
		s.Marks = append(s.Marks, draw.Sign{TS: m.TS - x.ZeroS, Letter: draw.SignLetter(m.Kind), Title: m.Kind + " " + m.Note})
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

// Wall is the wall clock at a time since plug-in.
func (v *liveView) Wall(ts float64) string {
	return local(v.started.Add(time.Duration((ts+v.zero())*float64(time.Second))), v.Row.Timezone).Format(wallClock)
}

// WallRun is the wall clock at a time since the run's start.
func (v *liveView) WallRun(ts float64) string { return v.Wall(ts - v.zero()) }

func (v *liveView) zero() float64 {
	if v.State == nil || v.State.Reading == nil || math.IsNaN(v.State.TS) {
		return 0
	}
	return v.NowS - v.State.TS
}

// KW is the power to show large, the stall's first.
func (v *liveView) KW() follow.Value {
	if s := v.State; s.StallKW.Known() && (s.StallKW.AgeS < staleS || !s.CarKW.Known() || s.CarKW.AgeS > s.StallKW.AgeS) {
		return s.StallKW
	}
	return v.State.CarKW
}

// staleS is how old a reading may be before the other side's is shown instead.
const staleS = 45

// KWNote says whose power is shown, and the other.
func (v *liveView) KWNote() string {
	switch st := v.State; {
	case st.StallKW.Known() && st.CarKW.Known() && v.KW() == st.CarKW:
		return "car; the stall's is " + words.Duration(st.StallKW.AgeS) + " old"
	case st.StallKW.Known() && st.CarKW.Known():
		return "stall; car " + words.Figure(st.CarKW.V, 0)
	case st.StallKW.Known() && st.StallKW.AgeS > staleS:
		return "stall, " + words.Duration(st.StallKW.AgeS) + " ago"
	case st.StallKW.Known():
		return "stall"
	case st.CarKW.Known():
		return "car"
	}
	return "not read yet"
}

// SoCNote says how the state of charge stands between two flips of the display.
func (v *liveView) SoCNote() string {
	st := v.State
	if !st.SoC.Known() {
		return "not read yet"
	}
	if !math.IsNaN(st.Counted) && math.Abs(st.Counted-st.SoC.V) >= 0.1 {
		return "display; " + words.Fixed(st.Counted, 1) + " counted"
	}
	return "display"
}

// ColdNote says what the warmest cell has.
func (v *liveView) ColdNote() string {
	switch st := v.State; {
	case !st.Coldest.Known():
		return "coldest cell, not read yet"
	case st.Warmest.Known():
		return "coldest cell; warmest " + words.Figure(st.Warmest.V, 0)
	}
	return "coldest cell"
}

// Minutes is the time since plug-in, or what is going on instead.
func (v *liveView) Minutes() string {
	if math.IsNaN(v.State.TS) || v.State.Phase == follow.Waiting && v.State.Leg < 2 {
		return "–"
	}
	return words.Clock(v.State.TS)
}

// EndNote says when the run is to reach its end.
func (v *liveView) EndNote() string {
	e := v.State.End
	if e == nil {
		return "since plug-in"
	}
	half := (e.HighS - e.LowS) / 2 / 60
	return fmt.Sprintf("%s at %s, ± %s min", percent(e.SoCPct), v.Wall(e.TS), words.Figure(math.Max(1, half), 0))
}

// EndRange is between when and when the end is due; a minute either way at least,
// which is what the clock shows.
func (v *liveView) EndRange() string {
	e := v.State.End
	if math.IsNaN(e.HighS) {
		return "not before " + v.Wall(e.LowS)
	}
	return fmt.Sprintf("between %s and %s", v.Wall(min(e.LowS, e.TS-60)), v.Wall(max(e.HighS, e.TS+60)))
}

// AlertText says how far the power is from the forecast.
func (v *liveView) AlertText() string {
	a := v.State.Alert
	if a == nil {
		return ""
	}
	where := "under"
	if a.ByKW > 0 {
		where = "over"
	}
	text := fmt.Sprintf("%s kW %s forecast since %s.", words.Figure(math.Abs(a.ByKW), 0), where, v.Wall(a.SinceTS))
	if !v.State.Coldest.Known() {
		text += fmt.Sprintf(" It takes the battery for %s °C: read its temperature.", words.Figure(v.Plan.Battery.ColdestC, 0))
	}
	return text
}

// HoldText says what seems to hold the power.
func (v *liveView) HoldText() string {
	h := v.State.Holding
	if h == nil {
		return ""
	}
	if h.Sure || h.Cause == ceiling.Unknown {
		return sentence(h.Reason)
	}
	return "Seems: " + h.Reason + "."
}

// PhaseText says in a line where the run stands.
func (v *liveView) PhaseText() string {
	st := v.State
	switch st.Phase {
	case follow.Waiting:
		return "plugged in " + words.Duration(math.Round(st.PluggedS)) + " ago, no power yet"
	case follow.Charging:
		if st.Leg > 1 {
			return fmt.Sprintf("leg %d, plugged in at %s", st.Leg, v.WallRun(v.NowS-st.PluggedS))
		}
		return "plugged in at " + v.WallRun(v.NowS-st.PluggedS)
	case follow.Between:
		return "unplugged"
	}
	if st.Attempts > 0 {
		return fmt.Sprintf("%d failed %s, %s lost", st.Attempts, plural(st.Attempts, "attempt"), words.Duration(math.Round(st.LostS)))
	}
	return "not plugged in yet"
}

func plural(n int, word string) string {
	if n == 1 {
		return word
	}
	return word + "s"
}

// Stored says how old the newest reading is.
func (v *liveView) Stored() string {
	if math.IsNaN(v.StoredS) {
		return "nothing stored yet"
	}
	return "stored " + words.Duration(math.Round(v.StoredS)) + " ago"
}

// IsArrived and so on tell the phase to the page.
func (v *liveView) IsArrived() bool  { return v.State.Phase == follow.Arrived }
func (v *liveView) IsWaiting() bool  { return v.State.Phase == follow.Waiting }
func (v *liveView) IsCharging() bool { return v.State.Phase == follow.Charging }
func (v *liveView) IsBetween() bool  { return v.State.Phase == follow.Between }

// PadKeys are the keys of the pad for thumbs.
func (v *liveView) PadKeys() []string {
	return []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", ".", "0", " ", "back"}
}

// Failures are why a plug-in may not have led to power.
func (v *liveView) Failures() []string {
	return []string{"payment refused", "handshake failed", "stall dead", "red light"}
}

// markButton makes a mark with one tap or key.
type markButton struct{ Kind, Label, Note, Key, Ask string }

// MarkButtons are the marks worth a button.
func (v *liveView) MarkButtons() []markButton {
	return []markButton{
		{run.Fan, "Fans", "", "f", ""}, {run.Heater, "Heater", "", "h", ""}, {run.Neighbour, "Neighbour", "", "o", ""},
		{run.Note, "Dip", "dip", "i", ""}, {run.Note, "Screen froze", "screen froze", "z", ""}, {run.Note, "Note", "", "t", "What happened?"},
	}
}
