package run

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"molt/app/config"
	"molt/core/plan"
	"molt/core/solve"
)

// A Trial is one look at some of a stage's changes, in a copy of the application.
type Trial struct {
	Changes []string // names of the packages
	Outcome plan.Outcome
	Says    string // why it is unsure, or how the check failed
	Ran     bool   // whether checks were run for it; what does not resolve needs none
	Took    time.Duration
}

// A Culprit is a minimal set of a stage's changes that fails a check.
type Culprit struct {
	Stage   string
	Check   string // the check or task that fails
	Changes []string
	Rest    []string // the stage's other packages
	Passes  bool     // whether the rest alone passes
	Trials  []Trial
}

// A Search looks for the changes of a stage that make a check fail: each subset is solved again and
// checked in a copy of the application of its own.
type Search struct {
	Runner Runner
	Stage  string
	Units  [][]string     // the packages that the stage changes, those together that move in step
	Check  string         // the check or task that fails
	Checks []config.Check // those to run, the failing one last; nil where a task fails
	// Rehearse works out what the files of the application hold with the changes of some packages
	// only, and which tasks belong to them. It is a *solve.Tangle where they do not resolve
	// without the others.
	Rehearse func(ctx context.Context, packages []string) (files map[string][]byte, tasks []config.Task, err error)
	// LayOut has the packages of a copy be those of its files; nil where nobody does.
	LayOut func(ctx context.Context, dir string, files map[string][]byte) error
	Tried  func(Trial) // nil for nobody who watches

	trials []Trial
	seen   map[string]plan.Outcome
}

// Run looks for the culprit. Nothing of the application is changed.
func (s *Search) Run(ctx context.Context) (*Culprit, error) {
	c := &Culprit{Stage: s.Stage, Check: s.Check}
	s.seen = map[string]plan.Outcome{}
	found, err := plan.Culprit(len(s.Units), func(some []int) (plan.Outcome, error) { return s.trial(ctx, some) })
	if err != nil {
		return nil, err
	}
	var rest []int
	for u := range s.Units {
		if slices.Contains(found, u) {
			c.Changes = append(c.Changes, s.Units[u]...)
		} else {
			rest = append(rest, u)
			c.Rest = append(c.Rest, s.Units[u]...)
		}
	}
	if rest != nil {
		o, known := s.seen[fmt.Sprint(rest)]
		if !known {
			if o, err = s.trial(ctx, rest); err != nil {
				return nil, err
			}
		}
		c.Passes = o == plan.Passes
	}
	c.Trials = s.trials
	return c, nil
}

// trial solves and checks some of the units.
func (s *Search) trial(ctx context.Context, some []int) (plan.Outcome, error) {
	var names []string
	for _, u := range some {
		names = append(names, s.Units[u]...)
	}
	began := time.Now()
	t := Trial{Changes: names, Outcome: plan.Unsure}
	if err := s.look(ctx, names, &t); err != nil {
		return "", err
	}
	t.Took = time.Since(began)
	s.trials = append(s.trials, t)
	s.seen[fmt.Sprint(some)] = t.Outcome
	if s.Tried != nil {
		s.Tried(t)
	}
	return t.Outcome, nil
}

func (s *Search) look(ctx context.Context, names []string, t *Trial) error {
	files, tasks, err := s.Rehearse(ctx, names)
	var tangle *solve.Tangle
	if errors.As(err, &tangle) {
		t.Says = "it does not resolve without the others"
		return nil
	}
	if err != nil {
		return err
	}
	c, err := s.Runner.Separate(ctx)
	if err != nil {
		return err
	}
	defer c.Done()
	for name, data := range files {
		if err := os.WriteFile(filepath.Join(c.Dir, name), data, 0o644); err != nil {
			return err
		}
	}
	if s.LayOut != nil {
		if err := s.LayOut(ctx, c.Dir, files); err != nil {
			return err
		}
	}
	t.Ran = true
	verdicts, passed, err := s.Runner.Tasks(ctx, c.Dir, s.Stage+"-trial", tasks, Watcher{}) // a line a trial is enough
	if err != nil {
		return err
	}
	if passed && s.Checks != nil {
		if verdicts, passed, err = s.Runner.Check(ctx, c.Dir, s.Stage+"-trial", s.Checks, nil, Watcher{}); err != nil {
			return err
		}
	}
	switch {
	case passed:
		t.Outcome = plan.Passes
	case verdicts[len(verdicts)-1].Name == s.Check:
		t.Outcome, t.Says = plan.Fails, verdicts[len(verdicts)-1].Says
	default:
		t.Says = verdicts[len(verdicts)-1].Name + " fails instead"
	}
	return nil
}
