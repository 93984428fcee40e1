package cli

import (
	"errors"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"molt/app/run"
	"molt/ask"
	"molt/doc"
	"molt/input"
	"molt/render"
	"molt/render/junit"
	"molt/render/md"
	"molt/render/text"
)

// A march is how step goes on from stage to stage.
type march struct {
	all, pause, commit, culprit, split, own bool
}

func (c *call) step() command {
	var m march
	cmd := &cobra.Command{
		Use:   "step [STAGE]",
		Short: "Carry out the next stage of the plan",
		Long: `Step changes the manifest, regenerates the lock, runs the tasks that belong to what moves and the checks of molt.yaml,
and gives a verdict. When a task or a check fails, or the call is interrupted, the files are as they were before. Where
it is not known how the checks go on the state as it is, as before the first stage, they run on that first, so that no
stage is blamed for what failed already. A stage that only people can carry out is ticked off when they have.

--all goes on until the goal is reached, and when called again to the end of the plan, or until a stage fails or waits
for people; the stages before that stay done. A plan that no longer holds to its end is not begun. In JSON it gives a
document for each stage. --pause asks before each further stage.

--commit makes a commit of each stage, with what moved and why; it refuses when manifest or lock hold something that is
not committed.

--find-culprit looks, when a check fails, for the changes that make it fail: some of the stage's changes at a time, each
time solved again and checked in a copy of the application. --isolate then cuts the stage in two in the plan: what
passes now, and behind it the culprit.

--own-version writes the application's own version after the last stage: its major part moves when a runtime had to be
raised, its minor part when what the application is made of changed, its patch part otherwise.`,
		Example: "  molt step\n  molt step patch\n  molt step --all --commit\n  molt step --find-culprit --isolate",
		Args:    cobra.MaximumNArgs(1),
	}
	do := func(c *call, args []string) error {
		stage := ""
		if len(args) > 0 {
			stage = args[0]
		}
		switch {
		case m.all && stage != "":
			return &input.UsageError{Reason: "step: expected either the name of a stage or --all"}
		case m.pause && !m.all:
			return &input.UsageError{Reason: "step: --pause goes with --all"}
		case m.split && !m.culprit:
			return &input.UsageError{Reason: "step: --isolate goes with --find-culprit; molt plan --split STAGE --apart " +
				"PACKAGE splits a stage as you say"}
		}
		return c.session(ask.Needs{Write: true}, func(s *ask.Session) error { return c.march(s, m, stage) })
	}
	flags := cmd.Flags()
	flags.BoolVar(&m.all, "all", false,
		"go on until the goal is reached, or a stage fails or waits for people; from the goal on, to the end of the plan")
	flags.BoolVar(&m.pause, "pause", false, "with --all, ask before each further stage")
	flags.BoolVar(&m.commit, "commit", false, "make a commit of each stage")
	flags.BoolVar(&m.culprit, "find-culprit", false, "when a check fails, find the changes that make it fail")
	flags.BoolVar(&m.split, "isolate", false, "with --find-culprit, put the culprit into a stage of its own")
	flags.BoolVar(&m.own, "own-version", false, "after the last stage, write the application's own version")
	return command{Command: cmd, run: do, takes: runs, formats: []string{"md", "junit"}, sides: ask.Staged(&m.all), builds: always, operand: operand{complete: stagesToDo}}
}

// march carries out one stage, or all, of which it makes one document.
func (c *call) march(s *ask.Session, m march, stage string) error {
	if !m.all || c.format != "json" {
		return c.marching(s, m, stage)
	}
	var all []any
	one := *c
	one.gather = &all
	err := one.marching(s, m, stage)
	if unlessAttention(err) != nil {
		return err
	}
	return errors.Join(err, c.emit(gathering{Schema: "molt/steps/1", Stages: all}))
}

func (c *call) marching(s *ask.Session, m march, stage string) error {
	request := ask.StepRequest{Stage: stage, Commit: m.commit, Culprit: m.culprit, Split: m.split, OwnVersion: m.own,
		Watcher: c.watcher(s)}
	if !c.quiet {
		request.Looking = func(changes int) { c.say("looking for the culprit among %d changes", changes) }
	}
	if m.all { // a plan that does not hold to its end is not begun
		if err := s.StagesHold(c.ctx); err != nil {
			return err
		}
	}
	for {
		done, err := s.Step(c.ctx, request)
		if err != nil {
			return err
		}
		if done.OwnVersion != nil {
			err = answer(c, s, *done.OwnVersion, nil, (*text.Page).OwnVersion)
		} else {
			d := *done.Stage
			err = answer(c, s, d, nil, (*text.Page).Step, form[doc.Step]{"md", md.Step},
				form[doc.Step]{"junit", junit.Step})
		}
		if err != nil {
			return err
		}
		if err := done.Commit(); err != nil || !m.all || done.Left == 0 {
			if err == nil && c.format == "text" && done.Stage != nil {
				c.page().NextStep(*done.Stage)
			}
			return err
		}
		if done.AtGoal && stage == "" { // a second call goes on
			if c.format == "text" {
				c.page().Remark("The goal is reached. What comes after it is left: " + render.Count(done.Left, "stage") +
					"; molt step --all goes on.")
			}
			return nil
		}
		if c.format == "text" {
			c.page().Remark("")
		}
		if m.pause && !c.goOn() {
			return nil
		}
	}
}

// watcher tells of the checks as they run.
func (c *call) watcher(s *ask.Session) run.Watcher {
	if c.quiet {
		return run.Watcher{}
	}
	return run.Watcher{Begin: func(name string) { s.Still(); c.say("checking: %s", name) }, Output: input.Shown(c.errout),
		Tried: func(t run.Trial) {
			says := ""
			if t.Says != "" {
				says = " (" + t.Says + ")"
			}
			c.say("tried %s: %s%s, %.1f s", strings.Join(t.Changes, ", "), t.Outcome,
				says, t.Took.Round(100*time.Millisecond).Seconds())
		}}
}

func (c *call) back() command {
	var name string
	var commit, force bool
	cmd := &cobra.Command{
		Use:   "back [STAGE]",
		Short: "Return to before a stage",
		Long: `Back returns the files to what they were before the stage that was carried out last, or before the named one and all
that came after it. Where the stages were committed (molt step --commit) it knows them from the commits, on any
machine, and --commit makes a commit of the way back. It refuses when a file was edited since, and shows the edits, so
that nothing is lost, and when a commit merely calls itself a stage: one that Molt did not carry out here, and that changed more
than a stage does, is taken back with --force.

--package returns one package to its release before, and leaves everything else where it is.`,
		Example: "  molt back\n  molt back goal-5\n  molt back --package foghorn-mail",
		Args:    cobra.MaximumNArgs(1),
	}
	do := func(c *call, args []string) error {
		if name != "" {
			if len(args) > 0 || commit {
				return &input.UsageError{Reason: "back: --package goes with neither a stage nor --commit"}
			}
			return c.session(ask.Needs{Write: true, Dated: true, Declared: true}, func(s *ask.Session) error {
				p, err := s.BackPackage(c.ctx, name)
				return c.change(s, p, err, false)
			})
		}
		a, release, err := c.use()
		if err != nil {
			return err
		}
		defer release()
		id := ""
		if len(args) > 0 {
			id = args[0]
		}
		d, then, err := ask.Back(c.ctx, a, id, commit, force)
		if err := answer(c, nil, d, err, (*text.Page).Back); err != nil || then == nil {
			return err
		}
		return then()
	}
	cmd.Flags().StringVar(&name, "package", "", "return this package alone to its release before")
	cmd.Flags().BoolVar(&commit, "commit", false, "make a commit of the way back")
	cmd.Flags().BoolVar(&force, "force",
		false, "take back what a commit calls a stage too, where Molt did not carry it out here and it changed other files")
	return command{Command: cmd, run: do, takes: runs, sides: ask.Of(&name), builds: always, operand: operand{complete: stagesDone},
		words: []string{"undo", "rollback"}, values: map[string]completion{"package": declaredHere}}
}
