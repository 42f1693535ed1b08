package beside_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"zincroad/core/beside"
)

func TestSideBySide(t *testing.T) {
	var met sync.WaitGroup // each waits for the other: one after the other they would never end
	met.Add(2)
	meet := func() { met.Done(); met.Wait() }
	beside.Do(meet, meet)
	beside.Do()
}

func TestAPanicIsTheCallers(t *testing.T) {
	other := false
	defer func() {
		assert.Equal(t, "beside others: no such cell", recover())
		assert.True(t, other, "the others ended first")
	}()
	beside.Do(func() { panic("no such cell") }, func() { other = true })
}
