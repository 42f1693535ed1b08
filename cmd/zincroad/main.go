// Command zincroad plans, records, reads and compares DC fast-charging runs.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // time zones, for machines that have none

	"github.com/spf13/cobra"
)

// errBadInput is returned once the faults of an input are on standard error.
var errBadInput = errors.New("bad input")

// exitBadInput is the exit status for input that cannot be used as it is.
const exitBadInput = 2

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{
		Use:           "zincroad",
		Short:         "A logbook, bench and planner for people who test DC fast charging",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(
		readCommand(),
		benchCommand(),
		fitCommand(),
		forecastCommand(), learnCommand(), tripCommand(), reportCommand(),
		standinCommand(),
		demoCommand(),
		serveCommand(),
		passwdCommand(),
		tokenCommand(),
		crewCommand(),
		backupCommand(),
		restoreCommand(),
		stationPasswordCommand(),
		migrateCommand(),
		importCommand(),
		exportCommand(),
		busCommand(),
		reworkCommand(),
	)
	err := root.ExecuteContext(ctx)
	switch {
	case err == nil:
	case errors.Is(err, errBadInput):
		os.Exit(exitBadInput)
	default:
		fmt.Fprintln(os.Stderr, "zincroad:", err)
		os.Exit(1)
	}
}
