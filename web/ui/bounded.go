package ui

import (
	"bytes"
	"errors"
)

// ErrBounded is returned by a Bounded for more than it takes.
var ErrBounded = errors.New("they come to more than is sent at once")

// Bounded is a buffer that takes so many bytes and no more.
type Bounded struct {
	bytes.Buffer
	Most int
}

// Write implements io.Writer.
func (b *Bounded) Write(p []byte) (int, error) {
	if b.Len()+len(p) > b.Most {
		return 0, ErrBounded
	}
	return b.Buffer.Write(p)
}
