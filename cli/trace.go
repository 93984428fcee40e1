package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/conflict"
	"molt/core/inspect"
	"molt/core/project"
	"molt/doc"
	"molt/render/text"
)

func (c *call) trace() *cobra.Command {
	return &cobra.Command{
		Use:   "trace PACKAGE",
		Short: "Show why a package is in the lock, and at this release",
		Long: `Trace shows the shortest chains from each declaration to a locked package, up to a hundred, with the constraint on each
link, and which link, or which hold, keeps it from the next newer release. A package at several releases is told for each of them.`,
		Example:           "  molt trace envelopes",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: c.completeKnown,
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{}, func(s *session) error {
				if s.a.Lock == nil {
					return &app.UsageError{Reason: fmt.Sprintf("there is no %s to trace in; molt relock writes one", s.a.Eco.Lock())}
				}
				all, err := inspect.TraceLocked(c.ctx, s.source, s.a.Lock.Resolution(), args[0])
				if err != nil {
					return err
				}
				if len(all) == 0 {
					says := args[0] + " is not in the lock"
					var names []string
					for _, p := range s.a.Lock.Packages {
						names = append(names, p.Name)
					}
					if near := project.Nearest(args[0], names); near != "" {
						says += "; did you mean " + near + "?"
					}
					return &app.UsageError{Reason: says}
				}
				s.still()
				answer := ask.NewTrace(args[0], s.keeping(args[0]), all)
				return c.show(answer, func(p *text.Page) { p.Trace(answer) })
			})
		},
	}
}

func (c *call) fit() *cobra.Command {
	var most int
	cmd := &cobra.Command{
		Use:   "fit PACKAGE",
		Short: "Show which releases of a package resolve with this application",
		Long: `Fit tries the releases of a package, the newest first, with the application as its manifest stands, and says which
resolve. With a fixed set ("fixed:" in molt.yaml names an inventory of packages that are given from outside) these
keep their releases. For the newest that does not fit it shows what stands in the way. The package need not be
declared. Exit 1 when none fits.`,
		Example:           "  molt fit lintbuoy\n  molt fit lantern-words --most 5",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: c.completeKnown,
		RunE: func(_ *cobra.Command, args []string) error {
			if most < 0 {
				return &app.UsageError{Reason: "--most: expected a number of releases, 0 for all"}
			}
			return c.session(occasion{dated: true, checked: true}, func(s *session) error {
				app := s.a.Application()
				fits, tangle, err := inspect.Fits(c.ctx, s.source, app, args[0], most)
				if err != nil {
					return err
				}
				var knot *conflict.Explanation
				if tangle != nil {
					if knot, err = conflict.Explain(c.ctx, s.source, app, tangle); err != nil {
						return err
					}
				}
				s.still()
				answer := ask.NewFit(args[0], app, fits, knot, s.a.Place)
				if err := c.show(answer, func(p *text.Page) { p.Fit(answer) }); err != nil {
					return err
				}
				for _, f := range fits {
					if f.Fits {
						return nil
					}
				}
				return errAttention
			})
		},
	}
	cmd.Flags().IntVar(&most, "most", 20, "how many releases to try; 0 for all")
	return cmd
}

// keeping says whether, why and until when a package is held.
func (s *session) keeping(name string) doc.Keeping {
	if !slices.Contains(s.a.Application().Held, name) {
		return doc.Keeping{}
	}
	hold := s.a.Config.Hold[name]
	return doc.Keeping{Held: true, Reason: hold.Reason, Until: hold.Until}
}
