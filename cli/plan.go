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
			a, release, err := c.use()
			if err != nil {
				return err
			}
			defer release()
			goal, err := goalOf(a, args)
			if err != nil {
				return err
			}
			source, done, err := c.source(a, true)
			if err != nil {
				return err
			}
			defer done()
			if err := a.CheckDeclared(c.ctx, source); err != nil {
				return err
			}
			made, err := upgrade.NewPlan(c.ctx, source, a.Application(), goal)
			if err != nil {
				return c.explain(a, source, err)
			}
			file := app.NewPlanDoc(made)
			doc := render.NewPlanDoc(file)
			if !made.Reachable {
				knot, _, err := untangledGoal(c.ctx, a, source, made.Goal.String())
				if err != nil {
					return err
				}
				doc.Untangle = &knot
			}
			done()
			if !dry {
				if err := a.WritePlan(file); err != nil {
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
		},
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the plan and write nothing")
	return cmd
}
