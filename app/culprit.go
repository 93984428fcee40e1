package app

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"molt/app/config"
	"molt/app/planfile"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/input"
	"molt/txn"
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

// FindCulprit looks for the changes of the next stage that make a check fail, each subset solved again and checked in a
// copy of the application of its own. The stage must have failed just now. Nothing is changed.
func (a *App) FindCulprit(ctx context.Context, source universe.Source, failed *Step, watch Watcher) (*Culprit, error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(failed.Verdicts, func(v Verdict) bool { return !v.Passed && !v.Before })
	stage := doc.Stage(failed.Stage.ID)
	if i < 0 || stage == nil {
		return nil, &input.UsageError{Reason: "no check of the stage failed"}
	}
	s := &search{a: a, source: source, stage: stage, check: failed.Verdicts[i].Name, watch: watch, units: a.units(stage)}
	s.watch.Output = nil // a line a trial is enough
	s.watch.Begin = nil
	c := &Culprit{Stage: stage.ID, Check: s.check}
	found, err := plan.Culprit(len(s.units), func(some []int) (plan.Outcome, error) { return s.trial(ctx, some) })
	if err != nil {
		return nil, err
	}
	var rest []int
	for u := range s.units {
		if slices.Contains(found, u) {
			c.Changes = append(c.Changes, s.units[u]...)
		} else {
			rest = append(rest, u)
			c.Rest = append(c.Rest, s.units[u]...)
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

// units groups the changed packages of a stage by what people said moves in step.
func (a *App) units(stage *planfile.Stage) [][]string {
	var units [][]string
	for _, c := range stage.Changes {
		if slices.ContainsFunc(units, func(u []string) bool { return slices.Contains(u, c.Name) }) {
			continue
		}
		unit := []string{c.Name}
		for _, family := range a.Config.Family {
			if !slices.Contains(family, c.Name) {
				continue
			}
			for _, other := range stage.Changes {
				if slices.Contains(family, other.Name) && !slices.Contains(unit, other.Name) {
					unit = append(unit, other.Name)
				}
			}
		}
		units = append(units, unit)
	}
	return units
}

// A search looks for a culprit.
type search struct {
	a      *App
	source universe.Source
	stage  *planfile.Stage
	check  string
	watch  Watcher
	units  [][]string
	trials []Trial
	seen   map[string]plan.Outcome
}

// trial solves and checks some of the units.
func (s *search) trial(ctx context.Context, some []int) (plan.Outcome, error) {
	var names []string
	for _, u := range some {
		names = append(names, s.units[u]...)
	}
	began := time.Now()
	t := Trial{Changes: names, Outcome: plan.Unsure}
	if err := s.look(ctx, names, &t); err != nil {
		return "", err
	}
	t.Took = time.Since(began)
	s.trials = append(s.trials, t)
	if s.seen == nil {
		s.seen = map[string]plan.Outcome{}
	}
	s.seen[fmt.Sprint(some)] = t.Outcome
	if s.watch.Tried != nil {
		s.watch.Tried(t)
	}
	return t.Outcome, nil
}

func (s *search) look(ctx context.Context, names []string, t *Trial) error {
	part := planfile.Part(s.stage, names)
	manifest, lock, err := s.a.rehearse(ctx, s.source, &part)
	var tangle *solve.Tangle
	if errors.As(err, &tangle) {
		t.Says = "it does not resolve without the others"
		return nil
	}
	if err != nil {
		return err
	}
	c, err := s.a.separate(ctx)
	if err != nil {
		return err
	}
	defer c.done()
	for name, data := range map[string][]byte{s.a.Eco.Manifest(): manifest, s.a.Eco.Lock(): lock} {
		if err := os.WriteFile(filepath.Join(c.dir, name), data, 0o644); err != nil {
			return err
		}
	}
	t.Ran = true
	verdicts, passed, err := s.a.runTasks(ctx, c.dir, s.stage.ID+"-trial", s.a.tasksOf(part.Changes), s.watch)
	if err != nil {
		return err
	}
	if passed && !slices.ContainsFunc(s.a.tasksOf(s.stage.Changes), func(t config.Task) bool { return t.Name == s.check }) {
		checks := s.a.checksOf(s.stage.Kind)
		last := slices.IndexFunc(checks, func(c config.Check) bool { return c.Name == s.check })
		if verdicts, passed, err = s.a.check(ctx, c.dir, s.stage.ID+"-trial", checks[:last+1], nil, s.watch); err != nil {
			return err
		}
	}
	switch {
	case passed:
		t.Outcome = plan.Passes
	case verdicts[len(verdicts)-1].Name == s.check:
		t.Outcome, t.Says = plan.Fails, verdicts[len(verdicts)-1].Says
	default:
		t.Says = verdicts[len(verdicts)-1].Name + " fails instead"
	}
	return nil
}

// Split puts some packages of a pending stage into a stage of their own behind it. Both are solved before the plan is
// written; nothing else in it changes. The folder must be in use.
func (a *App) Split(ctx context.Context, source universe.Source, id string, apart []string) (first, second planfile.Stage, err error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return first, second, err
	}
	stage := doc.Stage(id)
	switch {
	case stage == nil:
		return first, second, &input.UsageError{Reason: fmt.Sprintf("%s has no stage %q", planfile.File, id)}
	case stage.Status == planfile.Done:
		return first, second, &input.UsageError{Reason: fmt.Sprintf("stage %s is done; molt back %s comes before splitting it", id, id)}
	}
	var names, rest []string
	for _, c := range stage.Changes {
		names = append(names, c.Name)
		if !slices.Contains(apart, c.Name) {
			rest = append(rest, c.Name)
		}
	}
	for _, name := range apart {
		if !slices.Contains(names, name) {
			says := fmt.Sprintf("stage %s does not change %s", id, name)
			if near := project.Nearest(name, names); near != "" {
				says += "; did you mean " + near + "?"
			}
			return first, second, &input.UsageError{Reason: says}
		}
	}
	if len(rest) == 0 || len(apart) == 0 {
		return first, second, &input.UsageError{Reason: fmt.Sprintf("stage %s would be left without changes", id)}
	}
	first, second = planfile.Part(stage, rest), planfile.Part(stage, apart)
	second.ID = doc.FreeID(id + "-" + txn.Slug(apart[0]))
	second.Note = ""
	second.Title = strings.Join(apart, ", ") + " from " + id + ", apart"
	if err := a.solveParts(ctx, source, doc, stage, &first, &second); err != nil {
		return first, second, err
	}
	if err := doc.Split(id, first, second); err != nil {
		return first, second, err
	}
	return first, second, a.writePlanText("splitting stage "+id, doc.Text.Bytes())
}

// solveParts solves two parts of a stage one after the other, from the state that the stages before them leave.
func (a *App) solveParts(ctx context.Context, source universe.Source, doc *planfile.Plan, whole *planfile.Stage, parts ...*planfile.Stage) error {
	w, err := a.walk()
	if err != nil {
		return err
	}
	for i := range doc.Stages {
		if s := &doc.Stages[i]; s.ID == whole.ID {
			break
		} else if s.Status == planfile.Pending {
			if err := w.stage(ctx, source, s); err != nil {
				return a.atStage(doc, s, err)
			}
		}
	}
	files, err := a.importers()
	if err != nil {
		return err
	}
	for _, part := range parts {
		before := w.locked
		if err := w.stage(ctx, source, part); err != nil {
			return fmt.Errorf("stage %s cannot be split so: %w", whole.ID, err)
		}
		m := project.MovesBetween(before, w.locked)
		part.Lock = &planfile.Lock{Added: m.Added, Removed: m.Removed, Moved: m.Moved}
		part.Effort = a.effortOf(part, files)
		if whole.Effort != nil {
			part.Effort.Evidence = whole.Effort.Evidence
		}
	}
	return nil
}
