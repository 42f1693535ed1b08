package plan

import (
	"net/http"

	"zincroad/web/draw"
	"zincroad/web/ui"
)

// SignList are the times of the plan in order.
func (v *View) SignList() []draw.ClockSign {
	steps := v.Plan.Forecast.Steps
	return signsOf(v, steps[len(steps)-1].T)
}

// Blanks are what to note before plug-in.
func (v *View) Blanks() []string {
	c := v.In.Name("°C")
	return []string{"SoC %", "odometer", "outside " + c, "coldest cell " + c, "warmest cell " + c, "software",
		"stall and label", "climate", "logger runs", "plug-in at"}
}

// EndBlanks are what to note at the end.
func (v *View) EndBlanks() []string {
	c := v.In.Name("°C")
	return []string{"SoC %", "kWh on the screen", "minutes on the screen", "price", "coldest cell " + c,
		"warmest cell " + c, "unplugged at"}
}

// Five are empty lines.
func (v *View) Five() [5]struct{} { return [5]struct{}{} }

// runSheet is the page that is printed and taken along.
func (s *Room) runSheet(w http.ResponseWriter, r *http.Request) error {
	v, err := s.Planned(r)
	if err != nil {
		return err
	}
	if v.Plan == nil || v.Plan.Refused() {
		s.Render(
			w,
			r,
			"prepare",
			http.StatusUnprocessableEntity,
			ui.Frame{Title: "Prepare", Page: "prepare", Data: v, In: &v.In,
				Notice: &ui.Notice{Text: "There is nothing to print yet: the plan cannot be worked out.", Bad: true}},
		)
		return nil
	}
	s.Render(w, r, "sheet", http.StatusOK, ui.Frame{Title: "Run sheet", Page: "prepare", Data: v, In: &v.In})
	return nil
}
