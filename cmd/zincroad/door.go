package main

import (
	"context"
	"net"
	"net/netip"

	"github.com/spf13/cobra"

	"zincroad/live"
	"zincroad/logbook"
)

// door says where the program listens, and to whom it answers.
type door struct {
	listen    string
	hosts     []string
	behindTLS bool
	metrics   string   // where metrics are served; empty: nowhere
	adapters  []string // networks of adapters beside the machine's own
	speed     float64  // how many times faster the clock of live runs goes
}

func (d *door) flags(c *cobra.Command) {
	c.Flags().StringVar(&d.listen, "listen", "",
		"address to listen on (default 127.0.0.1 and the first free port from 8460); beyond this machine it needs a "+
			"password, see passwd")
	c.Flags().StringSliceVar(&d.hosts, "host", nil, "a name that the program goes by, beside localhost; can be repeated")
	c.Flags().StringSliceVar(&d.adapters, "adapter-net", nil,
		"a network, such as 10.20.0.0/16, on which adapters may be dialled beside this machine's own private ones")
	c.Flags().StringVar(&d.metrics, "metrics", "", "address to serve metrics on, such as 127.0.0.1:9460 (default: none)")
	c.Flags().BoolVar(&d.behindTLS, "behind-tls", false, "a proxy in front speaks TLS: cookies are for TLS alone")
	c.Flags().Float64Var(&d.speed, "speed", 1,
		"run the clock of live runs so many times faster, for a stand-in of the same speed")
}

// open listens, and tells by which names the program goes: those of --host, and the address itself where it
// is one of this machine's. It refuses to listen beyond the machine where no password is set.
func (d *door) open(ctx context.Context, book *logbook.Book) (net.Listener, []string, error) {
	if host, _, err := net.SplitHostPort(d.listen); d.listen != "" && err == nil && !loopback(host) {
		at, err := book.Door(ctx)
		if err != nil {
			return nil, nil, err
		}
		if at.Open() {
			return nil, nil, complainUsage("--listen %s reaches beyond this machine, and nothing keeps strangers out: "+
				"zincroad crew add NAME --role keeper begins a crew, zincroad passwd sets one password for all", d.listen)
		}
	}
	l, err := listenOn(d.listen)
	if err != nil {
		return nil, nil, err
	}
	names := d.hosts
	if host, _, err := net.SplitHostPort(l.Addr().String()); err == nil && !net.ParseIP(host).IsUnspecified() {
		names = append(names, host)
	}
	return l, names, nil
}

// reach is where adapters may be.
func (d *door) reach() (r live.Reach, err error) {
	for _, text := range d.adapters {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			return r, complainUsage("--adapter-net %q: expected a network such as 10.20.0.0/16", text)
		}
		r.Also = append(r.Also, p.Masked())
	}
	return r, nil
}

// loopback tells whether a host to listen on is this machine's alone.
func loopback(host string) bool {
	if host == "localhost" {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}
