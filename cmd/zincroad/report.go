package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"zincroad/core/bench"
	"zincroad/web"
	"zincroad/web/report"
)

// reportCommand makes a page of runs that others read.
func reportCommand() *cobra.Command {
	var to, title, by, words string
	c := &cobra.Command{
		Use:   "report RUN… -o report.html",
		Short: "One page of a run, or of several side by side, that others read: nothing fetched, no script, prints on A4",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			runs, err := readRuns(c.ErrOrStderr(), args)
			if err != nil {
				return err
			}
			cover := report.Cover{Title: title, By: by}
			if words != "" {
				said, err := os.ReadFile(words)
				if err != nil {
					return refused(c.ErrOrStderr(), "--words", err)
				}
				cover.Words = string(said)
			}
			if cover.Font, err = web.Font(); err != nil {
				return err
			}
			f, err := os.Create(to)
			if err != nil {
				return refused(c.ErrOrStderr(), "-o", err)
			}
			err = report.Write(f, bench.SubjectsOf(runs), cover)
			if closing := f.Close(); err == nil {
				err = closing
			}
			if err != nil {
				return fmt.Errorf("%s: %w", to, err)
			}
			return nil
		},
	}
	c.Flags().StringVar(&title, "title", "", "what it is called; else its verdict is its title")
	c.Flags().StringVar(&by, "by", "", "who says so")
	c.Flags().StringVar(&words, "words", "", "a file of Markdown with your own words")
	c.Flags().StringVarP(&to, "output", "o", "report.html", "the file to write")
	return c
}
