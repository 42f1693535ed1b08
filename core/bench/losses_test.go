package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/limit"
	"zincroad/core/run"
)

// A car's runs lose on average what they lost together by their number, those too that lost nothing; one that was not
// judged is none of them.
func TestLossesByCause(t *testing.T) {
	known := func(id int64, car string, lost ...GistLost) Known {
		return Known{ID: id, Car: car, Gist: Gist{OutsideS: run.N(0), Lost: lost}}
	}
	list := LossesOf([]Known{
		known(1, "Larch 52", GistLost{limit.Cold, 300}, GistLost{limit.StallPower, 30}),
		known(2, "Rowan 82", GistLost{limit.StallPower, 120}),
		known(3, "Rowan 82", GistLost{limit.StallPower, 60}, GistLost{limit.Cold, 270}),
		known(4, "Rowan 82"),
		{ID: 5, Car: "Rowan 82"},
		known(6, ""),
		{ID: 7, Car: "Larch", Software: "52", Gist: Gist{OutsideS: run.N(0)}}, // another car, whose names only read alike
	})
	require.Len(t, list, 3)
	assert.Equal(t, Losses{Car: "Larch 52", Runs: []int64{1}, TotalS: 330,
		Lost: []GistLost{{limit.Cold, 300}, {limit.StallPower, 30}}}, list[0])
	assert.Equal(t, Losses{Car: "Rowan 82", Runs: []int64{2, 3, 4}, TotalS: 150,
		Lost: []GistLost{{limit.Cold, 90}, {limit.StallPower, 60}}}, list[1])
}
