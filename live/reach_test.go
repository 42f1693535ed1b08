package live

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// With a resolver and a dialler of its own: only addresses on this machine and on its own private networks, or in
// those it was given, are dialled; what a name led to is what is dialled; and whatever fails is told the same.
func TestReach(t *testing.T) {
	names := map[string][]netip.Addr{
		"adapter.wend":   {netip.MustParseAddr("192.168.4.1")},
		"elsewhere.wend": {netip.MustParseAddr("203.0.113.9")},
		"two.wend":       {netip.MustParseAddr("192.168.4.1"), netip.MustParseAddr("169.254.169.254")},
	}
	var dialled []string
	r := Reach{
		Also:     []netip.Prefix{netip.MustParsePrefix("198.51.100.0/28")},
		Networks: func() ([]netip.Prefix, error) { return []netip.Prefix{netip.MustParsePrefix("192.168.4.0/24")}, nil },
		Resolve: func(_ context.Context, host string) ([]netip.Addr, error) {
			if a, ok := names[host]; ok {
				return a, nil
			}
			return nil, errors.New("no such host")
		},
		Dial: func(_ context.Context, _, address string) (net.Conn, error) {
			if dialled = append(dialled, address); address == "127.0.0.1:1" {
				return nil, errors.New("connection refused")
			}
			here, there := net.Pipe()
			t.Cleanup(func() { here.Close(); there.Close() })
			return here, nil
		},
	}
	for address, to := range map[string]string{
		"127.0.0.1:35000": "127.0.0.1:35000", "[::1]:35000": "[::1]:35000", "192.168.4.1:35000": "192.168.4.1:35000",
		"adapter.wend:35000": "192.168.4.1:35000", "198.51.100.14:7": "198.51.100.14:7",
	} {
		dialled = nil
		_, err := r.connect(t.Context(), address)
		assert.NoError(t, err, address)
		assert.Equal(t, []string{to}, dialled, address)
	}
	dialled = nil
	for _, address := range []string{"203.0.113.9:80", "elsewhere.wend:80", "169.254.169.254:80", "two.wend:80",
		"10.0.0.7:22",
		"[fe80::1]:80", "[fe80::1%eth0]:80", "0.0.0.0:80", "[::]:80", "224.0.0.1:80", "198.51.100.16:7", "[::ffff:169.254.169.254]:80",
		"nowhere.wend:80", "no port", "192.168.5.1:35000"} {
		_, err := r.connect(t.Context(), address)
		assert.ErrorIs(t, err, errUnreached, address)
	}
	assert.Empty(t, dialled, "none of them was so much as tried")
	_, err := r.connect(t.Context(), "127.0.0.1:1")
	assert.Equal(t, errUnreached, err, "refused is told as anything else")
}
