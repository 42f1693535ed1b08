package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"zincroad/internal/password"
	"zincroad/logbook"
)

// passwdCommand sets the password that the pages want.
func passwdCommand() *cobra.Command {
	var st storage
	var none bool
	c := &cobra.Command{
		Use: "passwd", Short: "Set the password that the pages ask for, and sign everybody out", Args: cobra.NoArgs,
		Long: "Sets the password that the pages ask for, and signs everybody out. It is asked for twice on a terminal; " +
			"else it is the first line of what comes in.",
		RunE: func(c *cobra.Command, _ []string) error {
			hash := ""
			if !none {
				p, err := newPassword(c.InOrStdin(), c.ErrOrStderr())
				if err != nil {
					return err
				}
				if hash, err = password.Hash(p); err != nil {
					return err
				}
			}
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				if err := b.SetPassword(ctx, hash); err != nil {
					return err
				}
				if none {
					fmt.Fprintln(c.OutOrStdout(), "No password is asked for any more.")
				} else {
					fmt.Fprintln(c.OutOrStdout(), "The password is set; everybody is signed out.")
				}
				return nil
			})
		},
	}
	st.flags(c)
	c.Flags().BoolVar(&none, "none", false, "take the password away: the program then listens on this machine alone")
	return c
}

// stationPasswordCommand makes a charge point's password.
func stationPasswordCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "station-password NAME", Short: "Make the password that a charge point reports with", Args: cobra.ExactArgs(1),
		Long: "Makes a password for the charge point that reports to ws://HOST/ocpp/NAME, and shows it once. It sends it " +
			"by HTTP Basic, with NAME as the user. Without one a charge point may report from this machine alone.",
		RunE: func(c *cobra.Command, args []string) error {
			name := args[0]
			if name == "" || strings.ContainsAny(name, "/:") {
				return complainUsage("%q: expected the charge point's name, without slashes and colons", name)
			}
			made, err := password.Made()
			if err != nil {
				return err
			}
			hash, err := password.Hash(made)
			if err != nil {
				return err
			}
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				if err := b.SetStation(ctx, name, hash); err != nil {
					return err
				}
				fmt.Fprintln(c.OutOrStdout(), made)
				return nil
			})
		},
	}
	st.flags(c)
	return c
}

// withBook does something with the logbook of the crew that is named, starting PostgreSQL where none is running.
func withBook(ctx context.Context, st *storage, do func(context.Context, *logbook.Book) error) error {
	b, closeBook, err := st.open(ctx, st.log(), false)
	if err != nil {
		return err
	}
	defer closeBook()
	if ctx, err = st.in(ctx, b); err != nil {
		return err
	}
	return do(ctx, b)
}

// newPassword asks for a password twice on a terminal, and else takes the first line.
func newPassword(in io.Reader, out io.Writer) (string, error) {
	f, ok := in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		line, err := bufio.NewReader(io.LimitReader(in, 4096)).ReadString('\n')
		if err != nil && !errors.Is(err, io.EOF) {
			return "", fmt.Errorf("reading the password: %w", err)
		}
		return checked(strings.TrimRight(line, "\r\n"))
	}
	var typed [2]string
	for i, ask := range []string{"New password: ", "Once more: "} {
		fmt.Fprint(out, ask)
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(out)
		if err != nil {
			return "", fmt.Errorf("reading the password: %w", err)
		}
		typed[i] = string(b)
	}
	if typed[0] != typed[1] {
		return "", complainUsage("the two are not the same; nothing was changed")
	}
	return checked(typed[0])
}

func checked(p string) (string, error) {
	if fault := password.Check(p); fault != "" {
		return "", complainUsage("%s", fault)
	}
	return p, nil
}
