package cli

import (
	"github.com/spf13/cobra"

	"molt/app"
	"molt/core/upgrade"
	"molt/render"
)

func (c *call) plan() *cobra.Command {
	var dry bool
	cmd := &cobra.Command{
		Use:   "plan [GOAL]",
		Short: "Cut the way to a goal into stages that each resolve",
		Long: `Plan writes molt-plan.yaml: first what moves safely (patch, minor), then the packages that go with both majors,
then the framework with exactly what must move together, then what the goal opens. Every stage was solved to a lock.
When the goal is out of reach the plan goes as far as it can, says what stands in the way, and the exit code is 1.`,
		Example: "  molt plan brackwater@5\n  molt plan --dry-run --format json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{write: true, dated: true, checked: true}, func(s *session) error {
				goal, err := goalOf(s.a, args)
				if err != nil {
					return err
				}
				made, err := upgrade.NewPlan(c.ctx, s.source, s.a.Application(), goal)
				if err != nil {
					return s.explain(err)
				}
				file := app.NewPlanDoc(made)
				doc := render.NewPlanDoc(file)
				if !made.Reachable {
					knot, _, err := s.untangledGoal(made.Goal.String())
					if err != nil {
						return err
					}
					doc.Untangle = &knot
				}
				s.still()
				if !dry {
					if err := s.a.WritePlan(file); err != nil {
						return err
					}
				}
				if err := c.show(doc, func(p *render.Page) { p.Plan(doc) }); err != nil {
					return err
				}
				if !made.Reachable {
					return errAttention
				}
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the plan and write nothing")
	return cmd
}
