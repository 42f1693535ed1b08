// Package parallel runs functions side by side.
package parallel

import (
	"fmt"
	"runtime/debug"
	"sync"
)

// Do runs functions side by side and returns when all have. A panic of one of them is the caller's, after the others
// have ended, as if it had been called here: who guards against a panic of the arithmetic guards against it too. It
// says where it was.
func Do(fs ...func()) {
	var wait sync.WaitGroup
	panics := make([]string, len(fs))
	for i, f := range fs {
		wait.Go(func() {
			defer func() {
				if p := recover(); p != nil {
					panics[i] = fmt.Sprintf("%v, at %s", p, debug.Stack())
				}
			}()
			f()
		})
	}
	wait.Wait()
	for _, p := range panics {
		if p != "" {
			panic(p)
		}
	}
}
