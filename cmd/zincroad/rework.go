package main

import (
	"fmt"
	"sync"

	"github.com/spf13/cobra"

	"zincroad/logbook"
)

func reworkCommand() *cobra.Command {
	var st storage
	var workers int
	c := &cobra.Command{
		Use: "rework", Args: cobra.NoArgs,
		Short: "Work out every run that was changed, or that an earlier version of the arithmetic worked out",
		RunE: func(c *cobra.Command, _ []string) error {
			if workers < 1 || workers > 64 {
				return complainUsage("--workers %d: expected 1 to 64", workers)
			}
			book, closeBook, err := st.open(c.Context(), st.log(), false)
			if err != nil {
				return err
			}
			defer closeBook()
			everywhere := logbook.Everywhere(c.Context())
			total, err := book.Unread(everywhere)
			if err != nil {
				return err
			}
			bar := newProgress(c.ErrOrStderr(), "working out", "runs", int64(total))
			var mu sync.Mutex
			var all sync.WaitGroup
			failed := make(chan error, workers)
			for range workers {
				all.Go(func() {
					failed <- book.Rework(c.Context(), func() {
						mu.Lock()
						defer mu.Unlock()
						bar.add(1)
					})
				})
			}
			all.Wait()
			close(failed)
			for err := range failed {
				if err != nil {
					return err
				}
			}
			bar.end()
			left, err := book.Unread(everywhere)
			if err == nil && left > 0 {
				fmt.Fprintf(c.OutOrStdout(), "%d runs are at another copy of the program.\n", left)
			}
			return err
		},
	}
	st.flags(c)
	c.Flags().IntVar(&workers, "workers", 1, "how many runs to work out at once")
	return c
}
