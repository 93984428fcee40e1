package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
	"molt/render/text"
)

func (c *call) trace() command {
	cmd := &cobra.Command{
		Use:   "trace PACKAGE",
		Short: "Show why a package is in the lock, and at this release",
		Long: `Trace shows the shortest chains from each declaration to a locked package, up to a hundred, with the constraint on each
link, and which link, or which hold, keeps it from the next newer release. A package at several releases is told for each of them.`,
		Example: "  molt trace envelopes",
		Args:    cobra.ExactArgs(1),
	}
	run := func(c *call, args []string) error {
		return c.session(ask.Needs{}, func(s *ask.Session) error {
			d, err := s.Trace(c.ctx, args[0])
			return answer(c, s, d, err, (*text.Page).Trace)
		})
	}
	return command{Command: cmd, run: run, takes: asks, sides: ask.Named, operand: nameKnown("it is about what is locked"), words: []string{"why"}}
}

func (c *call) fit() command {
	var most int
	cmd := &cobra.Command{
		Use:   "fit PACKAGE",
		Short: "Show which releases of a package resolve with this application",
		Long: `Fit tries the releases of a package, the newest first, with the application as its manifest stands, and says which
resolve. With a fixed set ("fixed:" in molt.yaml names an inventory of packages that are given from outside) these
keep their releases. For the newest that does not fit it shows what stands in the way. The package need not be
declared. Exit 1 when none fits.`,
		Example: "  molt fit lintbuoy\n  molt fit lantern-words --most 5",
		Args:    cobra.ExactArgs(1),
	}
	run := func(c *call, args []string) error {
		if most < 0 {
			return &input.UsageError{Reason: "--most: expected a number of releases, 0 for all"}
		}
		return c.session(ask.Needs{Dated: true, Declared: true}, func(s *ask.Session) error {
			d, err := s.Fit(c.ctx, args[0], most)
			return answer(c, s, d, err, (*text.Page).Fit)
		})
	}
	cmd.Flags().IntVar(&most, "most", 20, "how many releases to try; 0 for all")
	return command{Command: cmd, run: run, takes: asks, sides: ask.Named, operand: nameKnown("it tries the releases, the newest first")}
}
