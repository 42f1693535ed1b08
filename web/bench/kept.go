package bench

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"

	"zincroad/core/bench"
	"zincroad/core/say"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// viewKeys are what a kept bench remembers of the page's address beside its runs.
var viewKeys = []string{"ref", "channel", "axis", "clock", "side", "as", "lines", "by", "window", "lead"}

// chosen is how the bench is looked at.
func chosen(q url.Values) url.Values {
	view := url.Values{}
	for _, k := range viewKeys {
		if v := q.Get(k); v != "" {
			view.Set(k, v)
		}
	}
	return view
}

// looked is how the bench was looked at when a form on it was sent: by the page's address, for a choice
// renews the curve alone and the forms around it are older; else as the form has it.
func looked(r *http.Request) url.Values {
	if at, err := url.Parse(r.Referer()); err == nil && at.Path == "/bench" && at.Host == r.Host {
		return chosen(at.Query())
	}
	view, err := url.ParseQuery(r.FormValue("view"))
	if err != nil {
		return url.Values{}
	}
	return chosen(view)
}

// mostNewer is how many newer runs a kept bench offers.
const mostNewer = 20

// keptAs fills in which kept bench is open, and which runs came since.
func (s *Room) keptAs(r *http.Request, v *benchView) error {
	id := ui.ParseIDs(r.URL.Query().Get("kept"), ",")
	if len(id) != 1 {
		return nil
	}
	k, err := s.book.Bench(r.Context(), id[0])
	if err != nil {
		return err
	}
	v.Kept = k
	newer, err := s.book.NewerRuns(r.Context(), k.ID, mostNewer)
	v.Newer = slices.DeleteFunc(newer, func(c logbook.Choice) bool { return slices.Contains(v.IDs, c.ID) })
	return err
}

// among says of each run how it lies to those like it, where it came to a kept bench or stands apart:
// to those that were kept, where the bench was.
func (v *benchView) among() {
	entries := make([]bench.Entry, len(v.Entries))
	for i, e := range v.Entries {
		entries[i] = bench.Entry{Run: e.described, Reading: e.reading}
	}
	var those []int
	for i, id := range v.IDs {
		if v.Kept == nil || slices.Contains(v.Kept.Runs, id) {
			those = append(those, i)
		}
	}
	for i := range v.Entries {
		e := &v.Entries[i]
		fresh := v.Kept != nil && !slices.Contains(v.Kept.Runs, v.IDs[i])
		a, ok := v.Compared.Among(i, those)
		window := words.Window(v.Compared.Window.FromPct, v.Compared.Window.ToPct)
		long := func(s float64) string { return words.Duration(math.Round(max(0, s))) }
		switch {
		case !ok || !a.Known() && !fresh:
		case !a.Known():
			e.Among = fmt.Sprintf("new; with %d others of its group, where it should lie is not known", a.Others)
		case a.Inside() && fresh:
			e.Among = fmt.Sprintf("new, and inside: %s in %s, where the %d others of its group say %s to %s",
				long(a.TS), window, a.Others, long(a.LowS), long(a.HighS))
		case !a.Inside():
			e.Among = fmt.Sprintf("outside: %s in %s, where the %d others of its group say %s to %s", long(a.TS), window,
				a.Others, long(a.LowS), long(a.HighS))
			e.Without = v.without(i)
			if odd := bench.Odd(entries, i, a.Like); len(odd) > 0 {
				e.Among += "; odd about it: " + say.Join("semicolon", odd...).Kept()
			} else {
				e.Among += "; nothing that was noted tells it apart"
			}
		}
	}
}

// without is the address of the bench without one of its runs; empty where too few are left.
func (v *benchView) without(i int) string {
	if len(v.IDs) <= bench.MinRuns {
		return ""
	}
	return "/bench?runs=" + ui.JoinIDs(slices.Delete(slices.Clone(v.IDs), i, i+1), ",")
}

// openKept goes to a kept bench as it was kept.
func openKept(k *logbook.Bench) string {
	q, err := url.ParseQuery(k.View)
	if err != nil {
		q = url.Values{}
	}
	q.Set("runs", ui.JoinIDs(k.Runs, ","))
	q.Set("kept", fmt.Sprint(k.ID))
	return "/bench?" + q.Encode()
}

// keep keeps the bench as it stands, under a name.
func (s *Room) keep(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	k := &logbook.Bench{Name: f.Needed("name", "A name"), Runs: ui.ParseIDs(f.Text("runs"), ","),
		View: looked(r).Encode()}
	if id := f.ID("kept"); id != nil && f.Values.Get("anew") == "" {
		k.ID = *id
	}
	for _, text := range f.Errors {
		return ui.BadRequest("%s", text)
	}
	if n := len(k.Runs); n == 0 || n > bench.MaxRuns {
		return ui.BadRequest("a bench of one to %d runs can be kept, not of %d", bench.MaxRuns, n)
	}
	if err := s.book.KeepBench(r.Context(), k); err != nil {
		return err
	}
	http.Redirect(w, r, openKept(k), http.StatusSeeOther)
	return nil
}

// forget puts a kept bench aside, and offers to bring it back. The runs stay on the bench.
func (s *Room) forget(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DeleteBench(r.Context(), id)
	}
	if err != nil {
		return err
	}
	r.URL.RawQuery = ""
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	s.Render(w, r, "bench", http.StatusOK, ui.Frame{Title: "Bench", Data: v,
		Notice: &ui.Notice{Text: "The kept bench is removed.", Undo: ui.KeptBenchRestorePath(id)}})
	return nil
}

func (s *Room) bringBack(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RestoreBench(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, ui.KeptBenchPath(id), http.StatusSeeOther)
	return nil
}

// benchJSON gives the comparison in the open format.
func (s *Room) benchJSON(w http.ResponseWriter, r *http.Request) error {
	v, err := s.benchView(r)
	if err != nil {
		return err
	}
	if v.Compared == nil {
		return ui.BadRequest("a comparison needs two runs on the bench")
	}
	ui.Attach(w, "application/json", "bench.json")
	if err := say.WriteJSON(w, v.Compared.Comparison, units.People{}); err != nil {
		s.Log.Warn("sending the comparison", "error", err)
	}
	return nil
}
