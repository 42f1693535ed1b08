package standin

// Frames cuts a message into the CAN frames of ISO 15765-4: a single frame up to
// seven bytes, else a first frame with the length in twelve bits and consecutive
// frames counted from 1, round after 15. Every frame has eight bytes; what is left
// over is padded with 0xAA, as the standard recommends (from memory).
func Frames(message []byte) [][]byte {
	pad := func(b []byte) []byte {
		for len(b) < 8 {
			b = append(b, 0xAA)
		}
		return b
	}
	if len(message) <= 7 {
		return [][]byte{pad(append([]byte{byte(len(message))}, message...))}
	}
	out := [][]byte{append([]byte{0x10 | byte(len(message)>>8), byte(len(message))}, message[:6]...)}
	rest := message[6:]
	for n := 1; len(rest) > 0; n++ {
		k := min(7, len(rest))
		out = append(out, pad(append([]byte{0x20 | byte(n&0x0F)}, rest[:k]...)))
		rest = rest[k:]
	}
	return out
}
