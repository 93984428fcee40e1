package cli

import (
	"io"

	"github.com/spf13/cobra"

	"molt/app/stages"
	"molt/ask"
	"molt/doc"
	"molt/render/md"
	"molt/render/sarif"
	"molt/render/text"
)

func (c *call) assess() command {
	var gate bool
	var previews []string
	cmd := &cobra.Command{
		Use:   "assess [GOAL]...",
		Short: "Say what a goal means for every declared package, and on what evidence",
		Long: `Assess finds the standing of every declared package towards a goal such as brackwater@5:

  ready      the locked release is compatible with the goal too
  bridge     some release is compatible with both: upgrade it before
  together   only releases that refuse the framework in use: it moves with the goal
  blocked    no release that it may have is compatible with the goal
  silent     says nothing about the framework, and stays
  retiring   renamed, abandoned, or part of the goal or of another package
  outside    not from the registry: Molt cannot judge it

Standings are decided by solving the whole application; packages that nobody declares are named where something has to
happen to them. A goal without a constraint means the newest major. Further goals, such as node@22 or another declared
package, are to be reached too. Without GOAL, the one in molt.yaml counts. Exit 1 when the goal is out of reach.

Upgrade guides ("advice:" in molt.yaml) change standings, and what of them touches this application is shown.

--gate is for continuous integration: one line, and exit 0 on the day when the goal has come into reach.`,
		Example: "  molt assess brackwater@5\n  molt assess brackwater@5 node@22\n  molt assess --gate",
	}
	run := func(c *call, args []string) error {
		return c.session(ask.Needs{Dated: true, Declared: true, Goals: args}, func(s *ask.Session) error {
			d, err := s.Assess(c.ctx, args, previews, gate)
			return answer(c, s, d, err, func(p *text.Page, d doc.Assess) {
				if gate {
					p.Gate(d)
				} else {
					p.Assess(d)
				}
			}, form[doc.Assess]{"md", md.Assess},
				form[doc.Assess]{"sarif", func(w io.Writer, d doc.Assess) error {
					return sarif.Write(w, thisVersion(), stages.InRepository(c.ctx, s.App.View, ask.LocateAssess(s.App.View, d)))
				}})
		})
	}
	cmd.Flags().BoolVar(&gate, "gate", false, "say in one line whether the goal can be reached")
	cmd.Flags().StringSliceVar(&previews, "preview", nil, "allow previews of this package, for this call")
	return command{Command: cmd, run: run, takes: asks, formats: []string{"md", "sarif"}, sides: ask.Named, operand: goals,
		values: map[string]completion{"preview": declaredHere}}
}
