package prepare_test

import (
	"fmt"
	"math"

	"zincroad/core/prepare"
)

// Two runs of the Larch are wanted cold and one is done; one at the mill, of any car. A cold
// run of the Larch at the mill counts for both.
func ExampleMatrixOf() {
	m := prepare.MatrixOf([]prepare.Wanted{
		{Cell: prepare.Cell{Car: "Larch 52", Preconditioned: "none", FromPct: math.NaN()}, Repeats: 2},
		{Cell: prepare.Cell{Stall: "Fulling Mill 1", FromPct: math.NaN()}, Repeats: 1},
	}, []prepare.Made{{Cell: prepare.Cell{Car: "Larch 52", Preconditioned: "none", FromPct: 9}, Runs: 1}})
	fmt.Println(m.Missing, "missing; next:", m.Next.Car, "at", m.Next.Stall)
	// Output: 2 missing; next: Larch 52 at Fulling Mill 1
}
