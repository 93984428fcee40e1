package cli

import (
	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/render/text"
)

func (c *call) trial() *cobra.Command {
	var all bool
	var into string
	cmd := &cobra.Command{
		Use:   "trial [STAGE]",
		Short: "Try stages in a second copy of the application, beside the real one",
		Long: `Trial makes a copy of the application (under git a work tree of its own, with what is not committed too), runs the
checks in it, puts in what the plan's stages come to, up to STAGE or else the next one alone, runs the tasks and the
checks again, and gives a verdict. The application itself is not touched. A runtime that the stages raise counts as
raised. --into leaves the copy in a folder, for playing in. Exit 1 when a check fails that passed before.`,
		Example: "  molt trial\n  molt trial goal-5\n  molt trial --all --into ../desk-on-5",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			id := ""
			if len(args) > 0 {
				id = args[0]
			}
			if all && id != "" {
				return &app.UsageError{Reason: "trial: expected either the name of a stage or --all"}
			}
			return c.session(occasion{write: true}, func(s *session) error {
				if all {
					plan, err := s.a.ReadPlan()
					if err != nil {
						return err
					}
					if n := len(plan.Stages); n > 0 {
						id = plan.Stages[n-1].ID
					}
				}
				got, err := s.a.Try(c.ctx, s.source, id, into, s.watcher())
				if err != nil {
					return s.explain(err)
				}
				s.still()
				answer := ask.NewTrial(got)
				if err := c.show(answer, func(p *text.Page) { p.Trial(answer) }); err != nil {
					return err
				}
				if !got.Passed {
					return errAttention
				}
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "try all stages that are to do")
	cmd.Flags().StringVar(&into, "into", "", "leave the copy in this folder, which must not exist yet")
	return cmd
}
