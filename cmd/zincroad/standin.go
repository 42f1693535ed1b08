package main

import (
	"context"
	_ "embed"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"zincroad/formats/profile"
	"zincroad/standin"
)

//go:embed scenario.json
var exampleScenario []byte

type standinFlags struct {
	scenario, profile, adapter, centre, name, screen string
	speed, every                                     float64
	seed                                             uint64
	show                                             bool
}

func standinCommand() *cobra.Command {
	var f standinFlags
	c := &cobra.Command{
		Use: "standin", Short: "Simulate a car's diagnostic adapter and a charger, for practising", Args: cobra.NoArgs,
		Long: "Simulates one charging session from both ends: the car's diagnostic adapter on TCP, and a " +
			"charger that reports\n" +
			"to Zinc Road by the open charge-point protocol 1.6 and has a screen of its own. An empty address " +
			"leaves an end out.",
		RunE: func(c *cobra.Command, _ []string) error { return f.run(c.Context()) },
	}
	c.Flags().StringVar(&f.scenario, "scenario", "", "file with what happens (default: an example; --show prints it)")
	c.Flags().StringVar(&f.profile, "profile", "", "file with what the car answers to (default: the example profile)")
	c.Flags().StringVar(&f.adapter, "adapter", "127.0.0.1:35000", "where the adapter listens")
	c.Flags().StringVar(
		&f.centre,
		"centre",
		"ws://127.0.0.1:8460/ocpp/",
		"where the charger reports to, without its name",
	)
	c.Flags().StringVar(&f.name, "name", "FULLING-3", "the charger's name")
	c.Flags().StringVar(&f.screen, "screen", "127.0.0.1:8470", "where the charger's screen is shown")
	c.Flags().Float64Var(&f.speed, "speed", 1, "times faster than real time, up to 120; give serve or demo the same")
	c.Flags().Float64Var(&f.every, "every", 5, "seconds between the charger's meter values, by the simulated clock")
	c.Flags().Uint64Var(&f.seed, "seed", 1, "of what differs from day to day")
	c.Flags().BoolVar(&f.show, "show", false, "print the example scenario and profile, and end")
	return c
}

func (f *standinFlags) run(ctx context.Context) error {
	if f.show {
		fmt.Printf("%s\n%s\n", exampleScenario, profile.Example())
		return nil
	}
	if !(f.speed >= 0.1 && f.speed <= 120) {
		return complainUsage("--speed %g: expected 0.1 to 120", f.speed)
	}
	if !(f.every >= 0.1 && f.every <= 3600) {
		return complainUsage("--every %g: expected 0.1 to 3600", f.every)
	}
	sc, err := standin.ReadScenario(orFile(f.scenario, exampleScenario))
	if err != nil {
		return complainUsage("%s: %v", orName(f.scenario), err)
	}
	p, err := profile.Parse(orFile(f.profile, profile.Example()))
	if err != nil {
		return complainUsage("%s: %v", orName(f.profile), err)
	}
	w, err := standin.NewWorld(sc, f.speed, f.seed)
	if err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, nil))
	g, ctx := errgroup.WithContext(ctx)
	if f.adapter != "" {
		l, err := net.Listen("tcp", f.adapter)
		if err != nil {
			return fmt.Errorf("the adapter: %w", err)
		}
		fmt.Printf("The car's adapter is at %s.\n", l.Addr())
		g.Go(func() error { return (&standin.Adapter{World: w, Profile: p, Log: log}).Serve(ctx, l) })
	}
	if f.centre != "" {
		fmt.Printf("The charger %s reports to %s%s.\n", f.name, f.centre, f.name)
		g.Go(func() error {
			return (&standin.Charger{World: w, URL: f.centre + f.name, EveryS: f.every, Log: log}).Run(ctx)
		})
	}
	if f.screen != "" {
		l, err := net.Listen("tcp", f.screen)
		if err != nil {
			return fmt.Errorf("the screen: %w", err)
		}
		fmt.Printf("Its screen is at http://%s/.\n", l.Addr())
		srv := &http.Server{Handler: &standin.Screen{World: w}, ReadHeaderTimeout: 5 * time.Second}
		context.AfterFunc(ctx, func() { srv.Close() })
		g.Go(func() error {
			if err := srv.Serve(l); err != http.ErrServerClosed {
				return fmt.Errorf("the screen: %w", err)
			}
			return nil
		})
	}
	return g.Wait()
}

func orFile(path string, otherwise []byte) []byte {
	if path == "" {
		return otherwise
	}
	content, err := os.ReadFile(path)
	if err != nil {
		return nil
	}
	return content
}

func orName(path string) string {
	if path == "" {
		return "the example"
	}
	return path
}

// complainUsage says one sentence on standard error and ends with what bad input
// ends with.
func complainUsage(format string, args ...any) error {
	fmt.Fprintf(os.Stderr, format+"\n", args...)
	return errBadInput
}
