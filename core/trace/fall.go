package trace

// What counts as a sudden fall: of a quarter or more within half a minute (as a cliff of
// a run's power is defined), with at least 1 left, and still there half a minute later.
const (
	fallShare = 0.25
	fallS     = 30
)

// Fall is a sudden fall of a series: when, in seconds of its clock, half way between the
// readings around it, and from what to what.
type Fall struct{ AtS, From, To float64 }

// LastFall gives the last sudden fall of a series between two times, and false where
// there is none. Values under 1 (kW: nothing flows) are no part of a fall.
func (p Series) LastFall(from, to float64) (Fall, bool) {
	var out Fall
	found := false
	for i := 0; i < p.Len(); i++ {
		if p.T[i] < from || p.V[i] < 1 {
			continue
		}
		for j := i + 1; j < p.Len() && p.T[j] <= min(to, p.T[i]+fallS); j++ {
			if p.V[j] <= (1-fallShare)*p.V[i] && p.V[j] >= 1 && stays(p, j, p.V[i]) {
				out, found = Fall{(p.T[j-1] + p.T[j]) / 2, p.V[i], p.V[j]}, true
				i = j
				break
			}
		}
	}
	return out, found
}

// stays tells whether what fell to reading j has not come back half a minute later, nor
// gone out.
func stays(p Series, j int, before float64) bool {
	for k := j; k < p.Len() && p.T[k] <= p.T[j]+fallS; k++ {
		if p.V[k] > (1-fallShare/2)*before || p.V[k] < 1 {
			return false
		}
	}
	return true
}
