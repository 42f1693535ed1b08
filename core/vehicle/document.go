package vehicle

import (
	"errors"
	"fmt"
	"math"

	"zincroad/core/run"
	"zincroad/core/say"
)

// Format is the name and version of the open format of what a car's runs taught.
const Format = "zincroad-learned/1"

// Document is a model as the open format zincroad-learned/1 writes it. What no run tells is nil or an empty list.
type Document struct {
	Format   string            `json:"format"`
	Car      string            `json:"car"`
	Software []string          `json:"software"`
	Profile  string            `json:"profile"`
	Runs     []string          `json:"runs"`
	NotUsed  []DocumentNotUsed `json:"not_used"`
	Envelope []DocumentPoint   `json:"envelope"`
	Warmth   []DocumentShare   `json:"warmth"`
	WarmC    run.Number        `json:"warm_c"`
	HotC     run.Number        `json:"hot_c"`
	Limits   DocumentLimits    `json:"limits"`
	Steps    []DocumentStep    `json:"steps"`
	Timers   []DocumentTimer   `json:"timers"`
	Usable   *DocumentBound    `json:"usable_kwh"`
	Ohm      run.Number        `json:"resistance_ohm"`
	HeatKJK  run.Number        `json:"heat_capacity_kj_per_k"`
	AuxKW    run.Number        `json:"aux_kw"`
	LossPct  run.Number        `json:"loss_pct"`
	HeldOut  []HeldOut         `json:"held_out"`

	// What follows goes beyond the open format's own keys, so that a forecast goes by a file as by the runs.

	HalfBelowK   run.Number `json:"half_below_k"`
	WarmSDK      float64    `json:"warm_sd_k"`
	RestKWh      run.Number `json:"rest_kwh"`
	RestPct      float64    `json:"rest_pct"`
	Cells        run.Number `json:"cells_in_series"`
	ActivationKJ run.Number `json:"activation_kj_per_mol"`
	CoolingKW    run.Number `json:"cooling_kw"`
	HeaterKW     run.Number `json:"heater_kw"`
	BeginS       run.Number `json:"begin_s"`
	RampS        run.Number `json:"ramp_s"`
	MostKW       float64    `json:"most_kw"`
	MostA        float64    `json:"most_a"`
}

// The parts of a Document.
type (
	DocumentNotUsed struct {
		Run string   `json:"run"`
		Why say.Text `json:"why"`
	}
	DocumentPoint struct {
		SoCPct float64 `json:"soc_pct"`
		KW     float64 `json:"kw"`
		LowKW  float64 `json:"low_kw"`
		HighKW float64 `json:"high_kw"`
		Kind   Kind    `json:"kind"`
		Runs   int     `json:"runs"`
		PackKW float64 `json:"pack_kw"` // without the car's own fixed limits
	}
	DocumentShare struct {
		BatteryC float64 `json:"battery_c"`
		KW       float64 `json:"kw"`
		Share    float64 `json:"share"`
		Low      float64 `json:"low"`
		High     float64 `json:"high"`
	}
	DocumentLimits struct {
		MaxKW       run.Number `json:"max_kw"`
		MaxA        run.Number `json:"max_a"`
		ConverterKW run.Number `json:"converter_kw"`
	}
	DocumentStep struct {
		SoCPct float64 `json:"soc_pct"`
		ToKW   float64 `json:"to_kw"`
		Runs   int     `json:"runs"`
	}
	DocumentTimer struct {
		AfterS float64 `json:"after_s"`
		ToKW   float64 `json:"to_kw"`
		Share  float64 `json:"share"`
		Runs   int     `json:"runs"`
		Plug   float64 `json:"after_plug_in_s"`
	}
	DocumentBound struct {
		Value float64 `json:"value"`
		Low   float64 `json:"low"`
		High  float64 `json:"high"`
	}
)

// HeldOut is a run as the others foretold it.
type HeldOut struct {
	Run       string     `json:"run"`
	FromPct   float64    `json:"from_pct"`
	ToPct     float64    `json:"to_pct"`
	MeasuredS float64    `json:"measured_s"`
	ForetoldS float64    `json:"foretold_s"`
	LowS      float64    `json:"low_s"`
	HighS     run.Number `json:"high_s"` // nil: it may never have been reached
}

// Within tells whether the run took as long as was foretold, give or take.
func (h HeldOut) Within() bool {
	return h.MeasuredS >= h.LowS && (h.HighS == nil || h.MeasuredS <= *h.HighS)
}

// Document is the model in the open format; the runs held out of it are for the caller to add.
func (m *Model) Document() *Document {
	d := &Document{Format: Format, Car: m.Car, Software: m.Software, Profile: m.Profile, Runs: m.Runs,
		NotUsed: []DocumentNotUsed{}, Envelope: []DocumentPoint{}, Warmth: []DocumentShare{}, WarmC: m.WarmC, HotC: m.HotC,
		Limits: DocumentLimits{m.MaxKW, m.MaxA, m.ConverterKW}, Steps: []DocumentStep{}, Timers: []DocumentTimer{},
		Ohm: m.Ohm, HeatKJK: m.HeatKJK, AuxKW: m.AuxKW, LossPct: m.LossPct, HeldOut: []HeldOut{},
		HalfBelowK: m.HalfK, WarmSDK: m.warmSDK, RestKWh: m.RestKWh, RestPct: m.RestRangePct, Cells: m.Cells,
		ActivationKJ: m.ActivationKJ, CoolingKW: m.CoolingKW, HeaterKW: m.HeaterKW, BeginS: m.BeginS, RampS: m.RampS,
		MostKW: m.MostKW, MostA: m.MostA}
	for _, n := range m.NotUsed {
		d.NotUsed = append(d.NotUsed, DocumentNotUsed{n.Run, n.Why})
	}
	for _, p := range m.Envelope {
		d.Envelope = append(d.Envelope, DocumentPoint{p.SoCPct, p.Value, p.Low, p.High, p.Kind, p.Runs, p.PackKW})
	}
	for _, s := range m.Warmth {
		d.Warmth = append(d.Warmth, DocumentShare{s.BatteryC, s.KW, s.Value, s.Low, s.High})
	}
	for _, s := range m.Steps {
		d.Steps = append(d.Steps, DocumentStep(s))
	}
	for _, t := range m.Timers {
		d.Timers = append(d.Timers, DocumentTimer{t.AfterS, t.ToKW, t.Share, t.Runs, t.PluggedS})
	}
	if u := m.Usable; u != nil {
		d.Usable = &DocumentBound{u.Value, u.Low, u.High}
	}
	return d
}

// ErrDocument is returned for a document that is no model.
var ErrDocument = errors.New("this is no " + Format)

// Model is the model that a document holds. How what is off at one charge goes with what is off at another is not in
// the file: it is taken as it is before any run.
func (d *Document) Model() (*Model, error) {
	if d.Format != Format {
		return nil, fmt.Errorf("%w: format is %q", ErrDocument, d.Format)
	}
	if len(d.Envelope) < 2 {
		return nil, fmt.Errorf("%w: envelope: expected two points and more", ErrDocument)
	}
	m := &Model{Car: d.Car, Software: d.Software, Profile: d.Profile, Runs: d.Runs, WarmC: d.WarmC, HalfK: d.HalfBelowK,
		HotC: d.HotC, MaxKW: d.Limits.MaxKW, MaxA: d.Limits.MaxA, ConverterKW: d.Limits.ConverterKW, MostKW: d.MostKW,
		MostA: d.MostA, RestKWh: d.RestKWh, Ohm: d.Ohm, Cells: d.Cells, ActivationKJ: d.ActivationKJ, HeatKJK: d.HeatKJK,
		CoolingKW: d.CoolingKW, AuxKW: d.AuxKW, HeaterKW: d.HeaterKW, LossPct: d.LossPct, BeginS: d.BeginS, RampS: d.RampS,
		RestRangePct: max(leastRangePct, d.RestPct), warmSDK: d.WarmSDK}
	if m.warmSDK <= 0 {
		m.warmSDK = usualWarmSD
	}
	last := math.Inf(-1)
	for i, p := range d.Envelope {
		if !(p.SoCPct > last && p.KW > 0 && p.LowKW > 0 && p.LowKW <= p.KW && p.KW <= p.HighKW) {
			return nil, fmt.Errorf("%w: envelope, point %d: expected rising charge and 0 < low_kw <= kw <= high_kw",
				ErrDocument, i+1)
		}
		last = p.SoCPct
		m.Envelope = append(m.Envelope, EnvelopePoint{SoCPct: p.SoCPct, Bound: Bound{p.KW, p.LowKW, p.HighKW},
			PackKW: max(p.KW, p.PackKW), Kind: p.Kind, Runs: p.Runs})
	}
	for _, s := range d.Warmth {
		m.Warmth = append(m.Warmth, Share{s.BatteryC, Bound{s.Share, s.Low, s.High}, s.KW})
	}
	for _, s := range d.Steps {
		m.Steps = append(m.Steps, Step(s))
	}
	for _, t := range d.Timers {
		m.Timers = append(m.Timers, Timer{AfterS: t.AfterS, Share: t.Share, PluggedS: t.Plug, ToKW: t.ToKW, Runs: t.Runs})
	}
	if u := d.Usable; u != nil {
		m.Usable = &Bound{u.Value, u.Low, u.High}
		if m.RestKWh == nil {
			m.RestKWh = run.N(u.Value)
		}
	}
	m.spread()
	return m, nil
}

// spread makes the covariance of a model of which only ranges are known.
func (m *Model) spread() {
	sd := make([]float64, nodes)
	for i := range sd {
		p := nearest(m.Envelope, NodePct*float64(i))
		sd[i] = math.Log(p.High/p.Low) / (2 * OfRange)
	}
	m.logKW, m.cov = make([]float64, nodes), make([][]float64, nodes)
	for i := range nodes {
		m.logKW[i], m.cov[i] = math.Log(m.At(NodePct*float64(i))), make([]float64, nodes)
		for k := range nodes {
			m.cov[i][k] = sd[i] * sd[k] * bell(NodePct*float64(i-k), shapePct)
		}
	}
}

func nearest(list []EnvelopePoint, soc float64) EnvelopePoint {
	best := list[0]
	for _, p := range list {
		if math.Abs(p.SoCPct-soc) < math.Abs(best.SoCPct-soc) {
			best = p
		}
	}
	return best
}
