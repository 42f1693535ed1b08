package curve

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"zincroad/core/words"
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
func CapacityOverTime(runs []CapacityRun) []string {
	n := len(runs)
	if n < 2 {
		return nil
	}
	said := []string{lastAgainst(runs), changed(runs[0].Interval, runs[n-1].Interval,
		fmt.Sprintf("%s kWh in the first of %d runs, %s in the last", words.Fixed(runs[0].Value, 1), n,
			words.Fixed(runs[n-1].Value, 1)))}
	eras := bySoftware(runs)
	for i := 1; i < len(eras); i++ {
		a, b := eras[i-1], eras[i]
		said = append(said, changed(typical(a), typical(b), fmt.Sprintf("Software %s had %s kWh (%d %s), %s had %s (%d %s)",
			a[0].Software, words.Fixed(typical(a).Value, 1), len(a), words.Plural(len(a), "run"), b[0].Software,
			words.Fixed(typical(b).Value, 1), len(b), words.Plural(len(b), "run"))))
	}
	for _, era := range eras {
		per, half, ok := CapacityPerKM(era)
		if !ok {
			continue
		}
		on := ""
		if era[0].Software != "" {
			on = " on software " + era[0].Software
		}
		way := "less"
		if per > 0 {
			way = "more"
		}
		s := fmt.Sprintf("Over the odometer%s %s kWh %s each 10000 km, give or take %s", on,
			words.Fixed(math.Abs(per)*1e4, 2), way, words.Fixed(half*1e4, 2))
		if math.Abs(per) <= half {
			s += ": no trend that the runs could show"
		}
		said = append(said, s+".")
	}
	return said
}

// lastAgainst says what the last run came to beside those before it: "90 kWh, 2 more than by its runs before".
func lastAgainst(runs []CapacityRun) string {
	n := len(runs)
	before := typical(runs[:n-1])
	last := runs[n-1].Interval
	by := math.Round(last.Value) - math.Round(before.Value)
	than := "by its runs before"
	if n == 2 {
		than = "by its run before"
	}
	how := "as much as " + than
	if by > 0 {
		how = fmt.Sprintf("%s more than %s", words.Figure(by, 0), than)
	} else if by < 0 {
		how = fmt.Sprintf("%s less than %s", words.Figure(-by, 0), than)
	}
	return fmt.Sprintf("%s kWh by the last run, %s.", words.Figure(last.Value, 0), how)
}

// changed ends a sentence with whether a capacity changed.
func changed(a, b Interval, by string) string {
	switch a.Change(b) {
	case -1:
		return by + ": less by more than the readings leave open."
	case 1:
		return by + ": more by more than the readings leave open."
	}
	return by + ": no change that the readings could show."
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
