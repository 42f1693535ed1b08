package main

import (
	"context"
	"net"
	"net/netip"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"zincroad/live"
	"zincroad/logbook"
	"zincroad/web"
	"zincroad/web/access"
)

// door says where the program listens, and to whom it answers.
type door struct {
	listen    string
	hosts     []string
	behindTLS bool
	metrics   string   // where metrics are served; empty: nowhere
	adapters  []string // networks of adapters beside the machine's own
	provider  access.Provider
	secret    string  // the file with what this program shows the provider
	speed     float64 // how many times faster the clock of live runs goes
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
	c.Flags().StringVar(&d.provider.Issuer, "oidc-issuer", "",
		"address of an OpenID Connect provider that people of a crew can sign in with")
	c.Flags().StringVar(&d.provider.Name, "oidc-name", "the provider", "what people call it")
	c.Flags().StringVar(&d.provider.ClientID, "oidc-client", "zincroad", "what it calls this program")
	c.Flags().StringVar(&d.secret, "oidc-secret-file", "", "file with the secret that it gave this program")
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

// trust tells the pages of the provider, where one is named.
func (d *door) trust(site *web.Server) error {
	if d.provider.Issuer == "" {
		return nil
	}
	if d.secret != "" {
		b, err := os.ReadFile(d.secret)
		if err != nil {
			return complainUsage("--oidc-secret-file: %v", err)
		}
		d.provider.Secret = strings.TrimSpace(string(b))
	}
	site.Trust(d.provider)
	return nil
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
