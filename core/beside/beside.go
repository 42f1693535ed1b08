// Package beside runs functions side by side.
package beside

import (
	"fmt"
	"sync"
)

// Do runs functions side by side and returns when all have. A panic of one of them is the caller's, after the others
// have ended, as if it had been called here: who guards against a panic of the arithmetic guards against it too.
func Do(fs ...func()) {
	var wait sync.WaitGroup
	fell := make([]any, len(fs))
	for i, f := range fs {
		wait.Go(func() {
			defer func() { fell[i] = recover() }()
			f()
		})
	}
	wait.Wait()
	for _, p := range fell {
		if p != nil {
			panic(fmt.Sprintf("beside others: %v", p))
		}
	}
}
