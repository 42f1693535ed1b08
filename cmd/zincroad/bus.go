package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zincroad/formats/buslog"
)

func busCommand() *cobra.Command {
	var dbc, signals, to string
	c := &cobra.Command{
		Use: "bus LOG", Args: cobra.ExactArgs(1),
		Short: "Turn what candump logged of a car's bus into a CSV of readings",
		Long: "Turn what candump logged of a car's bus into a CSV of readings, a second apart, however long the log is.\n" +
			"A DBC file names the bus's signals; the list of signals says which of them is which channel, a line each:\n\n" +
			"  BmsSoc soc_pct\n  PackVolts voltage_v\n  PackAmps current_a turned\n\n" +
			"turned: the bus counts it the other way round. LOG - reads standard input.",
		RunE: func(c *cobra.Command, args []string) error {
			said, err := convertBus(args[0], dbc, signals, to, c.InOrStdin(), c.OutOrStdout())
			if err != nil {
				fmt.Fprintln(c.ErrOrStderr(), err)
				return errBadInput
			}
			fmt.Fprintln(c.ErrOrStderr(), said)
			return nil
		},
	}
	c.Flags().StringVar(&dbc, "dbc", "", "the DBC file of the car's bus")
	c.Flags().StringVar(&signals, "signals", "", "the list of signals")
	c.Flags().StringVar(&to, "out", "", "the CSV to write (default: standard output)")
	_ = c.MarkFlagRequired("dbc")
	_ = c.MarkFlagRequired("signals")
	return c
}

// convertBus turns a log into a CSV, and says what became of it. A file that could not be written whole is no file.
func convertBus(log, dbc, signals, to string, in io.Reader, out io.Writer) (said string, err error) {
	file, err := os.ReadFile(dbc)
	if err != nil {
		return "", fmt.Errorf("%s: not found or not readable", dbc)
	}
	names, err := os.ReadFile(signals)
	if err != nil {
		return "", fmt.Errorf("%s: not found or not readable", signals)
	}
	p, err := buslog.NewProfile(file, string(names))
	if err != nil {
		return "", err
	}
	if log != "-" {
		f, err := os.Open(log)
		if err != nil {
			return "", fmt.Errorf("%s: not found or not readable", log)
		}
		defer f.Close()
		in = f
	}
	if to != "" {
		f, failed := os.CreateTemp(filepath.Dir(to), ".bus-*")
		if failed != nil {
			return "", fmt.Errorf("writing %s: %w", to, failed)
		}
		out = f
		defer func() {
			err = errors.Join(err, f.Close())
			if err == nil {
				err = os.Rename(f.Name(), to)
			}
			if err != nil {
				_ = os.Remove(f.Name())
			}
		}()
	}
	c, err := p.Convert(out, in)
	if err != nil {
		return "", err
	}
	said = fmt.Sprintf("%d frames, %d of them of the signals; %d readings.", c.Frames, c.Of, c.Rows)
	for _, left := range c.LeftOut() {
		said += " " + strings.ToUpper(left[:1]) + left[1:] + "."
	}
	return said, nil
}
