package live

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"slices"
)

// Reach decides which adapters are dialled: those on this machine, on a private network that it is on itself,
// and in the networks it was given. So a page that names an address is no way to look around in a network that
// the program can reach and the reader cannot.
type Reach struct {
	Also []netip.Prefix // networks beside these

	// What follows is the machine's own where it is nil.

	Networks func() ([]netip.Prefix, error)
	Resolve  func(ctx context.Context, host string) ([]netip.Addr, error)
	Dial     func(ctx context.Context, network, address string) (net.Conn, error)
}

// errUnreached is what every failure to get to an adapter is told as: which of them it was would tell what is
// there.
var errUnreached = errors.New(
	"the adapter is not reached: expected the address of one on this machine's own network, " +
		"switched on and free",
)

// connect dials an adapter. A name is looked up once, and what it led to is what is dialled: it cannot lead
// elsewhere in between.
func (r *Reach) connect(ctx context.Context, address string) (net.Conn, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, errUnreached
	}
	addrs, err := r.addresses(ctx, host)
	if err != nil || len(addrs) == 0 {
		return nil, errUnreached
	}
	own, err := r.networks()
	if err != nil {
		return nil, errUnreached
	}
	for _, a := range addrs { // one that may not is enough: a name of two is no name of an adapter
		if !r.may(a, own) {
			return nil, errUnreached
		}
	}
	dial := r.Dial
	if dial == nil {
		dial = (&net.Dialer{Timeout: dialWait}).DialContext
	}
	c, err := dial(ctx, "tcp", net.JoinHostPort(addrs[0].String(), port))
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, errUnreached
	}
	return c, nil
}

// may tells whether an address may be dialled. Those of a link alone never are: machines in clouds answer there
// with their own secrets.
func (r *Reach) may(a netip.Addr, own []netip.Prefix) bool {
	a = a.Unmap()
	switch {
	case !a.IsValid() || a.Zone() != "" || a.IsUnspecified() || a.IsMulticast() || a.IsLinkLocalUnicast():
		return false
	case a.IsLoopback():
		return true
	}
	within := func(p netip.Prefix) bool { return p.Contains(a) }
	return slices.ContainsFunc(r.Also, within) || a.IsPrivate() && slices.ContainsFunc(own, within)
}

func (r *Reach) addresses(ctx context.Context, host string) ([]netip.Addr, error) {
	if a, err := netip.ParseAddr(host); err == nil {
		return []netip.Addr{a}, nil
	}
	if r.Resolve != nil {
		return r.Resolve(ctx, host)
	}
	return net.DefaultResolver.LookupNetIP(ctx, "ip", host)
}

// networks are those that the machine's interfaces are on.
func (r *Reach) networks() ([]netip.Prefix, error) {
	if r.Networks != nil {
		return r.Networks()
	}
	all, err := net.InterfaceAddrs()
	if err != nil {
		return nil, err
	}
	var out []netip.Prefix
	for _, a := range all {
		if p, err := netip.ParsePrefix(a.String()); err == nil {
			out = append(out, netip.PrefixFrom(p.Addr().Unmap(), p.Bits()).Masked())
		}
	}
	return out, nil
}
