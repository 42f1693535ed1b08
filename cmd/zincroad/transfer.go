package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"

	"github.com/spf13/cobra"

	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/logbook"
)

func importCommand() *cobra.Command {
	var st storage
	var side string
	var again bool
	c := &cobra.Command{
		Use: "import FILE...", Args: cobra.MinimumNArgs(1),
		Short: "Bring runs into the logbook: run folders, zips of one or more, tables, meter values, typed readings",
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--side", side, "car", "stall"); err != nil {
				return err
			}
			return withBook(c.Context(), &st, func(ctx context.Context, book *logbook.Book) error {
				bad := false
				for _, path := range args {
					ok, err := importOne(ctx, book, path, trace.Side(side), again, c.OutOrStdout(), c.ErrOrStderr())
					if err != nil {
						return err
					}
					bad = bad || !ok
				}
				if bad {
					return errBadInput
				}
				return nil
			})
		},
	}
	st.flagsOfCrew(c)
	c.Flags().StringVar(&side, "side", "",
		"whose readings a CSV or text holds: car or stall (default: guessed from its name)")
	c.Flags().BoolVar(&again, "again", false, "bring a file in even if the logbook has it already")
	return c
}

// slowImport is from how many readings on an import says how far it is.
const slowImport = 200_000

// importOne brings one file in, with every run that it holds, and tells whether it gave a reading.
func importOne(ctx context.Context, book *logbook.Book, path string, side trace.Side, again bool,
	out, errOut io.Writer) (bool, error) {
	if large, ok, err := intake.LargeTable(path, intake.Choices{Side: side}); err == nil && ok {
		return importLarge(ctx, book, path, large, again, out, errOut)
	}
	list, err := bundlesOf(path, side)
	if err != nil {
		complain(errOut, intake.Refusal(path, err), 0)
		return false, nil
	}
	good := true
	for _, b := range list {
		ok, err := importRun(ctx, book, path, b, again, out, errOut)
		if err != nil {
			return false, err
		}
		good = good && ok
	}
	return good, nil
}

// importLarge stores a table that is too large to be held.
func importLarge(ctx context.Context, book *logbook.Book, path string, l *intake.Large, again bool,
	out, errOut io.Writer) (bool, error) {
	debug.SetGCPercent(25) // what is read and sent is garbage at once
	file, err := l.Open()
	if err != nil {
		return false, err
	}
	fingerprint, err := logbook.FingerprintOf(file)
	_ = file.Close()
	if err != nil {
		return false, err
	}
	if twin, found, err := book.TwinOf(ctx, fingerprint); err != nil {
		return false, err
	} else if found && !again {
		fmt.Fprintf(out, "%s is in the logbook already as run %d; --again brings it in once more.\n", path, twin.ID)
		return true, nil
	}
	bar := newProgress(errOut, "storing "+l.Name, "readings", int64(l.Rows))
	id, rows, table, err := book.SaveLarge(ctx, l, fingerprint, func(n int) { bar.add(int64(n)) })
	if errors.Is(err, csvlog.ErrNotALog) {
		complain(errOut, intake.Refusal(path, err), 0)
		return false, nil
	}
	if err != nil {
		return false, err
	}
	bar.end()
	fmt.Fprintf(out, "%s is run %d: %d readings%s.\n", path, id, rows, understood(&intake.Bundle{Layout: &l.Layout}))
	complain(errOut, table.Faults, table.LeftOut)
	return true, nil
}

// importRun stores one run of a file.
func importRun(ctx context.Context, book *logbook.Book, path string, b *intake.Bundle, again bool,
	out, errOut io.Writer) (bool, error) {
	if twin, found, err := book.Twin(ctx, b.Files); err != nil {
		return false, err
	} else if found && !again {
		fmt.Fprintf(out, "%s is in the logbook already as run %d; --again brings it in once more.\n", path, twin.ID)
		return true, nil
	}
	n := 0
	for _, rec := range b.Run.Recordings {
		n += rec.Len()
	}
	var bar *progress
	told := func(int) {}
	if n >= slowImport {
		bar = newProgress(errOut, "storing "+filepath.Base(path), "readings", int64(n))
		told = func(stored int) { bar.add(int64(stored)) }
	}
	id, err := book.SaveTelling(ctx, b, told)
	if err != nil {
		return false, err
	}
	if bar != nil {
		bar.end()
	}
	fmt.Fprintf(out, "%s is run %d: %d readings%s.\n", path, id, n, understood(b))
	complain(errOut, b.Faults, b.LeftOut)
	return true, nil
}

func bundlesOf(path string, side trace.Side) ([]*intake.Bundle, error) {
	info, err := os.Stat(path)
	if err == nil && info.IsDir() {
		b, err := intake.Path(path, intake.Choices{Side: side})
		return []*intake.Bundle{b}, err
	}
	content, err := os.ReadFile(path)
	if err != nil {
		return nil, &runfolder.FaultError{Faults: []csvlog.Fault{{File: path, Reason: "not found or not readable"}}}
	}
	return intake.All(filepath.Base(path), content, intake.Choices{Side: side})
}

// understood says how a table was read, for the tester to check.
func understood(b *intake.Bundle) string {
	if b.Layout == nil || b.Layout.Canonical {
		return ""
	}
	s := fmt.Sprintf(" (times as %s", b.Layout.Time)
	for _, c := range b.Layout.Columns {
		if c.Channel != "" && c.Channel != csvlog.TimeColumn {
			s += fmt.Sprintf("; %q as %s in %s", c.Header, c.Channel, c.Unit)
			if c.Negate {
				s += ", sign turned"
			}
		}
	}
	if b.Layout.DateUnsure {
		s += "; dates read " + b.Layout.DateOrder + ", though the other order fits as well"
	}
	return s + ")"
}

func exportCommand() *cobra.Command {
	var st storage
	var to string
	c := &cobra.Command{
		Use: "export NUMBER", Short: "Write a run as a zipped run folder", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				fmt.Fprintf(c.ErrOrStderr(), "%q: expected a run's number\n", args[0])
				return errBadInput
			}
			if to == "" {
				to = fmt.Sprintf("run-%d.zip", id)
			}
			return withBook(c.Context(), &st, func(ctx context.Context, book *logbook.Book) error {
				return export(ctx, book, id, to, c.OutOrStdout(), c.ErrOrStderr())
			})
		},
	}
	st.flagsOfCrew(c)
	c.Flags().StringVarP(&to, "output", "o", "", "file to write (default run-NUMBER.zip)")
	return c
}

// export writes a run as a zipped run folder. A file that could not be written whole is an error.
func export(ctx context.Context, book *logbook.Book, id int64, to string, out, errOut io.Writer) (err error) {
	row, err := book.Run(ctx, id)
	if errors.Is(err, logbook.ErrNotFound) {
		fmt.Fprintf(errOut, "run %d is not in this logbook\n", id)
		return errBadInput
	}
	if err != nil {
		return err
	}
	parcel, err := book.Parcel(ctx, row)
	if err != nil {
		return err
	}
	f, err := os.Create(to)
	if err != nil {
		return fmt.Errorf("writing: %w", err)
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	if err := parcel.WriteZip(f); err != nil {
		return err
	}
	fmt.Fprintln(out, to)
	return nil
}
