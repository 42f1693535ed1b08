package parallel_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/parallel"
)

func TestSideBySide(t *testing.T) {
	var met sync.WaitGroup // each waits for the other: one after the other they would never end
	met.Add(2)
	meet := func() { met.Done(); met.Wait() }
	parallel.Do(meet, meet)
	parallel.Do()
}

func TestAPanicIsTheCallers(t *testing.T) {
	other := false
	defer func() {
		said := fmt.Sprint(recover())
		assert.Contains(t, said, "no such cell, at ")
		assert.Contains(t, said, "parallel_test.go", "where it was")
		assert.True(t, other, "the others ended first")
	}()
	parallel.Do(func() { panic("no such cell") }, func() { other = true })
}
