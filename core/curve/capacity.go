package curve

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"zincroad/core/say"
)

// CapacityRun is what one run says of its pack's usable capacity, in kWh.
type CapacityRun struct {
	Interval
	OdometerKM float64 // NaN: not noted
	Software   string  // empty: not noted
}

// ageingRuns and ageingKM are the runs on one software and the distance between them from which a trend
// over the odometer is stated: a line through less says more of its points than of the pack.
const (
	ageingRuns = 4
	ageingKM   = 5000
)

// CapacityOverTime says in sentences what a car's runs, oldest first, say of how its usable capacity went:
// from the first to the last, at each change of software, and over the odometer. Empty for fewer than two.
func CapacityOverTime(runs []CapacityRun) []say.Text {
	n := len(runs)
	if n < 2 {
		return nil
	}
	said := []say.Text{lastAgainst(runs), changed(runs[0].Interval, runs[n-1].Interval,
		say.T("curve.kwh-in-the-first", say.Fixed(runs[0].Value, 1), n, say.Fixed(runs[n-1].Value, 1)))}
	eras := bySoftware(runs)
	for i := 1; i < len(eras); i++ {
		a, b := eras[i-1], eras[i]
		said = append(said, changed(typical(a), typical(b), say.T("curve.software-had-kwh-had", a[0].Software,
			say.Fixed(typical(a).Value, 1), len(a), b[0].Software, say.Fixed(typical(b).Value, 1), len(b))))
	}
	for _, era := range eras {
		per, half, ok := CapacityPerKM(era)
		if !ok {
			continue
		}
		on := say.Text(nil)
		if era[0].Software != "" {
			on = say.T("curve.on-software", era[0].Software)
		}
		code := "curve.odometer-less"
		if per > 0 {
			code = "curve.odometer-more"
		}
		s := say.T(code, on, say.Fixed(math.Abs(per)*1e4, 2), say.Q(1e4, "km", 0), say.Fixed(half*1e4, 2))
		if math.Abs(per) <= half {
			s = s.And("curve.no-trend")
		}
		said = append(said, s.And("stop"))
	}
	return said
}

// lastAgainst says what the last run came to beside those before it: "90 kWh, 2 more than by its runs before".
func lastAgainst(runs []CapacityRun) say.Text {
	n := len(runs)
	last := runs[n-1].Interval
	by := math.Round(last.Value) - math.Round(typical(runs[:n-1]).Value)
	than := say.T("curve.by-runs-before")
	if n == 2 {
		than = say.T("curve.by-run-before")
	}
	how := say.T("curve.as-much-as", than)
	if by > 0 {
		how = say.T("curve.more-than", say.Fig(by, 0), than)
	} else if by < 0 {
		how = say.T("curve.less-than", say.Fig(-by, 0), than)
	}
	return say.T("curve.kwh-by-the-last", say.Fig(last.Value, 0), how)
}

// changed ends a sentence with whether a capacity changed.
func changed(a, b Interval, by say.Text) say.Text {
	switch a.Change(b) {
	case -1:
		return by.And("curve.changed-less")
	case 1:
		return by.And("curve.changed-more")
	}
	return by.And("curve.not-changed")
}

// bySoftware cuts runs into stretches on one software; runs that do not say theirs are left out where
// any does.
func bySoftware(runs []CapacityRun) [][]CapacityRun {
	noted := false
	for _, r := range runs {
		noted = noted || r.Software != ""
	}
	var eras [][]CapacityRun
	for _, r := range runs {
		if noted && r.Software == "" {
			continue
		}
		if k := len(eras) - 1; k >= 0 && eras[k][0].Software == r.Software {
			eras[k] = append(eras[k], r)
		} else {
			eras = append(eras, []CapacityRun{r})
		}
	}
	return eras
}

// typical is the mean of several runs' capacities with the mean of their bounds. More runs do not make
// it narrower: what bounds them, a display's rounding and a meter's gain, is common to all.
func typical(runs []CapacityRun) Interval {
	var out Interval
	high, n := 0.0, float64(len(runs))
	for _, r := range runs {
		out.Value, out.Low = out.Value+r.Value/n, out.Low+r.Low/n
		if r.High == nil {
			high = math.Inf(1)
		} else {
			high += *r.High / n
		}
	}
	if !math.IsInf(high, 1) {
		out.High = &high
	}
	return out
}

// CapacityPerKM is the trend of capacity over the odometer, in kWh per km, with half of its 95 % interval:
// the slope of least squares, its standard error times Student's 97.5 % point with n-2 degrees of freedom
// (Draper and Smith, Applied Regression Analysis, section 1.4). False for fewer than four runs that note
// their odometer, or where they lie within 5,000 km of each other.
func CapacityPerKM(runs []CapacityRun) (perKM, half float64, ok bool) {
	var km, kwh []float64
	least, most := math.Inf(1), math.Inf(-1)
	for _, r := range runs {
		if !math.IsNaN(r.OdometerKM) {
			km, kwh = append(km, r.OdometerKM), append(kwh, r.Value)
			least, most = math.Min(least, r.OdometerKM), math.Max(most, r.OdometerKM)
		}
	}
	if len(km) < ageingRuns || most-least < ageingKM {
		return 0, 0, false
	}
	perKM, half = slope(km, kwh)
	return perKM, half, true
}

// slope is the slope of the least squares line through points, three at least and not all at one x, with
// half of its 95 % interval.
func slope(x, y []float64) (b, half float64) {
	a, b := stat.LinearRegression(x, y, nil, false)
	left := 0.0
	for i := range x {
		left += math.Pow(y[i]-a-b*x[i], 2)
	}
	free := float64(len(x) - 2)
	mean := stat.Mean(x, nil)
	spread := 0.0
	for _, v := range x {
		spread += (v - mean) * (v - mean)
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: free}.Quantile(0.975)
	return b, t * math.Sqrt(left/free/spread)
}
