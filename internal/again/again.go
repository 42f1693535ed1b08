// Package again tries what fails for reasons that pass: a network that is away, a database
// that is started anew.
package again

import (
	"context"
	"errors"
	"time"

	"github.com/sethvargo/go-retry"
)

// Wait is how long is waited between two tries: First before the second, twice as long
// before each further one, Most at the most. A try that lasted for Lasting (0: any) was no
// failure to begin: the wait before the next is First.
type Wait struct{ First, Most, Lasting time.Duration }

// ErrEnough is what a try returns, wrapped or not, that need not be tried again.
var ErrEnough = errors.New("enough")

// errLasted ends a row of tries whose last one lasted.
var errLasted = errors.New("lasted")

// Do tries until the context ends, or a try gives no error or ErrEnough. It gives the
// context's error or nil.
func Do(ctx context.Context, w Wait, try func(context.Context) error) error {
	for {
		err := retry.Do(ctx, retry.WithCappedDuration(w.Most, retry.NewExponential(w.First)),
			func(ctx context.Context) error {
				began := time.Now()
				err := try(ctx)
				switch {
				case err == nil, errors.Is(err, ErrEnough):
					return err
				case w.Lasting > 0 && time.Since(began) > w.Lasting:
					return errLasted
				}
				return retry.RetryableError(err)
			})
		switch {
		case err == nil, errors.Is(err, ErrEnough):
			return nil
		case ctx.Err() != nil:
			return ctx.Err()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(w.First):
		}
	}
}
