package bench

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Real says whether a difference is one.
type Real string

// The answers. Undecided: so few runs could not show it either way.
const (
	IsReal    Real = "yes"
	NotReal   Real = "no"
	Undecided Real = "undecided"
)

// Difference is that of two groups of runs in one window: the second's mean less the first's.
type Difference struct {
	Groups    [2]int   `json:"groups"` // their places in the comparison's
	TS        float64  `json:"t_s"`    // positive: the second took longer
	LowS      *float64 `json:"low_s"`  // 95 %; nil: the runs are too few for an interval
	HighS     *float64 `json:"high_s"`
	Real      Real     `json:"real"`
	SmallestS float64  `json:"smallest_s"` // the smallest difference that matters

	By string `json:"by"` // which interval it is: welch, prediction, repeats; empty: none
}

// The smallest difference that matters: the larger of a minute and 3 %.
const (
	smallestS     = 60.0
	smallestShare = 0.03
)

// leastFreedom is how many degrees of freedom repeats must have for their spread to say anything of
// one run against one.
const leastFreedom = 3

// between works out the difference of two groups of times in s. Repeats are groups of times of like runs,
// for one run against one.
func between(a, b []float64, repeats [][]float64) Difference {
	d := Difference{Real: Undecided}
	ma, mb := stat.Mean(a, nil), stat.Mean(b, nil)
	d.TS = mb - ma
	d.SmallestS = max(smallestS, smallestShare*ma)
	half := math.NaN()
	na, nb := float64(len(a)), float64(len(b))
	switch {
	case len(a) > 1 && len(b) > 1:
		d.By = "welch"
		half = welch(stat.Variance(a, nil)/na, stat.Variance(b, nil)/nb, na, nb)
	case len(a) == 1 && len(b) >= leastOthers:
		d.By = "prediction"
		half = predicted(b)
	case len(b) == 1 && len(a) >= leastOthers:
		d.By = "prediction"
		half = predicted(a)
	case len(a) == 1 && len(b) == 1:
		if s2, freedom := pooled(repeats); freedom >= leastFreedom {
			d.By = "repeats"
			half = student(freedom) * math.Sqrt(2*s2)
		}
	}
	if math.IsNaN(half) {
		return d
	}
	low, high := d.TS-half, d.TS+half
	d.LowS, d.HighS = &low, &high
	switch {
	case low > 0 || high < 0:
		d.Real = IsReal
	case high-low < d.SmallestS:
		d.Real = NotReal
	}
	return d
}

// leastOthers is how many like runs tell where another one should lie.
const leastOthers = 3

// predicted is half of the 95 % prediction interval of one further value beside others: t · s · √(1 + 1/n)
// (ISO 16269-8, 6.3).
func predicted(others []float64) float64 {
	n := float64(len(others))
	return student(n-1) * stat.StdDev(others, nil) * math.Sqrt(1+1/n)
}

// welch is half of the 95 % interval of a difference of means whose squared errors are given, with
// the degrees of freedom of Welch and Satterthwaite (B. L. Welch, Biometrika 34 (1947) 28).
func welch(ea, eb, na, nb float64) float64 {
	if ea+eb == 0 {
		return 0
	}
	freedom := (ea + eb) * (ea + eb) / (ea*ea/(na-1) + eb*eb/(nb-1))
	return student(freedom) * math.Sqrt(ea+eb)
}

// student is the 97.5 % point of Student's distribution.
func student(freedom float64) float64 {
	return distuv.StudentsT{Mu: 0, Sigma: 1, Nu: freedom}.Quantile(0.975)
}

// pooled is the variance of repeats over several groups of like runs, with its degrees of freedom.
func pooled(groups [][]float64) (variance, freedom float64) {
	sum := 0.0
	for _, g := range groups {
		if len(g) > 1 {
			n := float64(len(g) - 1)
			sum += stat.Variance(g, nil) * n
			freedom += n
		}
	}
	if freedom == 0 {
		return math.NaN(), 0
	}
	return sum / freedom, freedom
}
