package api

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"zincroad/core/bench"
	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/stall"
	"zincroad/core/trip"
	"zincroad/core/vehicle"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/formats/tripfile"
	"zincroad/logbook"
)

// bench compares runs of the logbook, as zincroad bench does runs in files.
func (s *Room) bench(w http.ResponseWriter, r *http.Request) error {
	var in struct {
		Runs      []int64 `json:"runs"`
		Reference int     `json:"reference"` // its place among them
		Window    string  `json:"window"`    // such as 10-80; empty: found
		Group     string  `json:"group"`     // a condition; empty: found
	}
	if err := body(r, &in); err != nil {
		return err
	}
	ask := bench.Ask{Reference: in.Reference, GroupBy: in.Group}
	if n := len(in.Runs); n < bench.MinRuns || n > bench.MaxRuns {
		return bad(fmt.Sprintf("runs: %d, expected %d to %d", n, bench.MinRuns, bench.MaxRuns))
	}
	if in.Reference < 0 || in.Reference >= len(in.Runs) {
		return bad(fmt.Sprintf("reference: %d, expected 0 to %d", in.Reference, len(in.Runs)-1))
	}
	if in.Window != "" {
		from, to, ok := bench.ParseWindow(in.Window)
		if !ok {
			return bad(fmt.Sprintf("window: %q, expected two states of charge, such as 10-80", in.Window))
		}
		ask.FromPct, ask.ToPct = from, to
	}
	if in.Group != "" && !bench.IsCondition(in.Group) {
		return bad(fmt.Sprintf("group: %q, expected one of %s", in.Group, strings.Join(bench.ConditionNames(), ", ")))
	}
	runs := make([]*run.Run, len(in.Runs))
	for i, id := range in.Runs {
		row, err := s.book.Run(r.Context(), id)
		if err != nil {
			return err
		}
		if runs[i], err = s.book.Load(r.Context(), row); err != nil {
			return err
		}
	}
	return answer(w, http.StatusOK, bench.Compare(bench.SubjectsOf(runs), ask))
}

// session is what forecast and fit take: a run to come, and how it is to be charged.
type session struct {
	Run        json.RawMessage `json:"run"`         // run.json: car, stall, adapter, conditions
	StallShare *float64        `json:"stall_share"` // per cent of its label that the stall gives; null: 100

	// Of a forecast alone.
	FromPct   *float64 `json:"from_pct"`   // null: 10
	ToPct     *float64 `json:"to_pct"`     // null: 80
	BatteryC  *float64 `json:"battery_c"`  // null: the conditions', else 20
	AmbientC  *float64 `json:"ambient_c"`  // null: the conditions', else 15
	ClimateKW float64  `json:"climate_kw"` // what the cabin draws
	CarID     int64    `json:"car_id"`     // a car of the logbook, whose runs say what run.json does not; 0: none
}

// What stands where a session does not say it, as in the command.
const (
	usualFromPct  = 10
	usualToPct    = 80
	usualBatteryC = 20
	usualAmbientC = 15
	mostShare     = 120
	mostClimateKW = 30
)

func (s *Room) sessionOf(r *http.Request) (in session, of *run.Run, err error) {
	if err := body(r, &in); err != nil {
		return in, nil, err
	}
	if in.StallShare == nil {
		in.StallShare = run.N(100)
	}
	if !(*in.StallShare > 0 && *in.StallShare <= mostShare) {
		return in, nil, bad(fmt.Sprintf("stall_share: %g, expected more than 0 and no more than %d", *in.StallShare,
			mostShare))
	}
	if !(in.ClimateKW >= 0 && in.ClimateKW <= mostClimateKW) {
		return in, nil, bad(fmt.Sprintf("climate_kw: %g, expected 0 to %d", in.ClimateKW, mostClimateKW))
	}
	doc, err := withFormat(in.Run)
	if err != nil {
		return in, nil, err
	}
	of, err = runfolder.Plan(doc, "run")
	if err != nil {
		return in, nil, problem{Status: http.StatusUnprocessableEntity, Title: "The run cannot be read",
			Detail: "faults say what was expected", Faults: intake.Refusal("run", err)}
	}
	return in, of, nil
}

// withFormat is a run.json that need not name its format: there is one here.
func withFormat(raw json.RawMessage) ([]byte, error) {
	doc := map[string]json.RawMessage{}
	if len(raw) > 0 {
		if err := json.Unmarshal(raw, &doc); err != nil {
			return nil, bad("run: " + err.Error())
		}
	}
	if doc == nil { // null
		doc = map[string]json.RawMessage{}
	}
	if _, ok := doc["format"]; !ok {
		doc["format"] = json.RawMessage(strconv.Quote(runfolder.Format))
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return nil, bad("run: " + err.Error())
	}
	return text, nil
}

// or is a value, else the first noted of others.
func or(v *float64, others ...run.Number) float64 {
	if v != nil {
		return *v
	}
	for _, o := range others {
		if x, ok := run.Value(o); ok {
			return x
		}
	}
	return 0
}

// forecast works a session out in advance, as zincroad forecast does.
func (s *Room) forecast(w http.ResponseWriter, r *http.Request) error {
	in, of, err := s.sessionOf(r)
	if err != nil {
		return err
	}
	var c run.Condition
	if of.Conditions != nil {
		c = *of.Conditions
	}
	plan := forecast.Plan{Car: of.Car, Stall: of.Stall, Adapter: of.Adapter,
		FromPct: or(in.FromPct, run.N(usualFromPct)), ToPct: or(in.ToPct, run.N(usualToPct)),
		AmbientC: or(in.AmbientC, c.AmbientC, run.N(usualAmbientC)), ClimateKW: in.ClimateKW, Gentle: c.Profile == "gentle",
		Assumed: limit.Assumptions{PowerSharePct: *in.StallShare}}
	battery := or(in.BatteryC, c.BatteryC, run.N(usualBatteryC))
	plan.Battery = pack.Nodes{ColdestC: battery, WarmestC: battery}
	if in.CarID != 0 {
		if plan.Known, plan.Car, err = s.known(r, in.CarID, of.Car, c.Profile); err != nil {
			return err
		}
	}
	if plan.Car == nil {
		return bad("run: expected a car to work with, or car_id")
	}
	f, err := forecast.Of(plan, forecast.DefaultUncertainty)
	if err != nil {
		return refused(err)
	}
	return answer(w, http.StatusOK, f.Document(plan))
}

// known is a car of the logbook as its runs know it, and as it is noted where the request notes nothing.
func (s *Room) known(r *http.Request, id int64, noted *run.Car, profile string) (*vehicle.Model, *run.Car, error) {
	car, err := s.book.Car(r.Context(), id)
	if err != nil {
		return nil, nil, err
	}
	if noted == nil {
		noted = car.Describe("")
	}
	l, err := s.book.Learned(r.Context(), car.Describe(""), logbook.Of{CarID: id, Profile: profile})
	if err != nil || l == nil {
		return nil, noted, err
	}
	return l.Model, noted, nil
}

// fit says what could hold a car at a stall, as zincroad fit does.
func (s *Room) fit(w http.ResponseWriter, r *http.Request) error {
	in, of, err := s.sessionOf(r)
	if err != nil {
		return err
	}
	if of.Car == nil {
		return bad("run: expected a car to work with")
	}
	gentle := of.Conditions != nil && of.Conditions.Profile == "gentle"
	f, err := stall.FitOf(of.Car, of.Stall, of.Adapter, limit.Assumptions{PowerSharePct: *in.StallShare}, gentle)
	if err != nil {
		return refused(err)
	}
	return answer(w, http.StatusOK, f.Document())
}

// trip says where to stop, as zincroad trip does; its car's runs are named by car_id in the address.
func (s *Room) trip(w http.ResponseWriter, r *http.Request) error {
	doc, err := io.ReadAll(r.Body)
	if err != nil {
		return badBody(err)
	}
	t, learned, err := tripfile.Read(doc, "body", nil)
	if err != nil {
		return problem{Status: http.StatusUnprocessableEntity, Title: "The trip cannot be read",
			Detail: "faults say what was expected", Faults: intake.Refusal("body", err)}
	}
	if learned != "" {
		return bad("learned: files are not read here")
	}
	plans, err := trip.Find(t)
	if err != nil {
		return refused(err)
	}
	return answer(w, http.StatusOK, plans.Document(&t))
}
