package main

import (
	"context"
	"crypto/rand"
	"errors"
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
	var check bool
	c := &cobra.Command{
		Use: "backup FILE", Short: "Write the whole logbook into a file, while it is used", Args: cobra.ExactArgs(1),
		Long: "Writes everything that the logbook holds into a file, consistently and while it is used, but not who is " +
			"signed in. The file ends with a checksum, and is read back before it takes its name.",
		RunE: func(c *cobra.Command, args []string) error {
			if check {
				if err := cluster.Check(c.Context(), args[0]); err != nil {
					return complainUsage("%v", err)
				}
				fmt.Fprintf(c.OutOrStdout(), "%s is whole and as it was written.\n", args[0])
				return nil
			}
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
	c.Flags().BoolVar(&check, "check", false, "tell whether a backup is whole and as it was written, and write nothing")
	return c
}

// restoreCommand puts a backup in place of the logbook.
func restoreCommand() *cobra.Command {
	var st storage
	var replace, unproved bool
	c := &cobra.Command{
		Use: "restore FILE", Short: "Put a backup in place of the logbook", Args: cobra.ExactArgs(1),
		Long: "Puts a backup in place of what the logbook holds: all of it or, where anything goes wrong, nothing. A " +
			"logbook " +
			"that holds runs is replaced with --replace alone, and none is while a program is at it. Everybody signs in anew " +
			"after it, with the password that was set before it; where none was, with the backup's.",
		RunE: func(c *cobra.Command, args []string) error {
			check := cluster.Check
			if unproved {
				check = cluster.Readable
			}
			if err := check(c.Context(), args[0]); errors.Is(err, cluster.ErrUnsealed) {
				return complainUsage("%v; restore --unproved takes it as it is", err)
			} else if err != nil {
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
				password, err := b.PasswordHash(c.Context())
				if err != nil {
					return err
				}
				was, err := b.Door(c.Context())
				if err != nil {
					return err
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
				if err := signOut(c.Context(), again, password); err != nil {
					return err
				}
				if runs, err = again.Count(c.Context()); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "The logbook holds %d runs, as in %s.\n", runs, args[0])
				if is, err := again.Door(c.Context()); err == nil && was.Crew && !is.Crew {
					fmt.Fprintln(c.ErrOrStderr(), "The backup is of before there was a crew, and so is the logbook now: "+
						"zincroad crew add NAME --role keeper begins one.")
				}
				return nil
			})
		},
	}
	st.flags(c)
	c.Flags().BoolVar(&unproved, "unproved", false, "take a backup without a checksum, of an older program")
	c.Flags().BoolVar(&replace, "replace", false, "replace a logbook that holds runs")
	return c
}

// signOut leaves nobody signed in to a restored logbook, whose password is the one that was set before; the backup's
// where none was.
func signOut(ctx context.Context, b *logbook.Book, password string) error {
	if password == "" {
		return b.ForgetSessions(ctx)
	}
	return b.SetPassword(ctx, password)
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
