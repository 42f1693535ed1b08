package main

import (
	"fmt"
	"io"
	"os"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zincroad/core/forecast"
	"zincroad/core/limit"
	"zincroad/core/pack"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/stall"
	"zincroad/core/units"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
)

// planned reads the run.json of a run to come, with its car.
func planned(errOut io.Writer, path string) (*run.Run, error) { return plannedFor(errOut, path, true) }

// plannedFor is planned where a car may have to be noted, or not.
func plannedFor(errOut io.Writer, path string, needsCar bool) (*run.Run, error) {
	doc, err := os.ReadFile(path)
	if err == nil {
		var r *run.Run
		if r, err = runfolder.Plan(doc, path); err == nil {
			if r.Car != nil || !needsCar {
				return r, nil
			}
			err = &runfolder.FaultError{
				Faults: []csvlog.Fault{{File: path, Line: 1, Reason: "car: expected the car to work with"}},
			}
		}
	}
	complain(errOut, intake.Refusal(path, err), 0)
	return nil, errBadInput
}

func refused(errOut io.Writer, what string, err error) error {
	fmt.Fprintf(errOut, "%s: %v\n", what, err)
	return errBadInput
}

func printJSON(out io.Writer, v any) error {
	return say.WriteJSON(out, v, units.People{})
}

// checkShare checks how much of its label a stall is taken to give.
func checkShare(errOut io.Writer, pct float64) error {
	if pct > 0 && pct <= 120 {
		return nil
	}
	return refused(errOut, "--stall-share", fmt.Errorf("%g, expected more than 0 and no more than 120 %%", pct))
}

// planFlags adds the flags that fit and forecast share.
func planFlags(c *cobra.Command, path *string, share *float64, asJSON *bool) {
	c.Flags().StringVar(path, "run", "", "the run.json with car, stall and adapter")
	c.Flags().Float64Var(share, "stall-share", 100,
		"what the stall gives of its label, in percent; a 150 kW stall often gives 130 to 135, which is 88")
	c.Flags().BoolVar(asJSON, "json", false, "print one JSON object")
	_ = c.MarkFlagRequired("run")
}

func fitCommand() *cobra.Command {
	var path string
	var share float64
	var asJSON bool
	c := &cobra.Command{
		Use: "fit --run run.json",
		Short: "What could hold this car at this stall: the ceilings against state of charge, lowest first, for " +
			"a warm pack",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			out, errOut := c.OutOrStdout(), c.ErrOrStderr()
			if err := checkShare(errOut, share); err != nil {
				return err
			}
			r, err := planned(errOut, path)
			if err != nil {
				return err
			}
			gentle := r.Conditions != nil && r.Conditions.Profile == "gentle"
			f, err := stall.FitOf(r.Car, r.Stall, r.Adapter, limit.Assumptions{PowerSharePct: share}, gentle)
			if err != nil {
				return refused(errOut, path, err)
			}
			if asJSON {
				return printJSON(out, f.Document())
			}
			return printFit(out, f)
		},
	}
	planFlags(c, &path, &share, &asJSON)
	return c
}

// printFit writes a fit as a table: every tenth per cent of charge, the lowest ceiling first.
func printFit(w io.Writer, f *stall.Fit) error {
	if f.Reason.Any() {
		fmt.Fprintln(w, f.Reason)
	}
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	if f.Fits {
		fmt.Fprintln(t, "charge\tpack\tholds\tthen")
	}
	for _, a := range f.At {
		if int(a.SoCPct)%10 != 0 {
			continue
		}
		fmt.Fprintf(t, "%.0f %%\t%.0f V", a.SoCPct, a.PackV)
		for i, c := range a.Ceilings {
			if i < 3 {
				fmt.Fprintf(t, "\t%.0f kW %s", c.KW, c.Cause.Words())
			}
		}
		fmt.Fprintln(t)
	}
	for _, what := range f.Limits.NotKnown {
		fmt.Fprintf(t, "not given: %s\n", what)
	}
	printAssumed(t, f.Assumed)
	return t.Flush()
}

func printAssumed(w io.Writer, list []pack.Assumption) {
	for _, a := range list {
		fmt.Fprintf(w, "assumed: %s %s (%s)\n", a.What, a.Value, a.From)
	}
}

func forecastCommand() *cobra.Command {
	var path string
	var learn []string
	var from, to, batteryC, ambientC, climateKW, share float64
	var asJSON bool
	c := &cobra.Command{
		Use:   "forecast --run run.json --from 10 --to 80 --battery-c 20 --ambient-c 5",
		Short: "Work a session out in advance: posts, windows, peak, energy, cost and battery temperature",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			out, errOut := c.OutOrStdout(), c.ErrOrStderr()
			if err := checkShare(errOut, share); err != nil {
				return err
			}
			if !(climateKW >= 0 && climateKW <= 30) {
				return refused(errOut, "--climate-kw", fmt.Errorf("%g, expected 0 to 30", climateKW))
			}
			r, err := plannedFor(errOut, path, len(learn) == 0)
			if err != nil {
				return err
			}
			plan := forecast.Plan{
				Car:       r.Car,
				Stall:     r.Stall,
				Adapter:   r.Adapter,
				FromPct:   from,
				ToPct:     to,
				AmbientC:  ambientC,
				ClimateKW: climateKW,
				Assumed:   limit.Assumptions{PowerSharePct: share},
			}
			battery := batteryC
			if cond := r.Conditions; cond != nil {
				plan.Gentle = cond.Profile == "gentle"
				if v, ok := run.Value(cond.AmbientC); ok && !c.Flags().Changed("ambient-c") {
					plan.AmbientC = v
				}
				if v, ok := run.Value(cond.BatteryC); ok && !c.Flags().Changed("battery-c") {
					battery = v
				}
			}
			plan.Battery = pack.Nodes{ColdestC: battery, WarmestC: battery}
			profile := run.Profiles[0]
			if plan.Gentle {
				profile = run.Profiles[1]
			}
			if plan.Known, err = knownFrom(errOut, learn, r.Car, profile); err != nil {
				return err
			}
			f, err := forecast.Of(plan, forecast.DefaultUncertainty)
			if err != nil {
				return refused(errOut, path, err)
			}
			if asJSON {
				return printJSON(out, f.Document(plan))
			}
			return printForecast(out, f)
		},
	}
	c.Flags().StringArrayVar(&learn, "learn", nil,
		"a run of this car, or what its runs taught, which stands in for what run.json does not note; again for each run")
	c.Flags().Float64Var(&from, "from", 10, "state of charge at plug-in, percent")
	c.Flags().Float64Var(&to, "to", 80, "state of charge to stop at, percent")
	c.Flags().Float64Var(&batteryC, "battery-c", 20,
		"battery temperature at plug-in, °C (default: the run's conditions, else 20)")
	c.Flags().Float64Var(&ambientC, "ambient-c", 15, "temperature outside, °C (default: the run's conditions, else 15)")
	c.Flags().Float64Var(&climateKW, "climate-kw", 0, "what the cabin draws while charging, kW")
	planFlags(c, &path, &share, &asJSON)
	return c
}

// printForecast writes a session worked out in advance for people: posts, then what holds it.
func printForecast(w io.Writer, f *forecast.Forecast) error {
	if f.Note.Any() {
		fmt.Fprintln(w, f.Note)
	}
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	between := func(low, high float64) string {
		if high != high {
			return words.Clock(low) + " to never"
		}
		return words.Clock(low) + " to " + words.Clock(high)
	}
	for _, p := range f.Posts {
		fmt.Fprintf(t, "%s %%\t%s\t%s\n", words.Figure(p.SoCPct, 1), words.Clock(p.TS), between(p.LowS, p.HighS))
	}
	for _, x := range f.Windows {
		fmt.Fprintf(t, "%s–%s %%\t%s\t%s\t%.1f kWh\t%.0f kW on average\n", words.Figure(x.FromPct, 1),
			words.Figure(x.ToPct, 1), words.Clock(x.TS), between(x.LowS, x.HighS), x.EnergyKWh, x.AverageKW)
	}
	if f.Peak != nil {
		fmt.Fprintf(t, "peak\t%.0f kW\tat %.0f %%\n", f.Peak.KW, f.Peak.SoCPct)
		fmt.Fprintf(t, "energy\t%.1f kWh\tof which %.1f into the pack, %.1f lost, %.1f drawn beside\n",
			f.Energy.StallKWh, f.Energy.CarKWh, f.Energy.LossKWh, f.Energy.AuxKWh)
		fmt.Fprintf(t, "battery\t%.0f °C\tat the end %.0f to %.0f °C\n", f.Battery.StartC, f.Battery.EndMinC,
			f.Battery.EndMaxC)
	}
	for _, h := range f.Ceilings {
		fmt.Fprintf(t, "%s to %s\theld by %s\n", words.Clock(h.FromS), words.Clock(h.ToS), h.Cause.Words())
	}
	if f.Bill != nil {
		fmt.Fprintf(t, "cost\t%.2f %s\n", f.Bill.Total, f.Bill.Currency)
	}
	printAssumed(t, f.Assumed)
	return t.Flush()
}
