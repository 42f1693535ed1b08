package trace

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// driveAndCharge are amps of half an hour's drive that regenerates on every third reading, and of twenty minutes of
// charging, above zero as they charge; the drive burns 4 points and charging gains 40.
func driveAndCharge() (t, amps, soc []float64) {
	for i := range 180 {
		a := -120.0
		if i%3 == 0 {
			a = 80
		}
		t, amps, soc = append(t, float64(i*10)), append(amps, a), append(soc, 14-float64(i)/45)
	}
	for i := range 120 {
		t, amps, soc = append(t, 1800+float64(i*10)), append(amps, 250), append(soc, 10+float64(i)/3)
	}
	return t, amps, soc
}

func TestSignByTheWayTheChargeWent(t *testing.T) {
	at, amps, soc := driveAndCharge()
	turned := make([]float64, len(amps))
	for i, a := range amps {
		turned[i] = -a
	}
	whole := make([]float64, len(soc)) // as a display shows it
	for i, v := range soc {
		whole[i] = math.Floor(v)
	}
	for name, charge := range map[string][]float64{"fine": soc, "whole per cents": whole, "none": nil} {
		assert.False(t, ChargesBelowZero(at, amps, charge), name)
		assert.True(t, ChargesBelowZero(at, turned, charge), name)
	}
}

// A charge that the car sets down by six points in the middle of a short run turns nothing.
func TestARecalibrationTurnsNothing(t *testing.T) {
	at, soc, amps := []float64{0, 60, 120, 180, 240}, []float64{30, 31, 25, 26, 27}, []float64{-1, 250, 250, 250, 250}
	assert.False(t, ChargesBelowZero(at, amps, soc))
}

func TestUprightSharesWhatItDoesNotTurn(t *testing.T) {
	at, amps, soc := driveAndCharge()
	r := &Recording{T: at, Columns: map[Channel][]float64{Current: amps, SoC: soc}}
	same, turned := r.Upright()
	assert.Same(t, r, same)
	assert.Empty(t, turned)
	for i := range amps {
		amps[i] = -amps[i]
	}
	up, turned := r.Upright()
	assert.Equal(t, []Channel{Current}, turned)
	assert.Equal(t, 250.0, up.Columns[Current][299])
	assert.Equal(t, -250.0, r.Columns[Current][299], "as recorded")
}
