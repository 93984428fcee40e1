package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
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
raised. With --all the stages are tried one after the other, each with its own packages, tasks and checks, up to the first that
fails. --into leaves the copy in a folder, for playing in. Exit 1 when a check fails that passed before.`,
		Example: "  molt trial\n  molt trial goal-5\n  molt trial --all --into ../desk-on-5",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			id := ""
			if len(args) > 0 {
				id = args[0]
			}
			if all && id != "" {
				return &input.UsageError{Reason: "trial: expected either the name of a stage or --all"}
			}
			return c.session(ask.Needs{Write: true}, func(s *ask.Session) error {
				d, err := s.Trial(id, all, into, c.watcher(s))
				return answer(c, s, d, err, (*text.Page).Trial)
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "rehearse all stages that are to do, one after the other")
	cmd.Flags().StringVar(&into, "into", "", "leave the copy in this folder, which must not exist yet")
	return cmd
}
