package prepare_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/prepare"
)

var anyStart = math.NaN()

// By hand: two runs of A at stall 1 from 10 %, one of B. Of the three wanted rows
// one is done, one lacks one of two, one lacks all three; a single run of B at
// stall 2 from 10 % counts for the two that lack something.
func TestMatrixByHand(t *testing.T) {
	made := []prepare.Made{
		{Cell: prepare.Cell{Car: "A", Software: "1", Stall: "1", Preconditioned: "none", FromPct: 9}, Runs: 1},
		{Cell: prepare.Cell{Car: "A", Software: "2", Stall: "1", Preconditioned: "car", FromPct: 12}, Runs: 1},
		{Cell: prepare.Cell{Car: "B", Software: "1", Stall: "1", Preconditioned: "none", FromPct: 20}, Runs: 1},
	}
	m := prepare.MatrixOf([]prepare.Wanted{
		{Cell: prepare.Cell{Car: "A", Stall: "1", FromPct: 10}, Repeats: 2},
		{Cell: prepare.Cell{Car: "B", FromPct: anyStart}, Repeats: 2},
		{Cell: prepare.Cell{Stall: "2", FromPct: 10}, Repeats: 3},
	}, made)
	assert.Equal(t, []int{0, 1}, m.Rows[0].Kinds)
	assert.Equal(t, 2, m.Rows[0].Done)
	assert.Equal(t, []int{2}, m.Rows[1].Kinds)
	assert.Equal(t, 1, m.Rows[1].Done)
	assert.Empty(t, m.Rows[2].Kinds)
	assert.Equal(t, 7, m.Wanted)
	assert.Equal(t, 4, m.Missing)
	require.NotNil(t, m.Next)
	assert.Equal(t, prepare.Cell{Car: "B", Stall: "2", FromPct: 10}, m.Next.Cell)
	assert.ElementsMatch(t, []int{1, 2}, m.Next.Fills)
}

// Rows that agree in pairs but not all together: three can be had at once, of which
// a search that takes the first that fits would find two.
func TestNextIsTheBestOfAll(t *testing.T) {
	m := prepare.MatrixOf([]prepare.Wanted{
		{Cell: prepare.Cell{Car: "A", Stall: "1", FromPct: anyStart}, Repeats: 5},
		{Cell: prepare.Cell{Car: "A", Software: "2", FromPct: anyStart}, Repeats: 1},
		{Cell: prepare.Cell{Stall: "2", FromPct: anyStart}, Repeats: 1},
		{Cell: prepare.Cell{Car: "A", Stall: "2", FromPct: 10}, Repeats: 1},
	}, nil)
	require.NotNil(t, m.Next)
	assert.Equal(t, prepare.Cell{Car: "A", Software: "2", Stall: "2", FromPct: 10}, m.Next.Cell)
}

func TestMatrixWithNothingMissing(t *testing.T) {
	m := prepare.MatrixOf([]prepare.Wanted{{Cell: prepare.Cell{FromPct: anyStart}, Repeats: 1}},
		[]prepare.Made{{Cell: prepare.Cell{Car: "A", FromPct: 10}, Runs: 1}})
	assert.Nil(t, m.Next)
	assert.Zero(t, m.Missing)
	assert.Nil(t, prepare.MatrixOf(nil, nil).Next)
}

// Many rows full of "any" must not take for ever.
func TestMatrixOfManyWildcards(t *testing.T) {
	var wanted []prepare.Wanted
	for i := range 60 {
		c := prepare.Cell{FromPct: anyStart}
		switch i % 3 {
		case 0:
			c.Car = fmt.Sprint(i % 7)
		case 1:
			c.Stall = fmt.Sprint(i % 5)
		default:
			c.Software = fmt.Sprint(i % 4)
		}
		wanted = append(wanted, prepare.Wanted{Cell: c, Repeats: 1 + i%3})
	}
	m := prepare.MatrixOf(wanted, nil)
	require.NotNil(t, m.Next)
	for _, i := range m.Next.Fills {
		_, ok := m.Next.Cell.With(wanted[i].Cell)
		assert.True(t, ok)
	}
}

// Three kinds of runs, 2 + 3 + 1: the first two are of one car with one software at one
// stall, warmed differently; the third is of a car at no stall.
func TestGridCountsRunsNotKinds(t *testing.T) {
	g := prepare.GridOf([]prepare.Made{
		{Cell: prepare.Cell{Car: "A", Software: "1", Stall: "x", Preconditioned: "none"}, Runs: 2},
		{Cell: prepare.Cell{Car: "A", Software: "1", Stall: "x", Preconditioned: "car"}, Runs: 3},
		{Cell: prepare.Cell{Car: "B"}, Runs: 1},
	})
	assert.Equal(t, []string{"x", ""}, g.Stalls)
	require.Len(t, g.Rows, 2)
	assert.Equal(t, prepare.GridCell{Runs: 5, ByPreconditioned: map[string]int{"none": 2, "car": 3}},
		g.Rows[0].Cells[0])
	assert.Zero(t, g.Rows[0].Cells[1].Runs)
	assert.Equal(t, 1, g.Rows[1].Cells[1].Runs)
}
