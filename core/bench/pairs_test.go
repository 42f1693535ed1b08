package bench

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
)

// Two of one software, one of another, one cold and one of another car: software and warmth are
// proposed, with the repeat beside it; nothing that differs in two things, nor another car.
func TestPairsThatDifferInOneThing(t *testing.T) {
	n := run.N
	base := Known{Car: "Tamarack 78", Software: "2.4", StallKW: 350, Preconditioned: "car", Profile: "full", StartC: n(26),
		WindowS: n(1334)}
	with := func(id int64, change func(*Known)) Known {
		k := base
		k.ID = id
		change(&k)
		return k
	}
	list := OneApart([]Known{
		with(1, func(*Known) {}),
		with(2, func(k *Known) { k.WindowS = n(1340) }),
		with(3, func(k *Known) { k.Software, k.WindowS = "2.3", n(1484) }),
		with(4, func(k *Known) { k.Preconditioned, k.StartC, k.WindowS = "none", n(6), n(1931) }),
		with(5, func(k *Known) { k.Car = "Osier 88" }),
		with(6, func(k *Known) { k.Software, k.StallKW, k.WindowS = "2.2", 150, n(1700) }),
		with(7, func(k *Known) { k.Software, k.StartC, k.WindowS = "2.3", n(12), n(1800) }),
	}, 6)
	require.Len(t, list, 2)
	assert.Equal(t, "Tamarack 78, preconditioning: car against none", list[0].What, "the largest difference first")
	assert.Equal(t, []int64{1, 2, 4}, list[0].IDs)
	assert.Equal(t, "Tamarack 78, software: 2.4 against 2.3", list[1].What)
	assert.Equal(t, []int64{1, 2, 3}, list[1].IDs)
	assert.Len(t, OneApart([]Known{with(1, func(*Known) {}), with(2, func(*Known) {})}, 6), 0, "repeats differ in nothing")
}
