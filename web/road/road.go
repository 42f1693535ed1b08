package road

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/limit"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/ui"
)

// roadPage is how many runs are drawn at once; more follow as one scrolls.
const roadPage = 40

type roadView struct {
	Query   roadQuery
	Words   logbook.Words
	Total   int
	Rows    []roadRow
	Axis    string
	Narrow  string       // the same for a phone
	Hatches string       // of the causes, once for all rows
	Signs   []limit.Sign // the causes that are drawn
	Grid    string
	Next    string // where the next rows are, empty at the end
	Empty   bool   // no run in the logbook at all
	Capped  string // how long the longest run is, where the axis ends before it
	Deleted []logbook.Run
	Unread  unreadView
}

// roadQuery is the filter as it stands in the address.
type roadQuery struct {
	Car, Software, Stall, Preconditioned, Ambient, By, Text, GroupBy, Sort string
	After                                                                  int64 // the run that the list goes on behind
}

// option is one entry of a menu.
type option struct {
	Value string
	Label any // a word, or a text
}

// Groups, Sorts, Bands and Preconds are the road's menus.
func (roadView) Groups() []option {
	return []option{
		{"", "nothing"},
		{"car", "car"},
		{"software", "software"},
		{"stall", "stall"},
		{"preconditioned", "preconditioning"},
	}
}

// Sorts are the orders of the list.
func (roadView) Sorts() []option {
	return []option{
		{"", "newest"},
		{"oldest", "oldest"},
		{"fastest", "fastest window"},
		{"peak", "peak"},
		{"average", "average"},
	}
}

// Bands are the ranges of outside temperature.
func (roadView) Bands() []option {
	var out []option
	for _, b := range ambientBands {
		out = append(out, option{b.Name, b.Label})
	}
	return out
}

// Preconds are the ways in which a pack may have been warmed.
func (roadView) Preconds() []option {
	var out []option
	for _, p := range run.Preconditioned {
		out = append(out, option{p, ui.PreconditionedName(p)})
	}
	return out
}

// Pre says in words how the row's pack was warmed.
func (r roadRow) Pre() string {
	if r.Preconditioned == "" {
		return ""
	}
	return ui.PreconditionedName(r.Preconditioned)
}

// Day is when it was, where it was charged.
func (r roadRow) Day() any {
	if r.StartedAt == nil {
		return "no date"
	}
	return ui.Day(ui.Local(*r.StartedAt, r.Timezone))
}

// Battery is the pack's temperature at the start: as logged, else as noted.
func (r roadRow) Battery() *float64 {
	if r.Strip.BatteryC != nil {
		return r.Strip.BatteryC
	}
	return r.BatteryC
}

type roadRow struct {
	logbook.RoadRow
	Said   say.Text // what held it down, in a sentence; empty: not known
	Group  string   // heading over the first row of a group
	SVG    string
	Narrow string // the same for a phone
	Picked bool
	Window string
}

// ambientBands are the choices of outside temperature, in °C.
var ambientBands = []struct {
	Name        string
	Label       say.Text
	From, Below *float64
}{
	{"frost", say.T("road.below", celsius(0)), nil, ptr(0)},
	{"cold", say.T("road.from-to", celsius(0), celsius(10)), ptr(0), ptr(10)},
	{"mild", say.T("road.from-to", celsius(10), celsius(20)), ptr(10), ptr(20)},
	{"warm", say.T("road.and-more", celsius(20)), ptr(20), nil},
}

func celsius(c float64) say.Quantity { return say.Q(c, "°C", 0) }

func ptr(v float64) *float64 { return &v }

func readRoadQuery(v url.Values) roadQuery {
	q := roadQuery{
		Car: v.Get("car"), Software: v.Get("software"), Stall: v.Get("stall"), Preconditioned: v.Get("pre"),
		Ambient: v.Get("ambient"), By: v.Get("by"), Text: strings.TrimSpace(v.Get("q")),
		GroupBy: v.Get("group"), Sort: v.Get("sort"),
	}
	q.After, _ = strconv.ParseInt(v.Get("after"), 10, 64)
	q.After = max(0, q.After)
	return q
}

func (q roadQuery) filter() logbook.RoadFilter {
	f := logbook.RoadFilter{Car: q.Car, Software: q.Software, Stall: q.Stall, Preconditioned: q.Preconditioned,
		By: q.By, Text: q.Text, GroupBy: q.GroupBy, Sort: q.Sort, After: q.After, Limit: roadPage + 1}
	for _, b := range ambientBands {
		if b.Name == q.Ambient {
			f.AmbientFrom, f.AmbientBelow = b.From, b.Below
		}
	}
	return f
}

// address gives the page's own address for the rows behind a run; 0: from the beginning.
func (q roadQuery) address(after int64) string {
	v := url.Values{}
	for name, value := range map[string]string{"car": q.Car, "software": q.Software, "stall": q.Stall,
		"pre":     q.Preconditioned,
		"ambient": q.Ambient, "by": q.By, "q": q.Text, "group": q.GroupBy, "sort": q.Sort} {
		if value != "" {
			v.Set(name, value)
		}
	}
	if after > 0 {
		v.Set("after", strconv.FormatInt(after, 10))
	}
	return "/?" + v.Encode()
}

// Filtered tells whether the query leaves anything out.
func (q roadQuery) Filtered() bool {
	return q.Car+q.Software+q.Stall+q.Preconditioned+q.Ambient+q.By+q.Text != ""
}

// Listed tells whether the person whose runs are shown is one of the menu's.
func (v roadView) Listed() bool { return slices.Contains(v.Words.People, v.Query.By) }

// road shows the list, or with htmx only the rows that go on behind a run.
func (s *Room) road(w http.ResponseWriter, r *http.Request) error {
	q := readRoadQuery(r.URL.Query())
	view, err := s.roadView(r, q)
	if err != nil {
		return err
	}
	if ui.IsPart(r) && q.After > 0 {
		s.Part(w, r, "road", "rows", view)
		return nil
	}
	f := ui.Frame{Title: "Road", Data: view}
	if id, err := strconv.ParseInt(r.URL.Query().Get("gone"), 10, 64); err == nil {
		f.Notice = &ui.Notice{Text: fmt.Sprintf("Run %d is removed.", id), Undo: ui.RunPath(id, "/restore")}
	}
	s.Render(w, r, "road", http.StatusOK, f)
	return nil
}

// unread says how many runs are still being worked out; a page that shows it asks again.
func (s *Room) unread(w http.ResponseWriter, r *http.Request) error {
	n, err := s.book.Unread(r.Context())
	if err != nil {
		return err
	}
	s.Part(w, r, "road", "unread", unreadView{n, true})
	return nil
}

// unreadView is how many runs wait for new figures; Asked: the page showed some before.
type unreadView struct {
	N     int
	Asked bool
}

// roadView gathers a page of the list; rows that go on need nothing of what stands around them.
func (s *Room) roadView(r *http.Request, q roadQuery) (*roadView, error) {
	rows, total, longest, err := s.book.Road(r.Context(), q.filter())
	if err != nil {
		return nil, err
	}
	v := &roadView{Query: q, Total: total}
	if q.After == 0 || !ui.IsPart(r) { // what stands around the rows
		if v.Words, err = s.book.Words(r.Context()); err != nil {
			return nil, err
		}
		if v.Deleted, err = s.book.Deleted(r.Context()); err != nil {
			return nil, err
		}
		if v.Unread.N, err = s.book.Unread(r.Context()); err != nil {
			return nil, err
		}
	}
	v.Empty = total == 0 && !q.Filtered()
	if len(rows) > roadPage {
		rows = rows[:roadPage]
		v.Next = q.address(rows[roadPage-1].ID)
	}
	toS := axisEnd(longest)
	if longest > toS {
		v.Capped = words.Hours(longest)
	}
	v.Axis, v.Grid, v.Hatches = draw.RoadAxis(toS), draw.RoadGrid(toS), draw.HatchDefs()
	v.Narrow = draw.RoadAxisNarrow(toS)
	v.Rows = rowsOf(rows, q.GroupBy, ui.Picked(r), toS)
	v.Signs = signsOf(v.Rows)
	return v, nil
}

// leastTopKW is the power that the roads of a page have room for at least: runs of small
// cars are not blown up.
const leastTopKW = 50

// signsOf are the causes that held any of the rows, in the order of the definitions.
func signsOf(rows []roadRow) []limit.Sign {
	seen := map[limit.Cause]bool{}
	for _, row := range rows {
		for _, h := range row.Strip.Held {
			seen[h.Cause] = true
		}
	}
	var out []limit.Sign
	for _, s := range limit.Signs {
		if seen[s.Cause] {
			out = append(out, s)
		}
	}
	return out
}

// rowsOf draws runs on one axis of time and one of power, with a heading over the first of
// each group.
func rowsOf(rows []logbook.RoadRow, groupBy string, picked []int64, toS float64) []roadRow {
	top := 0.0
	for _, row := range rows {
		if row.PeakKW != nil {
			top = max(top, *row.PeakKW)
		}
	}
	var out []roadRow
	group := ""
	for i, row := range rows {
		x := roadRow{RoadRow: row, Picked: slices.Contains(picked, row.ID)}
		strip := draw.Strip{Title: stripTitle(row), T: row.Strip.T, KW: row.Strip.KW, Posts: row.Strip.Posts,
			Gaps: row.Strip.Gaps, FromPct: row.Strip.WindowFrom, ToPct: row.Strip.WindowTo, ToS: toS,
			TopKW: max(leastTopKW, top*1.04)}
		for _, h := range row.Strip.Held {
			strip.Held = append(strip.Held, draw.Stretch(h))
		}
		x.SVG, x.Narrow = strip.Small(), strip.SmallNarrow()
		x.Said = row.Strip.Said.Story // the window itself has its own column
		if row.Strip.WindowTo > 0 {
			x.Window = words.Window(row.Strip.WindowFrom, row.Strip.WindowTo)
		}
		if g := groupName(groupBy, row); groupBy != "" && (g != group || i == 0) {
			x.Group, group = g, g
		}
		out = append(out, x)
	}
	return out
}

// longestAxisS is where the axis of all runs ends at the latest: a run that goes on
// beyond it is cut there, and the page says so (the longest tests take under 3 h).
const longestAxisS = 4 * 3600

// axisEnd rounds the longest run up to the axis' end: room for the last label.
func axisEnd(longestS float64) float64 {
	return min(longestAxisS, max(600, longestS*1.02))
}

// stripTitle names a strip for those who do not see it.
func stripTitle(row logbook.RoadRow) string {
	name := row.Car
	if name == "" {
		name = "run"
	}
	return strings.TrimSpace(fmt.Sprintf("Run %d, %s: %s", row.ID, name, row.Strip.Said.Text.Kept()))
}

func groupName(by string, row logbook.RoadRow) string {
	switch by {
	case "car":
		return ui.Or(row.Car, "no car noted")
	case "software":
		return strings.TrimSpace(ui.Or(row.Car, "no car noted") + " " + row.Software)
	case "stall":
		return ui.Or(strings.TrimSpace(row.Site+" "+row.Stall), "no stall noted")
	case "preconditioned":
		return ui.PreconditionedName(row.Preconditioned)
	}
	return ""
}

// pick puts a run on the bench or takes it away.
func (s *Room) pick(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(r.FormValue("run"), 10, 64)
	if err != nil || id < 1 {
		return ui.BadRequest("%q is no run", r.FormValue("run"))
	}
	ids := ui.Picked(r)
	at := slices.Index(ids, id)
	switch {
	case at >= 0:
		ids = slices.Delete(ids, at, at+1)
	case len(ids) >= bench.MaxRuns:
		if !ui.IsPart(r) {
			return ui.BadRequest("the bench holds %d runs; take one off first", bench.MaxRuns)
		}
	default:
		ids = append(ids, id)
	}
	ui.SetPicked(w, ids)
	if ui.IsPart(r) {
		s.Part(w, r, "road", "picked", map[string]any{"ID": id, "Picked": slices.Contains(ids, id), "Count": len(ids),
			"Full": len(ids) >= bench.MaxRuns})
		return nil
	}
	ui.Back(w, r, "/")
	return nil
}
