package main

import (
	"fmt"
	"io"
	"math"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zincroad/core/bench"
	"zincroad/core/say"
	"zincroad/core/words"
)

// benchCommand compares runs from files alone.
func benchCommand() *cobra.Command {
	var ask bench.Ask
	var window string
	var asJSON bool
	c := &cobra.Command{
		Use:   "bench RUN RUN…",
		Short: "Compare runs: folders, zips or logs",
		Long: helpWith("Lay runs side by side: how long a window took each, where the minutes went, whether the comparison\n"+
			"is fair, and whether the difference is real. A run is a folder, a zip of one, or a log.",
			bench.Figures.Texts()),
		Args: cobra.MinimumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			if window != "" {
				from, to, ok := bench.ParseWindow(window)
				if !ok {
					fmt.Fprintf(c.ErrOrStderr(), "--window %s: expected two states of charge, such as 10-80\n", window)
					return errBadInput
				}
				ask.FromPct, ask.ToPct = from, to
			}
			if ask.Reference < 0 || ask.Reference >= len(args) {
				fmt.Fprintf(c.ErrOrStderr(), "--reference %d: expected 0 to %d\n", ask.Reference, len(args)-1)
				return errBadInput
			}
			if ask.GroupBy != "" && !bench.IsCondition(ask.GroupBy) {
				fmt.Fprintf(c.ErrOrStderr(), "--group %s: expected one of %s\n", ask.GroupBy,
					strings.Join(bench.ConditionNames(), ", "))
				return errBadInput
			}
			runs, err := readRuns(c.ErrOrStderr(), args)
			if err != nil {
				return err
			}
			subjects := bench.SubjectsOf(runs)
			x := bench.Compare(subjects, ask)
			if asJSON {
				err = printJSON(c.OutOrStdout(), x)
			} else {
				err = printComparison(c.OutOrStdout(), x)
			}
			if err != nil {
				return fmt.Errorf("printing: %w", err)
			}
			return nil
		},
	}
	c.Flags().IntVar(&ask.Reference, "reference", 0, "the run that the others are held against, from 0")
	c.Flags().StringVar(&window, "window", "", "the window, such as 10-80; found where not given")
	c.Flags().StringVar(&ask.GroupBy, "group", "", "the condition that runs are grouped by; found where not given")
	c.Flags().BoolVar(&asJSON, "json", false, "one JSON object on standard output")
	return c
}

// printComparison writes a comparison for people.
func printComparison(w io.Writer, c *bench.Comparison) error {
	for _, v := range c.Verdicts {
		fmt.Fprintln(w, strings.TrimSuffix(fmt.Sprintf("%s (%s)", v.Text, v.Confidence), " ()"))
	}
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', tabwriter.AlignRight)
	clock := func(s *float64) string {
		if s == nil {
			return "–"
		}
		return words.SignedClock(math.Round(*s))
	}
	fmt.Fprintf(t, "\n\t%s\taverage\tdifference\t\n", words.Window(c.Window.FromPct, c.Window.ToPct))
	for i, r := range c.Runs {
		name := r.Title
		if i == c.Reference {
			name += " (reference)"
		}
		took := "–"
		if r.TS != nil {
			took = words.Clock(math.Round(*r.TS))
		}
		fmt.Fprintf(t, "%s\t%s\t%s\t%s\t\n", name, took, unit(r.AverageKW, 1, "kW"), clock(r.DeltaS))
	}
	if len(c.Fairness.Differs) > 0 {
		fmt.Fprintln(t, "\t\t\t\ncondition\tvalues\tmatters\tcould be\t")
	}
	for _, d := range c.Fairness.Differs {
		could := "–"
		if d.HighS != nil {
			could = words.Clock(math.Round(*d.LowS)) + " to " + words.Clock(math.Round(*d.HighS))
		}
		_, values := bench.InWords(d.Condition, d.Values...)
		fmt.Fprintf(t, "%s\t%s\t%s\t%s\t\n", d.Condition, say.Join("comma", values...), d.Matters, could)
	}
	if len(c.Bands) > 0 {
		fmt.Fprintln(t, "\t\t\t\nband\tminutes\tdifference\tcauses\t")
	}
	for _, b := range c.Bands {
		for i := range b.TS {
			band := ""
			if i == 0 {
				band = words.Window(b.FromPct, b.ToPct)
			}
			took := "–"
			if b.TS[i] != nil {
				took = words.Clock(math.Round(*b.TS[i]))
			}
			causes := make([]string, len(b.Causes[i]))
			for k, x := range b.Causes[i] {
				causes[k] = x.Words()
			}
			fmt.Fprintf(t, "%s\t%s\t%s\t%s\t\n", band, took, clock(b.DeltaS[i]), strings.Join(causes, ", "))
		}
	}
	return t.Flush()
}
