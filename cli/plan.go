package cli

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/planfile"
	"molt/ask"
	"molt/cli/choose"
	"molt/core/conflict"
	"molt/core/plan"
	"molt/doc"
	"molt/input"
	"molt/render"
	"molt/render/md"
	"molt/render/text"
	"molt/render/words"
)

// A planning is how plan is called.
type planning struct {
	dry, renew, check, leap, notes, choose bool
	fresh, split, branch                   string
	apart, previews, bring                 []string
	into                                   string
}

func (c *call) plan() command {
	var o planning
	cmd := &cobra.Command{
		Use:   "plan [GOAL]...",
		Short: "Cut the way to a goal into stages that each resolve",
		Long: `Plan writes molt-plan.yaml: first patches and minors, then what is compatible with both majors,
then the framework with exactly what must move together, then what the goal opens. Every stage was solved to a lock.
When the goal is out of reach the plan goes as far as it can, says what stands in the way and what would come after,
and the exit code is 1.

The first goal is the framework's, such as brackwater@5; further ones are a runtime, such as node@22, or declared
packages, which are reached one after the other, each in stages of its own where that can be. --fresh says how far to freshen what the goal does not need; --leap goes to the
goal in one leap instead of one major at a time; --notes reads the change logs of what makes a breaking move.

The plan is there to be edited. --check solves it again as it stands and says what no longer holds, with its line.
--split puts packages of a stage into a stage of their own; --into has a stage move packages that a later one moves.
--renew makes the plan anew when lock or registry have moved on, keeps what people decided, and tells what changed. A
plan for new goals takes the place of the one that is there; when people had written into that, it is kept as
molt-plan.before.yaml.`,
		Example: `  molt plan brackwater@5
  molt plan brackwater@5 node@22 --fresh minor --dry-run
  molt plan --split minor --apart tidepool-pages,tidepool-store
  molt plan --into goal-5 --bring lintbuoy
  molt plan --renew`,
	}
	run := func(c *call, args []string) error {
		if err := o.valid(args); err != nil {
			return err
		}
		o := o
		o.dry = o.dry || c.rehearsing
		if o.choose {
			if err := c.mayChoose("--fresh none, patch, minor or major; --leap; molt untangle GOAL --take N"); err != nil {
				return err
			}
		}
		return c.session(ask.Needs{Write: !o.dry && !o.check, Dated: true, Declared: true, Goals: args},
			func(s *ask.Session) error { return c.planned(s, o, args) })
	}
	flags := cmd.Flags()
	flags.BoolVar(&o.dry, "dry-run", false, "show the plan and write nothing")
	oneOf(flags, &o.fresh, "fresh", plan.Freshness,
		"how far to freshen what the goal does not need: none, patch, minor or major (default major)")
	flags.BoolVar(&o.choose, "choose", false, "choose on the terminal how to go, and see at once what that comes to")
	flags.BoolVar(&o.leap, "leap", false, "go to the goal in one leap")
	flags.StringSliceVar(&o.previews, "preview", nil, "allow previews of this package, for this call")
	flags.BoolVar(&o.notes, "notes", false, "add what change logs call breaking to every breaking move")
	flags.BoolVar(&o.check, "check", false, "solve the plan again as it stands")
	flags.BoolVar(&o.renew, "renew", false, "make the plan anew and keep what people decided")
	flags.StringVar(&o.split, "split", "", "the stage to split")
	flags.StringSliceVar(&o.apart, "apart", nil, "with --split, the packages that go into a stage of their own")
	flags.StringVar(&o.branch, "branch", "", "make a branch of git for the plan, and tie the plan to it")
	flags.StringVar(&o.into, "into", "", "the stage into which --bring moves packages")
	flags.StringSliceVar(&o.bring, "bring", nil, "with --into, packages that a later stage moves and this one is to move")
	return command{Command: cmd, run: run, takes: asks, formats: []string{"md"}, sides: o.parts, whole: true, operand: goals,
		words: []string{"upgrade", "update", "migrate"}, values: map[string]completion{"preview": declaredHere,
			"apart": declaredHere, "bring": declaredHere, "split": stagesToDo, "into": stagesToDo}}
}

// parts are those with the stage that is named, else those of the goals.
func (o *planning) parts(f *ask.Folder, args []string) ([]ask.Part, error) {
	if stage := cmp.Or(o.split, o.into); stage != "" {
		return f.Parts(ask.WithStage(stage), args)
	}
	return ask.Planned(f, args)
}

// valid looks at whether the flags go together.
func (o planning) valid(args []string) error {
	modes := 0
	for _, on := range []bool{o.split != "", o.check, o.renew, o.into != ""} {
		if on {
			modes++
		}
	}
	switch {
	case modes > 1 || modes == 1 && len(args) > 0:
		return &input.UsageError{Reason: "plan: expected goals, or one of --split, --into, --check and --renew"}
	case o.choose && (modes > 0 || o.fresh != "" || o.leap):
		return &input.UsageError{Reason: "plan: --choose asks about --fresh and --leap, and goes with neither of them, nor " +
			"with --split, --check and --renew"}
	case modes == 1 && (o.fresh != "" || o.leap || o.notes || o.branch != ""):
		return &input.UsageError{Reason: "plan: --fresh, --leap, --notes and --branch are for a new plan"}
	case o.split == "" && len(o.apart) > 0:
		return &input.UsageError{Reason: "--apart names packages of a stage, and --split STAGE says of which"}
	case (o.into == "") != (len(o.bring) == 0):
		return &input.UsageError{Reason: "plan: --bring names packages that later stages move, and --into the stage that " +
			"is to move them"}
	case (o.split != "" || o.into != "") && o.dry:
		return &input.UsageError{Reason: "plan: --dry-run goes with a new plan or --renew"}
	}
	return nil
}

// planned makes, splits, checks or renews a plan.
func (c *call) planned(s *ask.Session, o planning, goals []string) error {
	switch {
	case o.choose:
		return c.choosePlan(s, o, goals)
	case o.split != "":
		d, first, second, err := s.SplitPlan(c.ctx, o.split, o.apart, o.previews)
		return answer(c, s, d, err, func(p *text.Page, d doc.Plan) { p.Split(d, first, second) })
	case o.into != "":
		d, err := s.BringIntoPlan(c.ctx, o.into, o.bring, o.previews)
		return answer(c, s, d, err, func(p *text.Page, d doc.Plan) { p.Brought(d, o.into) })
	case o.check:
		d, err := s.CheckPlan(c.ctx, o.previews)
		return answer(c, s, d, err, func(p *text.Page, _ doc.Plan) {
			p.Remark(fmt.Sprintf("Every stage of %s that is still to do resolves, in this order.", planfile.File))
		})
	case o.renew:
		d, err := s.RenewPlan(c.ctx, o.previews, o.dry)
		return answer(c, s, d, err, (*text.Page).Plan, form[doc.Plan]{"md", md.Plan})
	}
	d, err := s.MakePlan(c.ctx, ask.PlanRequest{
		Goals: goals, Previews: o.previews, Fresh: plan.Fresh(o.fresh), Leap: o.leap, Notes: o.notes, Branch: o.branch,
		Dry: o.dry})
	return answer(c, s, d, err, (*text.Page).Plan, form[doc.Plan]{"md", md.Plan})
}

// choosePlan lets a person choose how far to freshen, by which hops, and which way out, and makes that plan.
func (c *call) choosePlan(s *ask.Session, o planning, goals []string) error {
	choices, err := s.PlanChoices(c.ctx, goals)
	if err != nil {
		return err
	}
	s.Still()
	var fresh []string
	for _, f := range plan.Freshness {
		fresh = append(fresh, string(f))
	}
	questions := []choose.Question{
		{Name: "freshen what the goal does not need", Answers: fresh, At: choices.Fresh},
		{Name: "hops", Answers: []string{"one major at a time", "one leap"}}}
	if choices.Leap {
		questions[1].At = 1
	}
	if choices.Ways != nil {
		q := choose.Question{Name: "way out", Answers: []string{"none, as far as it goes"}}
		for _, way := range choices.Ways {
			q.Answers = append(q.Answers, words.Of(way.Title.Fact))
		}
		questions = append(questions, q)
	}
	request := func(at []int) (ask.PlanRequest, int) {
		r := ask.PlanRequest{Goals: goals, Previews: o.previews, Fresh: plan.Freshness[at[0]], Leap: at[1] == 1,
			Notes: o.notes, Branch: o.branch, Dry: o.dry}
		if len(at) < 3 || at[2] == 0 {
			return r, 0
		}
		way := choices.Ways[at[2]-1]
		r.Previews = append(slices.Clone(r.Previews), way.Previews...)
		if !ask.Takes(way) {
			r.Goals = ask.NearerGoal(way)
			return r, 0
		}
		return r, at[2]
	}
	all := goals
	if len(all) == 0 {
		all = strings.Fields(s.App.GoalText())
	}
	at, err := choose.Run(c.ctx, choose.Choice{
		Title: "A plan for " + strings.Join(all, " "), Questions: questions,
		Effect: func(_ context.Context, at []int) (choose.Effect, error) {
			r, take := request(at)
			command := "molt plan" + arguments(r.Goals) + flagsOf(r, o.previews)
			if take > 0 {
				command = choices.Ways[take-1].Command + "; " + command
			}
			if take > 0 && choices.Ways[take-1].Kind != conflict.PreviewWay { // what is planned depends on the edit
				way := choices.Ways[take-1]
				return choose.Effect{Command: command,
					Lines: []string{words.Of(way.Title.Fact), fmt.Sprintf(
						"changes %s; %s follow; then the plan is made", render.Count(way.Lines, "manifest line"),
						render.Count(way.Majors, "major upgrade"))}}, nil
			}
			sketch, err := s.Sketch(c.ctx, r)
			return choose.Effect{Lines: words.Each(sketch), Command: command}, err
		}}, os.Stdin, c.errout)
	if err != nil {
		return c.unchosen(err)
	}
	r, take := request(at)
	if take > 0 && !o.dry {
		d, err := s.Take(c.ctx, all, take)
		if err != nil {
			return err
		}
		words.Fill(&d)
		if err := c.show(d, func(p *text.Page) { p.Taken(d) }); err != nil {
			return err
		}
	}
	d, err := s.MakePlan(c.ctx, r)
	if r.Dry && d.Next != nil {
		d.Next.Run.Args = append(d.Next.Run.Args, strings.Fields(flagsOf(r, o.previews))...)
	}
	return answer(c, s, d, err, (*text.Page).Plan)
}

// flagsOf writes what was chosen, and the previews that the call allows, as flags.
func flagsOf(r ask.PlanRequest, previews []string) string {
	flags := " --fresh " + string(r.Fresh)
	for _, name := range previews {
		flags += " --preview " + name
	}
	if r.Leap {
		flags += " --leap"
	}
	return flags
}
