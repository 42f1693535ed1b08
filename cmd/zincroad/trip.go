package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zincroad/core/run"
	"zincroad/core/trip"
	"zincroad/core/words"
	"zincroad/formats/intake"
	"zincroad/formats/tripfile"
)

// tripCommand finds where to stop on a way.
func tripCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "trip TRIP.json",
		Short: "Where to stop on a way, with how much charge, for how long",
		Long: "Finds the stops of a trip: the best by what it weighs (minutes, money or stops), then how people go\n" +
			"otherwise. No plan arrives at a stop with less than the reserve. Forecasts are no promise: look at the charge\n" +
			"on the way, and leave earlier what goes down faster.",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			out, errOut := c.OutOrStdout(), c.ErrOrStderr()
			path := args[0]
			doc, err := os.ReadFile(path)
			if err != nil {
				complain(errOut, intake.Refusal(path, err), 0)
				return errBadInput
			}
			beside := func(file string) string {
				if filepath.IsAbs(file) {
					return file
				}
				return filepath.Join(filepath.Dir(path), file)
			}
			t, learned, err := tripfile.Read(doc, path, func(file string) ([]byte, error) {
				return os.ReadFile(beside(file))
			})
			if err != nil {
				complain(errOut, intake.Refusal(path, err), 0)
				return errBadInput
			}
			if learned != "" {
				profile := run.Profiles[0]
				if t.Gentle {
					profile = run.Profiles[1]
				}
				if t.Known, err = knownFrom(errOut, []string{beside(learned)}, t.Car, profile); err != nil {
					return err
				}
			}
			plans, err := trip.Find(t)
			if err != nil {
				return refused(errOut, path, err)
			}
			if asJSON {
				return printJSON(out, plans.Document(&t))
			}
			return printTrip(out, &t, plans)
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// printTrip writes plans as a table, each with its stops.
func printTrip(w io.Writer, t *trip.Trip, plans *trip.Plans) error {
	if plans.Unreachable.Any() {
		fmt.Fprintln(w, plans.Unreachable)
	}
	out := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, p := range plans.Plans {
		cost := ""
		if p.Currency != "" {
			cost = fmt.Sprintf("\t%.2f %s", p.Cost, p.Currency)
		}
		fmt.Fprintf(out, "%s\t%s\t%s driving, %s charging, %s beside%s\tarrives with %s\n", p.Name,
			words.Clock(p.Minutes*60), words.Clock(p.DrivingMin*60), words.Clock(p.ChargingMin*60),
			words.Clock(p.OverheadMin*60), cost, words.Percent(p.ArrivePct))
		for _, s := range p.Stops {
			fmt.Fprintf(out, "  km %s\t%s\t%.0f to %.0f %%\t%s\t%.1f kWh\t%s\n", words.Figure(t.Sites[s.Site].AtKm, 0),
				t.Sites[s.Site].Name, s.ArrivePct, s.LeavePct, words.Clock(s.ChargeMin*60), s.EnergyKWh, s.Why)
		}
	}
	return out.Flush()
}
