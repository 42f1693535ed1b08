package main

import (
	"context"
	"fmt"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"zincroad/internal/password"
	"zincroad/logbook"
)

// crewCommand looks after who works with the logbook, for when the pages let nobody in.
func crewCommand() *cobra.Command {
	c := &cobra.Command{Use: "crew", Short: "Who works with the logbook: people come in by name, each in a role"}
	c.AddCommand(crewAddCommand(), crewListCommand(), crewLinkCommand(), crewLeaveCommand(), crewNewCommand())
	return c
}

// crewNewCommand makes another crew on the same server.
func crewNewCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "new CREW", Short: "Make another crew on this server, with an empty logbook that no other crew sees",
		Args: cobra.ExactArgs(1),
		Long: "Makes another crew on this server. Its logbook is empty, and the database keeps it apart from all others.\n" +
			"It begins with its keeper: zincroad crew add NAME --role keeper --crew CREW.",
		RunE: func(c *cobra.Command, args []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				first, err := b.People(ctx)
				if err != nil {
					return err
				}
				if len(first) == 0 {
					return complainUsage("the first crew has nobody yet, and would be shut out: crew add NAME --role keeper first")
				}
				_, err = b.NewCrew(ctx, args[0])
				return err
			})
		},
	}
	st.flags(c)
	return c
}

func crewAddCommand() *cobra.Command {
	var st storage
	var role string
	c := &cobra.Command{
		Use: "add NAME", Short: "Take somebody into the crew; the first one, a keeper, begins it", Args: cobra.ExactArgs(1),
		Long: "Takes somebody into the crew with a password, which is asked for twice on a terminal; else it is the first\n" +
			"line of what comes in. A reader sees everything, a tester also records, brings in and changes own runs and\n" +
			"shared ones, a keeper also looks after cars, sites, everybody's runs and the crew. With the first one the\n" +
			"crew begins: what is in the logbook becomes theirs, everybody is signed out, and a password for everybody\n" +
			"lets nobody in any more.",
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--role", role, string(logbook.Reader), string(logbook.Tester), string(logbook.Keeper)); err != nil {
				return err
			}
			p, err := newPassword(c.InOrStdin(), c.ErrOrStderr())
			if err != nil {
				return err
			}
			if fault := password.CheckFor(p, args[0]); fault != "" {
				return complainUsage("%s", fault)
			}
			hash, err := password.Hash(p)
			if err != nil {
				return err
			}
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				person, err := b.AddPerson(ctx, args[0], logbook.Role(role), hash)
				if err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s is in the crew as a %s.\n", person.Name, person.Role)
				return nil
			})
		},
	}
	st.flagsOfCrew(c)
	c.Flags().StringVar(&role, "role", string(logbook.Tester), "reader, tester or keeper")
	return c
}

func crewListCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "list", Short: "Who is in the crew, with when each came in last", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				list, err := b.People(ctx)
				if err != nil {
					return err
				}
				t := tabwriter.NewWriter(c.OutOrStdout(), 0, 0, 2, ' ', 0)
				fmt.Fprintln(t, "name\trole\tcame in last")
				for _, p := range list {
					seen := "never"
					if p.SeenAt != nil {
						seen = p.SeenAt.Format("2006-01-02 15:04")
					}
					fmt.Fprintf(t, "%s\t%s\t%s\n", p.Name, p.Role, seen)
				}
				return t.Flush()
			})
		},
	}
	st.flagsOfCrew(c)
	return c
}

// linkedFor is how long a link holds that is made at the shell: whoever made it is about to use it.
const linkedFor = time.Hour

func crewLinkCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "link NAME", Short: "Make a link by which somebody who lost the way in comes in again, once, within an hour",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				p, err := b.PersonCalled(ctx, args[0])
				if err != nil {
					return err
				}
				secret, err := b.Invite(logbook.InCrew(ctx, p.CrewID),
					logbook.Invitation{PersonID: p.ID, EndsAt: time.Now().Add(linkedFor)})
				if err != nil {
					return err
				}
				fmt.Fprintln(c.OutOrStdout(), "/join/"+secret)
				return nil
			})
		},
	}
	st.flags(c)
	return c
}

func crewLeaveCommand() *cobra.Command {
	var st storage
	c := &cobra.Command{
		Use: "leave NAME", Short: "Take somebody out of the crew at once", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return withBook(c.Context(), &st, func(ctx context.Context, b *logbook.Book) error {
				p, err := b.PersonCalled(ctx, args[0])
				if err == nil {
					err = b.Leave(logbook.InCrew(ctx, p.CrewID), p.ID)
				}
				return err
			})
		},
	}
	st.flags(c)
	return c
}
