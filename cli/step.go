package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/doc"
	"molt/input"
	"molt/render/text"
)

// A march is how step goes on from stage to stage.
type march struct {
	all, pause, commit, culprit, split, own bool
}

func (c *call) step() *cobra.Command {
	var m march
	cmd := &cobra.Command{
		Use:   "step [STAGE]",
		Short: "Carry out the next stage of the plan",
		Long: `Step changes the manifest, regenerates the lock, runs the tasks that belong to what moves and the checks of molt.yaml,
and gives a verdict. When a task or a check fails, or the call is interrupted, the files are as they were before. Where
it is not known how the checks go on the state as it is, as before the first stage, they run on that first, so that no
stage is blamed for what failed already. A stage that only people can carry out is ticked off when they have.

--all goes on to the end of the plan, or until a stage fails or waits for people; the stages before that stay done. In
JSON it gives a document for each stage. --pause asks before each further stage.

--commit makes a commit of each stage, with what moved and why; it refuses when manifest or lock hold something that is
not committed.

--find-culprit looks, when a check fails, for the changes that make it fail: some of the stage's changes at a time, each
time solved again and checked in a copy of the application. --split then cuts the stage in two in the plan: what
passes now, and behind it the culprit.

--own-version writes the application's own version after the last stage: its major part moves when a runtime had to be
raised, its minor part when what the application is made of changed, its patch part otherwise.`,
		Example: "  molt step\n  molt step patch\n  molt step --all --commit\n  molt step --find-culprit --split",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			order := app.Order{Commit: m.commit, OwnVersion: m.own}
			if len(args) > 0 {
				order.ID = args[0]
			}
			switch {
			case m.all && order.ID != "":
				return &app.UsageError{Reason: "step: expected either the name of a stage or --all"}
			case m.pause && !m.all:
				return &app.UsageError{Reason: "step: --pause goes with --all"}
			case m.split && !m.culprit:
				return &app.UsageError{Reason: "step: --split goes with --find-culprit; molt plan --split STAGE --apart PACKAGE splits a stage as you say"}
			}
			return c.session(occasion{write: true}, func(s *session) error { return s.march(m, order) })
		},
	}
	flags := cmd.Flags()
	flags.BoolVar(&m.all, "all", false, "go on to the end of the plan, or until a stage fails or waits for people")
	flags.BoolVar(&m.pause, "pause", false, "with --all, ask before each further stage")
	flags.BoolVar(&m.commit, "commit", false, "make a commit of each stage")
	flags.BoolVar(&m.culprit, "find-culprit", false, "when a check fails, find the changes that make it fail")
	flags.BoolVar(&m.split, "split", false, "with --find-culprit, put the culprit into a stage of its own")
	flags.BoolVar(&m.own, "own-version", false, "after the last stage, write the application's own version")
	return cmd
}

// march carries out one stage, or all.
func (s *session) march(m march, order app.Order) error {
	for {
		if m.commit {
			late, err := s.a.Committable(s.ctx)
			if late != "" {
				s.say("committed stage %s, which had been carried out before", late)
			}
			if err != nil {
				return err
			}
		}
		if m.own {
			if done, err := s.ownVersionAlone(m); done || err != nil {
				return err
			}
		}
		got, err := s.a.Step(s.ctx, s.source, order, s.watcher())
		if err != nil {
			return s.explain(err)
		}
		s.still()
		answer := ask.NewStep(got)
		if !got.Passed && got.Stage.Raise == nil && m.culprit {
			if err := s.culprit(m, got, &answer); err != nil {
				return err
			}
		}
		if err := s.show(answer, func(p *text.Page) { p.Step(answer) }); err != nil {
			return err
		}
		if got.Passed && m.commit {
			if err := s.a.Commit(s.ctx, got.Stage); err != nil {
				return fmt.Errorf("the stage is done, and not committed: %w; molt step --commit will", err)
			}
		}
		switch {
		case !got.Passed:
			return errAttention
		case !m.all || got.Left == 0:
			return nil
		}
		if s.format == "text" {
			s.page().Remark("")
		}
		if m.pause && !s.goOn() {
			return nil
		}
	}
}

// watcher tells of the checks as they run.
func (s *session) watcher() app.Watcher {
	if s.quiet {
		return app.Watcher{}
	}
	return app.Watcher{Begin: func(name string) { s.still(); s.say("checking: %s", name) }, Output: input.Shown(s.errout),
		Tried: func(t app.Trial) {
			says := ""
			if t.Says != "" {
				says = " (" + t.Says + ")"
			}
			s.say("tried %s: %s%s, %.1f s", strings.Join(t.Changes, ", "), t.Outcome, says, t.Took.Round(100*time.Millisecond).Seconds())
		}}
}

// culprit looks for what makes the stage fail, and splits the stage when asked to.
func (s *session) culprit(m march, got *app.Step, answer *doc.Step) error {
	if !s.quiet {
		s.say("looking for the culprit among %d changes", len(got.Stage.Changes))
	}
	found, err := s.a.FindCulprit(s.ctx, s.source, got, s.watcher())
	if err != nil {
		return err
	}
	split := []string{}
	if m.split && len(found.Rest) > 0 {
		first, second, err := s.a.Split(s.ctx, s.source, found.Stage, found.Changes)
		if err != nil {
			return fmt.Errorf("the culprit is %s, but: %w", strings.Join(found.Changes, ", "), err)
		}
		split = []string{first.ID, second.ID}
	}
	answer.Culprit = ask.NewCulprit(found, split)
	return nil
}

// ownVersionAlone writes the application's own version when there is no stage left to write it with.
func (s *session) ownVersionAlone(m march) (bool, error) {
	plan, err := s.a.ReadPlan()
	if err != nil || plan.Next() != nil {
		return false, err
	}
	own, err := s.a.SetOwnVersion()
	if err != nil {
		return true, err
	}
	answer := ask.NewOwnVersion(own)
	if err := s.show(answer, func(p *text.Page) { p.OwnVersion(answer) }); err != nil || own == nil || !m.commit {
		return true, err
	}
	return true, s.a.Commit(s.ctx, app.StageDoc{ID: app.OwnVersionStage, Title: own.From + " to " + own.To})
}

// goOn asks whether to carry out the next stage.
func (s *session) goOn() bool {
	s.say("go on? [y/N]")
	answer, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return false
	}
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes"
}

func (c *call) back() *cobra.Command {
	var name string
	var commit bool
	cmd := &cobra.Command{
		Use:   "back [STAGE]",
		Short: "Return to before a stage",
		Long: `Back returns the files to what they were before the stage that was carried out last, or before the named one and all
that came after it. Where the stages were committed (molt step --commit) it knows them from the commits, on any
machine, and --commit makes a commit of the way back. It refuses when a file was edited since, and shows the edits, so
that nothing is lost.

--package returns one package to its release before, and leaves everything else where it is.`,
		Example: "  molt back\n  molt back goal-5\n  molt back --package foghorn-mail",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if name != "" {
				if len(args) > 0 || commit {
					return &app.UsageError{Reason: "back: --package goes with neither a stage nor --commit"}
				}
				return c.backPackage(name)
			}
			a, release, err := c.use()
			if err != nil {
				return err
			}
			defer release()
			if commit {
				if _, err := a.Committable(c.ctx); err != nil {
					return err
				}
			}
			id := ""
			if len(args) > 0 {
				id = args[0]
			}
			back, err := a.Back(c.ctx, id)
			if err != nil {
				return err
			}
			if err := c.show(doc.Back{Schema: "molt/back/1", Stages: back.Stages}, func(p *text.Page) {
				for _, s := range back.Stages {
					p.Line("took back %s", s)
				}
			}); err != nil || !commit {
				return err
			}
			return a.CommitBack(c.ctx, back)
		},
	}
	cmd.Flags().StringVar(&name, "package", "", "return this package alone to its release before")
	cmd.Flags().BoolVar(&commit, "commit", false, "make a commit of the way back")
	_ = cmd.RegisterFlagCompletionFunc("package", c.completeDeclared)
	return cmd
}

// backPackage wants the release that a package had before.
func (c *call) backPackage(name string) error {
	return c.session(occasion{write: true, dated: true, checked: true}, func(s *session) error {
		changes, err := s.a.ChangesBack(s.ctx, name)
		if err != nil {
			return err
		}
		return s.change("back-"+name, changes, nil, false)
	})
}
