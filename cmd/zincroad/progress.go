package main

import (
	"fmt"
	"io"
	"os"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

// progress tells on standard error how far long work is: as a bar where that is a
// terminal, else as one counted line at the end.
type progress struct {
	out   io.Writer
	what  string // in the plural: "runs"
	bar   *progressbar.ProgressBar
	done  int64
	began time.Time
}

// newProgress begins work on so many of something; 0: not known beforehand.
func newProgress(out io.Writer, doing, what string, total int64) *progress {
	p := &progress{out: out, what: what, began: time.Now()}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		if total == 0 {
			total = -1
		}
		p.bar = progressbar.NewOptions64(total, progressbar.OptionSetWriter(out),
			progressbar.OptionSetDescription(doing), progressbar.OptionShowCount(), progressbar.OptionShowIts(),
			progressbar.OptionSetItsString(what), progressbar.OptionThrottle(100*time.Millisecond),
			progressbar.OptionClearOnFinish())
	}
	return p
}

// add counts more of the work done.
func (p *progress) add(n int64) {
	p.done += n
	if p.bar != nil {
		_ = p.bar.Add64(n)
	}
}

// end says what was done, and how long it took.
func (p *progress) end() {
	if p.bar != nil {
		_ = p.bar.Finish()
	}
	fmt.Fprintf(p.out, "%d %s in %s.\n", p.done, p.what, time.Since(p.began).Round(100*time.Millisecond))
}
