package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"net/url"
	"os"

	"github.com/spf13/cobra"

	"zincroad/logbook"
	"zincroad/logbook/cluster"
)

// backupCommand writes the logbook into a file.
func backupCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "backup FILE", Short: "Write the whole logbook into a file, while it is used", Args: cobra.ExactArgs(1),
		Long: "Writes everything that the logbook holds into a file, consistently and while it is used. The file is read " +
			"back before it takes its name.",
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := os.Stat(args[0]); err == nil {
				return complainUsage("%s is there already; nothing was written", args[0])
			}
			return st.withURL(c.Context(), func(b *logbook.Book, address string) error {
				runs, err := b.Count(c.Context())
				if err != nil {
					return err
				}
				err = cluster.Dump(c.Context(), address, args[0], func(table string) { fmt.Fprintln(c.ErrOrStderr(), "  "+table) })
				if err != nil {
					return err
				}
				info, err := os.Stat(args[0])
				if err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s: %d runs, %.1f MB, read back and whole.\n", args[0], runs,
					float64(info.Size())/1e6)
				return nil
			})
		},
	}
	st.flags(c)
	return c
}

// restoreCommand puts a backup in place of the logbook.
func restoreCommand() *cobra.Command {
	var st storage
	var replace bool
	c := &cobra.Command{
		Use: "restore FILE", Short: "Put a backup in place of the logbook", Args: cobra.ExactArgs(1),
		Long: "Puts a backup in place of what the logbook holds: all of it or, where anything goes wrong, nothing. A " +
			"logbook " +
			"that holds runs is replaced with --replace alone, and none is while a program is at it.",
		RunE: func(c *cobra.Command, args []string) error {
			if err := cluster.Check(c.Context(), args[0]); err != nil {
				return complainUsage("%v", err)
			}
			return st.withURL(c.Context(), func(b *logbook.Book, address string) error {
				runs, err := b.Count(c.Context())
				if err != nil {
					return err
				}
				if runs > 0 && !replace {
					return complainUsage("the logbook holds %d runs; restore --replace puts the backup in their place", runs)
				}
				others, err := b.Others(c.Context())
				if err != nil {
					return err
				}
				if others > 0 {
					return complainUsage("a program is at this logbook; stop it first")
				}
				if err := b.Close(); err != nil {
					return err
				}
				err = cluster.Load(c.Context(), address, args[0], func(table string) { fmt.Fprintln(c.ErrOrStderr(), "  "+table) })
				if err != nil {
					return err
				}
				again, err := logbook.Open(c.Context(), address, st.log()) // brings older tables up to date
				if err != nil {
					return err
				}
				defer again.Close()
				if runs, err = again.Count(c.Context()); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "The logbook holds %d runs, as in %s.\n", runs, args[0])
				return nil
			})
		},
	}
	st.flags(c)
	c.Flags().BoolVar(&replace, "replace", false, "replace a logbook that holds runs")
	return c
}

// withURL does something with the logbook and its database's address.
func (st *storage) withURL(ctx context.Context, do func(b *logbook.Book, address string) error) error {
	named, err := st.url()
	if err != nil {
		return err
	}
	if named == "" {
		dir, err := st.folder()
		if err != nil {
			return err
		}
		running, up := cluster.Attach(dir)
		if !up {
			c, err := cluster.Start(ctx, cluster.Options{Dir: dir, Log: st.log()})
			if err != nil {
				return err
			}
			defer c.Stop()
			running = c.URL
		}
		named = running
	}
	own, err := url.Parse(named)
	if err != nil {
		return complainUsage("the database's address is no URL")
	}
	q := own.Query()
	q.Set("application_name", "zincroad-"+rand.Text()) // told apart from others that are at it
	own.RawQuery = q.Encode()
	b, err := logbook.Open(ctx, own.String(), st.log())
	if err != nil {
		return err
	}
	defer b.Close()
	return do(b, named)
}
