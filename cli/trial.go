package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/doc"
	"molt/input"
	"molt/render/junit"
	"molt/render/text"
)

func (c *call) trial() command {
	var want ask.TrialRequest
	cmd := &cobra.Command{
		Use:   "trial [STAGE]",
		Short: "Try stages in a second copy of the application, beside the real one",
		Long: `Trial makes a copy of the application (under git a work tree of its own, with what is not committed too), runs the
checks in it, puts in what the plan's stages come to, up to STAGE or else the next one alone, runs the tasks and the
checks again, and gives a verdict. The application itself is not touched. A runtime that the stages raise counts as
raised. With --all the stages are tried one after the other, each with its own packages, tasks and checks, up to the first that
fails; those that passed in an earlier trial are passed over as long as no file has changed that they depend on, so that a trial goes on
where it was interrupted. With --each every stage that goes ahead of the framework is tried by itself. --into leaves the copy in a folder, for playing in. Exit 1 when a check fails that passed before.`,
		Example: "  molt trial\n  molt trial goal-5\n  molt trial --all --into ../desk-on-5\n  molt trial --each",
		Args:    cobra.MaximumNArgs(1),
	}
	run := func(c *call, args []string) error {
		if len(args) > 0 {
			want.Stage = args[0]
		}
		switch {
		case want.All && want.Stage != "", want.Each && (want.All || want.Stage != ""):
			return &input.UsageError{Reason: "trial: expected one of the name of a stage, --all and --each"}
		case want.Each && want.Into != "":
			return &input.UsageError{Reason: "--each makes a copy for each stage, so there is none that --into could leave"}
		case want.Anew && !want.All:
			return &input.UsageError{Reason: "--anew goes with --all"}
		}
		return c.session(ask.Needs{Write: true}, func(s *ask.Session) error {
			d, err := s.Trial(c.ctx, want, c.watcher(s))
			return answer(c, s, d, err, (*text.Page).Trial, form[doc.TrialRun]{"junit", junit.Trial})
		})
	}
	cmd.Flags().BoolVar(&want.All, "all", false, "rehearse all stages that are to do, one after the other")
	cmd.Flags().BoolVar(&want.Each, "each", false, "try every stage that goes ahead of the framework by itself")
	cmd.Flags().BoolVar(&want.Anew, "anew",
		false, "with --all, judge those stages again too that passed in an earlier trial")
	cmd.Flags().StringVar(&want.Into, "into", "", "leave the copy in this folder, which must not exist yet")
	return command{Command: cmd, run: run, takes: runs, formats: []string{"junit"}, sides: ask.Staged(&want.All), lone: []string{"into"}, builds: always, operand: operand{complete: stagesToDo},
		words: []string{"test", "try"}}
}
