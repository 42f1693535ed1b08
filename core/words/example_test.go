package words_test

import (
	"fmt"

	"zincroad/core/words"
)

func Example() {
	fmt.Println(words.Clock(1932), words.Duration(1932), words.SignedClock(65))
	fmt.Println(words.Figure(12.34, 1), words.Fixed(12, 2), words.Window(10, 80))
	// Output:
	// 32:12 32 min 12 s +1:05
	// 12.3 12.00 10–80 %
}
