package ui

import (
	"context"
	"errors"
	"net/http"
	"time"

	"golang.org/x/sync/semaphore"
)

// MostHeld is how many bytes of bodies are held at once, in all, and how many of what files unpack to or were kept
// as: more wait for their turn, so that any number of large files at once takes no more memory than a few.
const MostHeld = MaxUpload

// ErrBusy is what a request hears that has waited for its turn for as long as the others take.
var ErrBusy = errors.New("other files are being taken in; send this one again in a minute")

// turn is what a request under way holds.
type turn struct {
	unpacked *semaphore.Weighted
	patience time.Duration
	got      int64
}

type turnKey struct{}

// Queued lets requests in as long as their bodies fit together into what held has, bytes, and lets them hold more by
// Hold, as much as unpacked has; all of it is free when they end. One that has waited for longer than its patience
// is told to come again.
func Queued(held, unpacked *semaphore.Weighted, patience time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			size := r.ContentLength
			if size < 0 || size > MostHeld {
				size = MostHeld // its bound is looked at while it is read
			}
			if size > 0 {
				if !acquire(r.Context(), held, size, patience) {
					w.Header().Set("Retry-After", "60")
					http.Error(w, Sentence(ErrBusy.Error()), http.StatusServiceUnavailable)
					return
				}
				defer held.Release(size)
			}
			t := &turn{unpacked: unpacked, patience: patience}
			defer func() { unpacked.Release(t.got) }()
			next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), turnKey{}, t)))
		})
	}
}

func acquire(ctx context.Context, from *semaphore.Weighted, n int64, patience time.Duration) bool {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return from.Acquire(ctx, n) == nil
}

// Hold waits until a request may hold so many bytes more than its body, until it ends; once in a request, since two
// that each wait for more would wait for ever. It fails with ErrBusy. Outside of Queued nothing is counted.
func Hold(ctx context.Context, n int64) error {
	t, ok := ctx.Value(turnKey{}).(*turn)
	if !ok || t.got > 0 || n <= 0 {
		return nil
	}
	n = min(n, MostHeld)
	if !acquire(ctx, t.unpacked, n, t.patience) {
		return ErrBusy
	}
	t.got = n
	return nil
}
