package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/plan"
	"molt/doc"
	"molt/render/text"
)

// A planning is how plan is called.
type planning struct {
	dry, renew, check, leap, notes bool
	fresh, split, branch           string
	apart, previews                []string
}

func (c *call) plan() *cobra.Command {
	var o planning
	cmd := &cobra.Command{
		Use:   "plan [GOAL]...",
		Short: "Cut the way to a goal into stages that each resolve",
		Long: `Plan writes molt-plan.yaml: first what moves safely (patch, minor), then the packages that go with both majors,
then the framework with exactly what must move together, then what the goal opens. Every stage was solved to a lock.
When the goal is out of reach the plan goes as far as it can, says what stands in the way and what would come after,
and the exit code is 1.

The first goal is the framework's, such as brackwater@5; further ones are declared packages or a runtime that are to
get somewhere too, such as node@22. --fresh says how far to freshen what the goal does not need; --leap goes to the
goal in one leap instead of one major at a time; --notes reads the change logs of what makes a breaking move.

The plan is there to be edited. --check solves it again as it stands and says what no longer holds, with its line.
--split puts packages of a stage into a stage of their own. --renew makes the plan anew when lock or registry have
moved on, keeps what people decided, and tells what changed.`,
		Example: `  molt plan brackwater@5
  molt plan brackwater@5 node@22 --fresh minor --dry-run
  molt plan --split minor --apart tidepool-pages,tidepool-store
  molt plan --renew`,
		RunE: func(_ *cobra.Command, args []string) error {
			if err := o.valid(args); err != nil {
				return err
			}
			return c.session(occasion{write: !o.dry && !o.check, dated: true, checked: true}, func(s *session) error {
				if err := s.advice(o.previews); err != nil {
					return err
				}
				switch {
				case o.split != "":
					return s.split(o)
				case o.check:
					return s.checkPlan()
				case o.renew:
					return s.renew(o)
				}
				return s.makePlan(o, args)
			})
		},
	}
	flags := cmd.Flags()
	flags.BoolVar(&o.dry, "dry-run", false, "show the plan and write nothing")
	flags.StringVar(&o.fresh, "fresh", "", "how far to freshen what the goal does not need: none, patch, minor or major (default major)")
	flags.BoolVar(&o.leap, "leap", false, "go to the goal in one leap")
	flags.StringSliceVar(&o.previews, "preview", nil, "allow previews of this package, for this call")
	flags.BoolVar(&o.notes, "notes", false, "add what change logs call breaking to every breaking move")
	flags.BoolVar(&o.check, "check", false, "solve the plan again as it stands")
	flags.BoolVar(&o.renew, "renew", false, "make the plan anew and keep what people decided")
	flags.StringVar(&o.split, "split", "", "the stage to split")
	flags.StringSliceVar(&o.apart, "apart", nil, "with --split, the packages that go into a stage of their own")
	flags.StringVar(&o.branch, "branch", "", "make a branch of git for the plan, and tie the plan to it")
	_ = cmd.RegisterFlagCompletionFunc("apart", c.completeDeclared)
	return cmd
}

// valid looks at whether the flags go together.
func (o planning) valid(args []string) error {
	modes := 0
	for _, on := range []bool{o.split != "", o.check, o.renew} {
		if on {
			modes++
		}
	}
	switch {
	case modes > 1 || modes == 1 && len(args) > 0:
		return &app.UsageError{Reason: "plan: expected goals, or one of --split, --check and --renew"}
	case modes == 1 && (o.fresh != "" || o.leap || o.notes || o.branch != ""):
		return &app.UsageError{Reason: "plan: --fresh, --leap, --notes and --branch are for a new plan"}
	case (o.split != "") != (len(o.apart) > 0):
		return &app.UsageError{Reason: "plan: --split STAGE goes with --apart PACKAGE"}
	case o.split != "" && o.dry:
		return &app.UsageError{Reason: "plan: --dry-run goes with a new plan or --renew"}
	case o.fresh != "" && !slices.Contains(plan.Freshness, plan.Fresh(o.fresh)):
		return &app.UsageError{Reason: fmt.Sprintf("--fresh %q: expected none, patch, minor or major", o.fresh)}
	}
	return nil
}

// advice reads what upgrade guides say, and allows previews for this call.
func (s *session) advice(previews []string) error {
	s.a.Config.Previews = slices.Concat(s.a.Config.Previews, previews)
	warnings, err := s.a.LoadAdvice(s.ctx)
	for _, w := range warnings {
		s.say("warning: %s", w)
	}
	return err
}

func (s *session) makePlan(o planning, args []string) error {
	goals, err := s.a.Goals(args)
	if err != nil {
		return err
	}
	cut := plan.Cut{Fresh: plan.Fresh(s.a.Config.Stages.Fresh), Leap: s.a.Config.Stages.Leap || o.leap}
	if o.fresh != "" {
		cut.Fresh = plan.Fresh(o.fresh)
	}
	file, made, err := s.a.MakePlan(s.ctx, s.source, goals, cut)
	if err != nil {
		return s.explain(err)
	}
	if o.notes {
		if err := s.a.AddNotes(s.ctx, s.source, file); err != nil {
			return err
		}
	}
	file.Branch = o.branch
	answer, err := s.planDoc(file, made.Reachable)
	if err != nil {
		return err
	}
	if !o.dry {
		if o.branch != "" {
			if err := s.a.NewBranch(s.ctx, o.branch); err != nil {
				return err
			}
		}
		if err := s.a.WritePlan(file); err != nil {
			return err
		}
	}
	return s.showPlan(answer)
}

// planDoc makes the document of a plan, with the tangle where the goal is out of reach.
func (s *session) planDoc(file *app.PlanDoc, reachable bool) (doc.Plan, error) {
	times, err := s.a.CheckTimes()
	if err != nil {
		return doc.Plan{}, err
	}
	answer := ask.NewPlan(file, times)
	if !reachable {
		knot, _, err := s.untangledGoal(file.Goals()...)
		if err != nil {
			return answer, err
		}
		answer.Untangle = &knot
	}
	s.still()
	return answer, nil
}

func (s *session) showPlan(answer doc.Plan) error {
	if err := s.show(answer, func(p *text.Page) { p.Plan(answer) }); err != nil {
		return err
	}
	if !answer.Reachable {
		return errAttention
	}
	return nil
}

func (s *session) split(o planning) error {
	first, second, err := s.a.Split(s.ctx, s.source, o.split, o.apart)
	if err != nil {
		return s.explain(err)
	}
	file, err := s.a.ReadPlan()
	if err != nil {
		return err
	}
	answer, err := s.planDoc(file, true)
	if err != nil {
		return err
	}
	return s.show(answer, func(p *text.Page) { p.Split(answer, first.ID, second.ID) })
}

func (s *session) checkPlan() error {
	file, err := s.a.CheckPlan(s.ctx, s.source)
	if err != nil {
		return s.explain(err)
	}
	answer, err := s.planDoc(file, true)
	if err != nil {
		return err
	}
	return s.show(answer, func(p *text.Page) {
		p.Remark(fmt.Sprintf("Every stage of %s that is still to do resolves, in this order.", app.PlanFile))
	})
}

func (s *session) renew(o planning) error {
	r, err := s.a.Renew(s.ctx, s.source)
	if err != nil {
		return s.explain(err)
	}
	answer, err := s.planDoc(r.Plan, r.Made.Reachable)
	if err != nil {
		return err
	}
	if !o.dry {
		if err := s.a.WriteRenewal(r); err != nil {
			return err
		}
	}
	answer.Renewal = &doc.Renewal{Kept: append([]string{}, r.Kept...), Lost: append([]string{}, r.Lost...), Changed: append([]string{}, r.Changed...)}
	return s.showPlan(answer)
}
