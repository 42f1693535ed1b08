package ui

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
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

// Queue bounds what requests with files hold, all of them together.
type Queue struct {
	Held     *semaphore.Weighted // bytes of bodies that are looked at
	Unpacked *semaphore.Weighted // what files come to beside that, see Hold
	Coming   *semaphore.Weighted // bodies on their way
	Patience time.Duration       // after so long of waiting for the others one is told to come again
}

// NewQueue has room for bodies of MostHeld in all.
func NewQueue(patience time.Duration) *Queue {
	return &Queue{Held: semaphore.NewWeighted(MostHeld), Unpacked: semaphore.NewWeighted(MostHeld),
		Coming: semaphore.NewWeighted(mostComing), Patience: patience}
}

// mostComing is how many bodies are on their way at once, and passedOn up to which size one takes no room worth
// counting.
const (
	arriveIn   = "/var/tmp" // a disk, where /tmp may be memory
	mostComing = 32
	passedOn   = 1 << 20
)

// Take lets a request in when all of its body is here, as long as the bodies fit together; all is free when it ends.
// Until then a body lies on the disk: who sends slowly keeps nobody waiting.
func (q *Queue) Take(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		t := &turn{unpacked: q.Unpacked, patience: q.Patience}
		defer func() { q.Unpacked.Release(t.got) }()
		if r.ContentLength < 0 || r.ContentLength > passedOn {
			if !acquire(r.Context(), q.Coming, 1, q.Patience) {
				busy(w)
				return
			}
			size, err := arrive(r)
			q.Coming.Release(1)
			if err != nil {
				http.Error(w, "There is no room to take a file in; tell whoever runs the program.",
					http.StatusInsufficientStorage)
				return
			}
			defer r.Body.Close()
			size = max(1, min(size, MostHeld))
			if !acquire(r.Context(), q.Held, size, q.Patience) {
				busy(w)
				return
			}
			defer q.Held.Release(size)
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), turnKey{}, t)))
	})
}

func busy(w http.ResponseWriter) {
	w.Header().Set("Retry-After", "60")
	http.Error(w, Sentence(ErrBusy.Error()), http.StatusServiceUnavailable)
}

// arrive has a body lie in a file without a name, as much of it as any form takes and a byte more. One that breaks off
// breaks off at the same place when it is read. The error is the disk's.
func arrive(r *http.Request) (size int64, err error) {
	f, err := os.CreateTemp(arriveIn, "zincroad-body-")
	if err != nil {
		return 0, fmt.Errorf("taking a body in: %w", err)
	}
	if err := os.Remove(f.Name()); err != nil {
		return 0, errors.Join(fmt.Errorf("taking a body in: %w", err), f.Close())
	}
	came := &broken{r: io.LimitReader(r.Body, mostSent+1)}
	if size, err = io.Copy(f, came); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return 0, errors.Join(fmt.Errorf("taking a body in: %w", err), f.Close())
	}
	r.Body = &lying{f, came.err}
	return size, nil
}

// broken reads to the end or to where its reader fails, and keeps why.
type broken struct {
	r   io.Reader
	err error
}

// Read implements io.Reader.
func (b *broken) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	if err != nil && err != io.EOF {
		b.err, err = err, io.EOF
	}
	return n, err
}

// lying is a body that is here, with the error at its end.
type lying struct {
	*os.File
	err error
}

// Read implements io.Reader.
func (l *lying) Read(p []byte) (int, error) {
	n, err := l.File.Read(p)
	if err == io.EOF && l.err != nil {
		err = l.err
	}
	return n, err
}

func acquire(ctx context.Context, from *semaphore.Weighted, n int64, patience time.Duration) bool {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return from.Acquire(ctx, n) == nil
}

// Hold waits until a request may hold so many bytes more than its body, until it ends; once in a request, since two
// that each wait for more would wait for ever. It fails with ErrBusy. Outside of a Queue nothing is counted.
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
