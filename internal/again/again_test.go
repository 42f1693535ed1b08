package again_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"zincroad/internal/again"
)

var errAway = errors.New("away")

// Waits of 1, 2, 4, 5, 5 s; a try that lasted 10 s is followed by one after 1 s again.
func TestWaitsGrowAndBeginAnew(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		began := time.Now()
		var at []float64
		err := again.Do(t.Context(), again.Wait{First: time.Second, Most: 5 * time.Second, Lasting: 8 * time.Second},
			func(context.Context) error {
				at = append(at, time.Since(began).Seconds())
				switch len(at) {
				case 6:
					time.Sleep(10 * time.Second)
				case 8:
					return fmt.Errorf("the run has ended: %w", again.ErrEnough)
				}
				return errAway
			})
		assert.NoError(t, err)
		assert.Equal(t, []float64{0, 1, 3, 7, 12, 17, 28, 29}, at)
	})
}

func TestEndsWithItsContext(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		ctx, stop := context.WithTimeout(t.Context(), 10*time.Second)
		defer stop()
		err := again.Do(
			ctx,
			again.Wait{First: time.Second, Most: time.Minute},
			func(context.Context) error { return errAway },
		)
		assert.ErrorIs(t, err, context.DeadlineExceeded)
	})
}

func TestOnceIsEnough(t *testing.T) {
	tries := 0
	assert.NoError(
		t,
		again.Do(t.Context(), again.Wait{First: time.Second, Most: time.Second}, func(context.Context) error {
			tries++
			return nil
		}),
	)
	assert.Equal(t, 1, tries)
}
