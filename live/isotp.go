package live

import (
	"errors"
	"fmt"
)

// Errors of messages in frames.
var (
	ErrFrame    = errors.New("a frame that is none")
	ErrSequence = errors.New("consecutive frames out of order")
)

// assembly puts the frames of one control unit back into messages, by ISO 15765-2:
// a single frame (0x0L), a first frame (0x1LLL) and consecutive frames (0x2N).
type assembly struct {
	want int // bytes; 0: nothing begun
	got  []byte
	next byte
}

// add takes a frame and gives a whole message when it ends one.
func (a *assembly) add(f []byte) ([]byte, error) {
	if len(f) == 0 {
		return nil, ErrFrame
	}
	switch f[0] >> 4 {
	case 0:
		n := int(f[0] & 0x0F)
		if n == 0 || n > 7 || len(f) < n+1 {
			return nil, fmt.Errorf("%w: single frame of %d bytes says %d", ErrFrame, len(f), n)
		}
		a.want = 0
		return f[1 : n+1], nil
	case 1:
		if len(f) < 8 {
			return nil, fmt.Errorf("%w: first frame of %d bytes", ErrFrame, len(f))
		}
		a.want, a.next = int(f[0]&0x0F)<<8|int(f[1]), 1
		a.got = append(a.got[:0], f[2:8]...)
		if a.want <= 7 {
			a.want = 0
			return nil, fmt.Errorf("%w: first frame of a short message", ErrFrame)
		}
		return nil, nil
	case 2:
		if a.want == 0 {
			return nil, fmt.Errorf("%w: none was begun", ErrSequence)
		}
		if f[0]&0x0F != a.next {
			a.want = 0
			return nil, fmt.Errorf("%w: number %d, expected %d", ErrSequence, f[0]&0x0F, a.next)
		}
		a.next = (a.next + 1) & 0x0F
		a.got = append(a.got, f[1:]...)
		if len(a.got) >= a.want {
			whole := a.got[:a.want]
			a.want = 0
			return append([]byte(nil), whole...), nil
		}
		return nil, nil
	case 3:
		return nil, nil // flow control is between the adapter and the car
	}
	return nil, fmt.Errorf("%w: kind %d", ErrFrame, f[0]>>4)
}
