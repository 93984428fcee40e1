package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/render"
)

func (c *call) step() *cobra.Command {
	var all, commit bool
	cmd := &cobra.Command{
		Use:   "step [STAGE]",
		Short: "Carry out the next stage of the plan",
		Long: `Step changes the manifest, regenerates the lock, runs the checks of molt.yaml, and gives a verdict. When a check
fails, or the call is interrupted, the files are as they were before. A stage that only people can carry out is ticked
off when they have. --all goes on to the end of the plan, or until a stage fails or waits for people; the stages
before that stay done. In JSON it gives a document for each stage. --commit makes a commit of each stage, with what
moved and why; it refuses when manifest or lock hold something that is not committed.`,
		Example: "  molt step\n  molt step patch\n  molt step --all --commit",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			id := ""
			if len(args) > 0 {
				id = args[0]
			}
			if all && id != "" {
				return &app.UsageError{Reason: "step: expected either the name of a stage or --all"}
			}
			return c.session(occasion{write: true}, func(s *session) error {
				watch := app.Watcher{}
				if !c.quiet {
					watch = app.Watcher{Begin: func(name string) { s.still(); c.say("checking: %s", name) }, Output: c.errout}
				}
				for {
					if commit {
						if err := s.a.Committable(c.ctx); err != nil {
							return err
						}
					}
					got, err := s.a.Step(c.ctx, s.source, id, watch)
					if err != nil {
						return s.explain(err)
					}
					s.still()
					doc := render.NewStepDoc(got)
					if err := c.show(doc, func(p *render.Page) { p.Step(doc) }); err != nil {
						return err
					}
					if got.Passed && commit {
						if err := s.a.Commit(c.ctx, got.Stage); err != nil {
							return fmt.Errorf("the stage is done, and not committed: %w", err)
						}
					}
					switch {
					case !got.Passed:
						return errAttention
					case !all || got.Left == 0:
						return nil
					}
				}
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "go on to the end of the plan, or until a stage fails or waits for people")
	cmd.Flags().BoolVar(&commit, "commit", false, "make a commit of each stage")
	return cmd
}

func (c *call) back() *cobra.Command {
	return &cobra.Command{
		Use:   "back [STAGE]",
		Short: "Return to before a stage",
		Long: `Back returns manifest, lock and plan to what they were before the stage that was carried out last, or before the
named one. It refuses when a file was edited since, so that nothing is lost.`,
		Example: "  molt back\n  molt back goal-5",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			a, release, err := c.use()
			if err != nil {
				return err
			}
			defer release()
			id := ""
			if len(args) > 0 {
				id = args[0]
			}
			stages, err := a.Back(id)
			if err != nil {
				return err
			}
			return c.show(render.BackDoc{Schema: "molt/back/1", Stages: stages}, func(p *render.Page) {
				for _, s := range stages {
					fmt.Fprintf(p.W, "took back %s\n", s)
				}
			})
		},
	}
}
