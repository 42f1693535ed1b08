package runs

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"zincroad/core/say"
	"zincroad/core/words"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// historyView is who changed what of a run.
type historyView struct {
	Row     *logbook.Run
	Changes []changeRow
}

// changeRow is one change: what was done, and each value that differs.
type changeRow struct {
	logbook.Change
	When   ui.Date
	What   say.Text
	Values []changedValue
}

// changedValue is one column before and after; nothing: it was not noted.
type changedValue struct{ Name, Before, After say.Text }

// historyRoutes are the paths of who changed what.
func (s *Room) historyRoutes(r chi.Router) {
	r.Get("/history", s.Do(s.history))
	r.Post("/history/{change}/undo", s.Do(s.undoChange))
}

func (s *Room) history(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	list, err := s.book.Changes(r.Context(), row.ID)
	if err != nil {
		return err
	}
	names, err := s.namesOf(r.Context())
	if err != nil {
		return err
	}
	v := historyView{Row: row}
	for _, c := range list {
		v.Changes = append(v.Changes, changeRowOf(c, row, names, ui.ReaderOf(r)))
	}
	s.Render(w, r, "history", http.StatusOK, ui.Frame{Title: fmt.Sprintf("Changes of run %d", row.ID), Page: "run",
		Run:  row,
		Data: v})
	return nil
}

func (s *Room) undoChange(w http.ResponseWriter, r *http.Request) error {
	row, err := ui.RunOf(s.book, r)
	if err != nil {
		return err
	}
	change, err := ui.IDParam(r, "change")
	if err != nil {
		return err
	}
	if err := s.book.UndoChange(r.Context(), row.ID, change); err != nil {
		return err
	}
	http.Redirect(w, r, ui.RunPath(row.ID, "/history"), http.StatusSeeOther)
	return nil
}

// names are what cars, stalls and so on are called, by the column that has their number.
type names map[string]map[int64]string

func (s *Room) namesOf(ctx context.Context) (names, error) {
	out := names{"owner_id": {}, "car_id": {}, "software_id": {}, "stall_id": {}, "adapter_id": {}}
	cars, err := s.book.Cars(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range cars {
		out["car_id"][c.ID] = c.Name
		for _, v := range c.Softwares {
			out["software_id"][v.ID] = v.Version
		}
	}
	people, err := s.book.People(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range people {
		out["owner_id"][p.ID] = p.Name
	}
	sites, err := s.book.Sites(ctx)
	if err != nil {
		return nil, err
	}
	for _, site := range sites {
		for _, t := range site.Stalls {
			out["stall_id"][t.ID] = site.Name + " " + t.Name
		}
	}
	adapters, err := s.book.Adapters(ctx)
	for _, a := range adapters {
		out["adapter_id"][a.ID] = a.Name
	}
	return out, err
}

// unitsOf are the units of columns that have one.
var unitsOf = map[string]string{
	"ambient_c":          "°C",
	"battery_c":          "°C",
	"odometer_km":        "km",
	"from_pct":           "%",
	"to_pct":             "%",
	"preconditioned_min": "min",
	"clock_offset_s":     "s",
}

// shownColumns are the columns that a change is told by, in this order; others say nothing to people.
var shownColumns = []string{
	"title", "started_at", "timezone", "car_id", "software_id", "stall_id", "adapter_id", "method_name",
	"from_pct", "to_pct", "clock", "method_climate", "shared", "owner_id", "ambient_c", "battery_c", "preconditioned",
	"preconditioned_min", "profile", "climate", "weather", "odometer_km", "label", "teaches", "kind", "t_s", "note",
	"name", "side", "clock_offset_s",
}

// changeRowOf puts a change into words.
func changeRowOf(c logbook.Change, row *logbook.Run, called names, reader ui.Reader) changeRow {
	out := changeRow{Change: c, When: ui.Second(ui.Local(c.At, row.Timezone))}
	did := "changed"
	switch {
	case changed(c, "deleted_at") && c.After["deleted_at"] != nil, c.After == nil:
		did = "removed"
	case changed(c, "deleted_at") && c.Before != nil:
		did = "restored"
	case c.Before == nil:
		did = "added"
	}
	if c.Entity == "corrections" {
		n, _ := c.After["values"].(float64)
		if did = "put-right"; c.After["undone"] == true {
			did = "undone"
		}
		out.What = say.T("history.corrections-"+did, int(n))
		return out
	}
	out.What = say.T("history."+did, say.T("entity."+c.Entity))
	for _, column := range shownColumns {
		v := changedValue{
			Name:   say.T("column." + column),
			Before: valueOf(column, c.Before[column], row, called, reader),
			After:  valueOf(column, c.After[column], row, called, reader),
		}
		if v.Before.Any() || v.After.Any() { // not of a thing added what it never had
			out.Values = append(out.Values, v)
		}
	}
	return out
}

func changed(c logbook.Change, column string) bool {
	_, before := c.Before[column]
	_, after := c.After[column]
	return before || after
}

// valueOf is what a column held, for people; nil: nothing.
func valueOf(column string, v any, row *logbook.Run, called names, reader ui.Reader) say.Text {
	switch x := v.(type) {
	case nil:
		return nil
	case string:
		if x == "" {
			return nil
		}
		if column == "started_at" {
			if at, err := time.Parse(time.RFC3339, x); err == nil {
				x = reader.Date(ui.Second(ui.Local(at, row.Timezone)))
			}
		}
		return say.Own(x)
	case float64:
		if of, ok := called[column]; ok {
			if name := of[int64(x)]; name != "" {
				return say.Own(name)
			}
			return say.T("history.removed-since", strconv.FormatFloat(x, 'f', -1, 64))
		}
		if column == "t_s" {
			return say.Own(words.Clock(x))
		}
		return say.T("history.value", say.Q(x, unitsOf[column], 2))
	case bool:
		return say.Own(map[bool]string{true: "yes", false: "no"}[x])
	}
	return nil
}
