package main

import (
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zincroad/core/curve"
	"zincroad/core/figure"
	"zincroad/core/run"
	"zincroad/core/say"
	"zincroad/core/trace"
	"zincroad/core/words"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/typed"
)

// helpWith is a command's help, with what its figures mean, as the pages say it.
func helpWith(intro string, figures []figure.Text) string {
	var b strings.Builder
	b.WriteString(intro + "\n")
	for _, f := range figures {
		b.WriteString("\n" + f.Name)
		if f.Unit != "" {
			b.WriteString(", " + f.Unit)
		}
		b.WriteString(":\n")
		line := " "
		for word := range strings.FieldsSeq(f.Definition) {
			if len(line)+len(word) > 86 {
				b.WriteString(line + "\n")
				line = " "
			}
			line += " " + word
		}
		b.WriteString(line + "\n")
	}
	return b.String()
}

func readCommand() *cobra.Command {
	var clock, side string
	var asJSON bool
	c := &cobra.Command{
		Use:   "read RUN",
		Short: "Work out the figures of a run folder, a zip of one, a CSV or a text of typed readings",
		Long: helpWith("Work out the figures of a run folder, a zip of one, a CSV or a text of typed readings.",
			curve.Figures.Texts()),
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--clock", clock, "plug", "power"); err != nil {
				return err
			}
			if err := oneOf("--side", side, "car", "stall"); err != nil {
				return err
			}
			return read(c.OutOrStdout(), c.ErrOrStderr(), args[0],
				curve.Options{Clock: curve.Clock(clock), Side: trace.Side(side)}, asJSON)
		},
	}
	c.Flags().StringVar(&clock, "clock", "",
		"count times from plug-in or from first power: plug or power (default: the run's method)")
	c.Flags().StringVar(&side, "side", "",
		"whose power to read: car or stall (default: the stall's where it was recorded)")
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// oneOf checks a flag's value; a wrong one is bad input.
func oneOf(flag, value string, allowed ...string) error {
	if value == "" || slices.Contains(allowed, value) {
		return nil
	}
	fmt.Fprintf(os.Stderr, "%s: %q, expected %s or %s\n", flag, value, allowed[0], allowed[1])
	return errBadInput
}

// read prints a run's figures. What is no reading is left out of them and listed on standard error.
func read(out, errOut io.Writer, path string, o curve.Options, asJSON bool) error {
	b, err := intake.Path(path, intake.Choices{Side: o.Side})
	if err != nil {
		complain(errOut, intake.Refusal(path, err), 0)
		return errBadInput
	}
	reading := curve.Read(b.Run, o)
	if asJSON {
		err = printJSON(out, reading)
	} else {
		err = printReading(out, reading, b.Notes)
	}
	if err != nil {
		return fmt.Errorf("printing: %w", err)
	}
	complain(errOut, b.Faults, b.LeftOut)
	return nil
}

// readRuns reads runs that are named on the command line, each with a title; what is no reading is listed.
func readRuns(errOut io.Writer, paths []string) ([]*run.Run, error) {
	var runs []*run.Run
	for _, path := range paths {
		b, err := intake.Path(path, intake.Choices{})
		if err != nil {
			complain(errOut, intake.Refusal(path, err), 0)
			return nil, errBadInput
		}
		complain(errOut, b.Faults, b.LeftOut)
		if b.Run.Title == "" {
			b.Run.Title = filepath.Base(path)
		}
		runs = append(runs, b.Run)
	}
	return runs, nil
}

// complain prints one line for each fault.
func complain(w io.Writer, faults []csvlog.Fault, total int) {
	for _, f := range faults {
		fmt.Fprintln(w, f.Error())
	}
	if more := total - len(faults); more > 0 {
		fmt.Fprintf(w, "and %d more\n", more)
	}
}

// printReading writes a run's figures for people; what cannot be worked out is left out.
func printReading(w io.Writer, r *curve.Reading, notes *typed.Notes) error {
	if notes != nil {
		fmt.Fprintf(w, "typed readings, the %s's; times read as %s\n", notes.Recording.Side, timesWords(notes))
	}
	for _, f := range r.Findings {
		fmt.Fprintf(w, "%s (%s)\n", f.Text, f.Confidence)
	}
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', tabwriter.AlignRight)
	fmt.Fprintf(w, "\ntimes from %s, power of the %s side\n\n",
		map[curve.Clock]string{curve.PlugClock: "plug-in", curve.PowerClock: "first power"}[r.Clock], r.Side)
	fmt.Fprintln(t, "post\ttime\t")
	for _, p := range r.Posts {
		fmt.Fprintf(t, "%s %%\t%s\t\n", words.Figure(p.SoCPct, 1), words.Clock(p.TS))
	}
	if len(r.Ceilings) > 0 {
		fmt.Fprintln(t, "\t\t\nheld\tfrom\tto\tsure\tlost\t")
	}
	for _, c := range r.Ceilings {
		lost := "–"
		if c.MinutesLost != nil {
			lost = words.Clock(math.Round(*c.MinutesLost * 60))
		}
		fmt.Fprintf(
			t,
			"%s\t%s\t%s\t%s\t%s\t\n",
			c.Cause.Words(),
			words.Clock(c.FromS),
			words.Clock(c.ToS),
			c.Confidence,
			lost,
		)
	}
	if len(r.Windows) > 0 {
		fmt.Fprintln(t, "\t\t\nwindow\ttime\tenergy\taverage\t")
	}
	for _, x := range r.Windows {
		fmt.Fprintf(t, "%s–%s %%\t%s\t%s\t%s\t\n", words.Figure(x.FromPct, 1), words.Figure(x.ToPct, 1),
			words.Clock(x.TS), unit(x.EnergyKWh, 1, "kWh"), unit(x.AverageKW, 1, "kW"))
	}
	fmt.Fprintln(t, "\t\t")
	for _, row := range []struct {
		name  string
		value *float64
		unit  string
	}{
		{"stall delivered", r.Energy.StallKWh, "kWh"}, {"into the pack", r.Energy.CarKWh, "kWh"},
		{"loss", r.Energy.LossPct, "%"}, {"bridged", r.Energy.BridgedS, "s"}, {"ramp", r.RampS, "s"},
		{"delivered for 100 %", r.DeliveredPer100KWh, "kWh"},
	} {
		fmt.Fprintf(t, "%s\t%s\t\n", row.name, unit(row.value, 1, row.unit))
	}
	if u := r.Usable; u != nil {
		fmt.Fprintf(t, "usable capacity\t%s kWh (%s to %s)\t\n", words.Fixed(u.Value, 1), words.Fixed(u.Low, 1),
			unit(u.High, 1, "kWh"))
	}
	if s := r.Screen; s != nil {
		fmt.Fprintf(t, "stall's register\t%s\t\nprice on its screen\t%s\t\n", unit(s.KWh, 1, "kWh"),
			unit(s.Cost, 2, ""))
	}
	if c := r.Cost; c != nil {
		fmt.Fprintf(t, "cost\t%s %s, by the %s\t\n", words.Fixed(c.Total, 2), c.Currency, c.By)
	}
	if err := t.Flush(); err != nil {
		return err
	}
	for _, rec := range r.Recordings {
		fmt.Fprintf(w, "\n%s: %d readings, %d gaps, %d spikes\n", rec.File, rec.Readings, rec.Gaps, rec.Spikes)
		if rec.Grade != nil {
			fmt.Fprintf(w, "  grade %s: %s\n", *rec.Grade, say.Join("semicolon", rec.Means...))
		}
		for _, p := range rec.Health {
			fmt.Fprintf(w, "  %s: %s\n", words.Clock(p.FromS), p.Reason)
		}
	}
	return nil
}

// timesWords says what typed times were taken for.
func timesWords(n *typed.Notes) string {
	s := n.Times.Words()
	if n.ClockTime {
		s += " of the day"
	}
	if n.Ambiguous {
		s += "; they could be " + map[typed.Times]typed.Times{typed.HoursMinutes: typed.MinutesSeconds,
			typed.MinutesSeconds: typed.HoursMinutes}[n.Times].Words() + " as well"
	}
	return s
}

// unit writes a figure with its unit, a dash where there is none.
func unit(v *float64, decimals int, u string) string {
	if v == nil {
		return "–"
	}
	return words.Fixed(*v, decimals) + " " + u
}
