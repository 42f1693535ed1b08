package main

import (
	"context"
	"fmt"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"zincroad/logbook"
)

// tokenCommand makes, lists and withdraws what programs show at the door.
func tokenCommand() *cobra.Command {
	c := &cobra.Command{Use: "token", Short: "What programs show at /api/v1 in the place of a password"}
	c.AddCommand(tokenAddCommand(), tokenListCommand(), tokenWithdrawCommand())
	return c
}

// mostDays is how long a token may hold.
const mostDays = 3650

func tokenAddCommand() *cobra.Command {
	var st storage
	var role string
	var days int
	c := &cobra.Command{
		Use: "add NAME", Short: "Make a token; it is printed once and kept nowhere", Args: cobra.ExactArgs(1),
		Long: "Makes a token named for its purpose. A reader reads and asks for reckonings, a tester also brings runs in\n" +
			"and puts them right, a keeper also removes them. Programs send it as Authorization: Bearer TOKEN.",
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--role", role, string(logbook.Reader), string(logbook.Tester), string(logbook.Keeper)); err != nil {
				return err
			}
			if days < 1 || days > mostDays {
				return refused(c.ErrOrStderr(), "--days", fmt.Errorf("%d, expected 1 to %d", days, mostDays))
			}
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				secret, err := b.AddToken(ctx, args[0], logbook.Role(role),
					time.Now().Add(time.Duration(days)*24*time.Hour))
				if err != nil {
					return err
				}
				fmt.Fprintln(c.OutOrStdout(), secret)
				return nil
			})
		},
	}
	st.flagsOfCrew(c)
	c.Flags().StringVar(&role, "role", string(logbook.Reader), "reader, tester or keeper")
	c.Flags().IntVar(&days, "days", 30, "how long it holds")
	return c
}

func tokenListCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "list", Short: "The tokens that were made, with when each was used last", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				list, err := b.Tokens(ctx)
				if err != nil {
					return err
				}
				t := tabwriter.NewWriter(c.OutOrStdout(), 0, 0, 2, ' ', 0)
				fmt.Fprintln(t, "number\tname\trole\tends\tlast used")
				for _, x := range list {
					ends, used := x.EndsAt.Format(time.DateOnly), "never"
					if x.WithdrawnAt != nil {
						ends = "withdrawn " + x.WithdrawnAt.Format(time.DateOnly)
					}
					if x.UsedAt != nil {
						used = x.UsedAt.Format("2006-01-02 15:04")
					}
					fmt.Fprintf(t, "%d\t%s\t%s\t%s\t%s\n", x.ID, x.Name, x.Role, ends, used)
				}
				return t.Flush()
			})
		},
	}
	st.flagsOfCrew(c)
	return c
}

func tokenWithdrawCommand() *cobra.Command {
	var st storage
	var number int64
	c := &cobra.Command{
		Use: "withdraw", Short: "End a token at once", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				return b.WithdrawToken(ctx, number)
			})
		},
	}
	st.flagsOfCrew(c)
	c.Flags().Int64Var(&number, "number", 0, "its number in the list")
	_ = c.MarkFlagRequired("number")
	return c
}
