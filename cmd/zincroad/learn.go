package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zincroad/core/curve"
	"zincroad/core/forecast"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/vehicle"
	"zincroad/core/words"
)

// learnCommand says what a car's runs taught.
func learnCommand() *cobra.Command {
	var software, profile string
	var asJSON bool
	c := &cobra.Command{
		Use:   "learn RUN RUN…",
		Short: "What a car's runs taught: power against charge and warmth, limits, capacity, with how sure each is",
		Long: "What the runs of one car taught, in one software version and one profile. Where the car held its power,\n" +
			"the runs show what it takes; where the stall did, only that it takes at least so much. Runs of other versions\n" +
			"count as far as the versions are alike. Each run is foretold from the others, too: that is how well the car\n" +
			"is known. A run is a folder, a zip of one, or a log.",
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--profile", profile, run.Profiles[0], run.Profiles[1]); err != nil {
				return err
			}
			runs, err := doneRuns(c.ErrOrStderr(), args)
			if err != nil {
				return err
			}
			car, others := carOf(runs)
			if profile == "" {
				profile = commonProfile(others)
			}
			m, err := learned(car, software, profile, others)
			if err != nil {
				return refused(c.ErrOrStderr(), strings.Join(args, ", "), err)
			}
			doc := m.Document()
			for _, d := range runs {
				if !slices.ContainsFunc(others, func(o forecast.Done) bool { return o.Run == d.Run }) {
					doc.NotUsed = append(doc.NotUsed, vehicle.DocumentNotUsed{Run: d.Run.Title, Why: say.T("vehicle.another-car")})
				}
			}
			doc.HeldOut = forecast.HeldOut(car, profile, others)
			if asJSON {
				return printJSON(c.OutOrStdout(), doc)
			}
			return printLearned(c.OutOrStdout(), doc)
		},
	}
	c.Flags().StringVar(&software, "software", "", "the version to learn (default: the latest run's)")
	c.Flags().StringVar(&profile, "profile", "", "the profile to learn: full or gentle (default: most runs')")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// doneRuns reads runs and what each taught.
func doneRuns(errOut io.Writer, paths []string) ([]forecast.Done, error) {
	runs, err := readRuns(errOut, paths)
	if err != nil {
		return nil, err
	}
	var out []forecast.Done
	for _, r := range runs {
		w := curve.Of(r)
		x := w.Read(curve.Options{Clock: curve.PlugClock})
		out = append(out, forecast.Done{Run: r, Reading: x, Taught: w.Taught()})
	}
	return out, nil
}

// carOf is the car that most of the runs are of, as the latest of them notes it, and the runs that are of it.
func carOf(runs []forecast.Done) (*run.Car, []forecast.Done) {
	name := func(d forecast.Done) string {
		if d.Run.Car == nil {
			return ""
		}
		return d.Run.Car.Name
	}
	count := map[string]int{}
	for _, d := range runs {
		count[name(d)]++
	}
	most := name(runs[len(runs)-1])
	for _, d := range runs {
		if count[name(d)] > count[most] {
			most = name(d)
		}
	}
	var car *run.Car
	var latest forecast.Done
	var of []forecast.Done
	for _, d := range runs {
		if name(d) != most {
			continue
		}
		of = append(of, d)
		if d.Run.Car != nil && (car == nil || d.Run.StartedAt.After(latest.Run.StartedAt)) {
			car, latest = d.Run.Car, d
		}
	}
	return car, of
}

// commonProfile is the profile that most runs were charged in.
func commonProfile(runs []forecast.Done) string {
	gentle := 0
	for _, d := range runs {
		if d.Taught.Car.Profile == run.Profiles[1] {
			gentle++
		}
	}
	if 2*gentle > len(runs) {
		return run.Profiles[1]
	}
	return run.Profiles[0]
}

// learned is what some runs taught of a car; it fails where none says anything.
func learned(car *run.Car, software, profile string, runs []forecast.Done) (*vehicle.Model, error) {
	var lessons []vehicle.Lesson
	for _, d := range runs {
		lessons = append(lessons, d.Taught.Car)
	}
	m := vehicle.Learn(car, software, profile, lessons)
	if m == nil {
		return nil, fmt.Errorf("nothing to learn from: no run in the %s profile has power against charge", profile)
	}
	return m, nil
}

// knownFrom is what the paths given to --learn taught of a car: one file of zincroad-learned/1, or runs.
func knownFrom(errOut io.Writer, paths []string, car *run.Car, profile string) (*vehicle.Model, error) {
	if len(paths) == 0 {
		return nil, nil
	}
	if len(paths) == 1 && strings.HasSuffix(paths[0], ".json") {
		doc, err := os.ReadFile(paths[0])
		var d vehicle.Document
		if err == nil {
			err = json.Unmarshal(doc, &d)
		}
		var m *vehicle.Model
		if err == nil && d.Format == vehicle.Format {
			if m, err = d.Model(); err == nil {
				return m, nil
			}
		}
		if err != nil {
			return nil, refused(errOut, paths[0], err)
		}
	}
	runs, err := doneRuns(errOut, paths)
	if err != nil {
		return nil, err
	}
	noted, of := carOf(runs)
	software := ""
	if car != nil {
		noted, software = car, car.Software
	}
	m, err := learned(noted, software, profile, of)
	if err != nil {
		return nil, refused(errOut, strings.Join(paths, ", "), err)
	}
	return m, nil
}

// printLearned writes what the runs taught as a table.
func printLearned(w io.Writer, d *vehicle.Document) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintf(t, "from\t%d %s, %s profile\n", len(d.Runs), words.Plural(len(d.Runs), "run"), d.Profile)
	for _, n := range d.NotUsed {
		fmt.Fprintf(t, "not used\t%s: %s\n", n.Run, n.Why)
	}
	for _, p := range d.Envelope {
		if int(p.SoCPct*10)%100 == 0 {
			fmt.Fprintf(t, "%.0f %%\t%.0f kW\t%.0f to %.0f\t%s\t%d %s\n", p.SoCPct, p.KW, p.LowKW, p.HighKW, p.Kind, p.Runs,
				words.Plural(p.Runs, "run"))
		}
	}
	for _, s := range d.Warmth {
		fmt.Fprintf(t, "at %.0f °C\t%.0f %% of that\t%.0f to %.0f\n", s.BatteryC, 100*s.Share, 100*s.Low, 100*s.High)
	}
	for _, s := range d.Steps {
		fmt.Fprintf(t, "falls at %.0f %%\tto %.0f kW\n", s.SoCPct, s.ToKW)
	}
	for _, s := range d.Timers {
		fmt.Fprintf(t, "falls after %s\tto %.0f kW\n", words.Clock(s.AfterS), s.ToKW)
	}
	say := func(what string, n run.Number, decimals int, unit string) {
		if v, ok := run.Value(n); ok {
			fmt.Fprintf(t, "%s\t%s %s\n", what, words.Figure(v, decimals), unit)
		}
	}
	say("warm from", d.WarmC, 0, "°C")
	say("too hot from", d.HotC, 0, "°C")
	say("own limit", d.Limits.MaxKW, 0, "kW")
	say("own limit", d.Limits.MaxA, 0, "A")
	say("converter", d.Limits.ConverterKW, 0, "kW")
	if u := d.Usable; u != nil {
		fmt.Fprintf(t, "usable\t%.1f kWh\t%.1f to %.1f\n", u.Value, u.Low, u.High)
	}
	say("resistance", d.Ohm, 3, "Ω at 25 °C")
	say("heat capacity", d.HeatKJK, 0, "kJ/K")
	say("drawn beside", d.AuxKW, 1, "kW")
	say("lost", d.LossPct, 1, "%")
	for _, h := range d.HeldOut {
		within := "inside the range"
		if !h.Within() {
			within = "outside the range"
		}
		fmt.Fprintf(t, "%s\t%.0f–%.0f %% took %s\tforetold %s by the others\t%s\n", h.Run, h.FromPct, h.ToPct,
			words.Clock(h.MeasuredS), words.Clock(h.ForetoldS), within)
	}
	return t.Flush()
}
