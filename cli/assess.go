package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/core/upgrade"
	"molt/render"
)

func (c *call) assess() *cobra.Command {
	return &cobra.Command{
		Use:   "assess [GOAL]",
		Short: "Say what a goal means for every declared package, and on what evidence",
		Long: `Assess finds the standing of every declared package towards a goal such as brackwater@5:

  ready      the locked release goes with the goal too
  bridge     some release goes with both: move it before
  together   only releases that refuse the framework in use: it moves with the goal
  blocked    no release goes with the goal
  silent     says nothing about the framework, and stays
  retiring   renamed, abandoned, or swallowed by the goal

Standings are decided by solving the whole application. Without GOAL, the one in molt.yaml counts. Exit 1 when the
goal is out of reach.`,
		Example: "  molt assess brackwater@5",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{dated: true, checked: true}, func(s *session) error {
				goal, err := goalOf(s.a, args)
				if err != nil {
					return err
				}
				got, err := upgrade.Assess(c.ctx, s.source, s.a.Application(), goal)
				if err != nil {
					return s.explain(err)
				}
				here := map[string]string{}
				if name, v := s.a.RuntimeHere(c.ctx); v != "" {
					here[name] = v
				}
				doc := render.NewAssessDoc(got, here)
				if !got.Reachable {
					knot, _, err := s.untangledFrom(got)
					if err != nil {
						return err
					}
					doc.Untangle = &knot
				}
				s.still()
				if err := c.show(doc, func(p *render.Page) { p.Assess(doc) }); err != nil {
					return err
				}
				if !got.Reachable {
					return errAttention
				}
				return nil
			})
		},
	}
}

// goalOf takes the goal from the call, else from the configuration.
func goalOf(a *app.App, args []string) (upgrade.Goal, error) {
	text := a.Config.Goal
	if len(args) > 0 {
		text = args[0]
	}
	if text == "" {
		return upgrade.Goal{}, &app.UsageError{Reason: fmt.Sprintf("name a goal such as brackwater@5, or set \"goal:\" in %s", app.ConfigFile)}
	}
	return upgrade.ParseGoal(text), nil
}
