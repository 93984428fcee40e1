package stages

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/core/fact"
	"molt/core/project"
	"molt/doc"
	"molt/input"
	"molt/txn"
)

// FindCulprit looks for the changes of the next stage that make a check fail, each subset solved again and checked in a
// copy of the application of its own. The stage must have failed just now. Nothing is changed.
func (a *Execution) FindCulprit(ctx context.Context, failed *Step) (*run.Culprit, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(failed.Verdicts, func(v run.Verdict) bool { return !v.Passed && !v.Before })
	stage := file.Stage(failed.Stage.ID)
	if i < 0 || stage == nil {
		return nil, &input.UsageError{Reason: "no check of the stage failed"}
	}
	check := failed.Verdicts[i].Name
	search := run.Search{Runner: a.Runner(), Stage: stage.ID, Units: units(a.View, stage), Check: check,
		Tried: a.Watch.Tried,
		Rehearse: func(ctx context.Context, packages []string) (map[string][]byte, []config.Task, error) {
			part := planfile.Part(stage, packages)
			files, err := locking.Rehearse(ctx, a.Question, &part)
			return files, tasksOf(a.View, part.Changes), err
		}}
	if a.site.LaysOut() {
		search.LayOut = func(ctx context.Context, dir string, files map[string][]byte) error {
			if err := a.site.LayOutSides(ctx, dir); err != nil {
				return err
			}
			return a.site.LayOut(ctx, dir, files[a.LockFile()], nil)
		}
	}
	if !slices.ContainsFunc(tasksOf(a.View, stage.Changes), func(t config.Task) bool { return t.Name == check }) {
		checks := checksOf(a.View, stage.Kind)
		search.Checks = checks[:slices.IndexFunc(checks, func(c config.Check) bool { return c.Name == check })+1]
	}
	return search.Run(ctx)
}

// units groups the changed packages of a stage by what people said moves in step.
func units(a *open.View, stage *doc.PlanStage) [][]string {
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

// Split puts some packages of a pending stage into a stage of their own behind it. Both are solved before the plan is
// written; nothing else in it changes. The folder must be in use.
func Split(ctx context.Context, a *open.Question, id string, apart []string) (first, second doc.PlanStage, err error) {
	file, err := a.ReadPlan()
	if err != nil {
		return first, second, err
	}
	stage := file.Stage(id)
	switch {
	case stage == nil:
		return first, second, &input.UsageError{Reason: file.Missing(id)}
	case stage.Status == doc.Done:
		return first, second, &input.UsageError{
			Reason: fmt.Sprintf("stage %s is done; molt back %s comes before splitting it", id, id)}
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
	if len(apart) == 0 {
		return first, second, &input.UsageError{
			Reason: fmt.Sprintf("--apart says which packages of stage %s go into one of their own: some of %s",
				id, strings.Join(names, ", "))}
	}
	if len(rest) == 0 {
		return first, second, &input.UsageError{Reason: fmt.Sprintf("stage %s would be left without changes", id)}
	}
	first, second = planfile.Part(stage, rest), planfile.Part(stage, apart)
	second.ID = file.FreeID(id + "-" + txn.Slug(apart[0]))
	second.Note = ""
	second.Title = a.Say(fact.New(doc.SplitOff, strings.Join(apart, ", "), id))
	if err := solveParts(ctx, a, file, stage, &first, &second); err != nil {
		return first, second, err
	}
	if err := file.Split(id, first, second); err != nil {
		return first, second, err
	}
	return first, second, open.WritePlanText(a.View, "splitting stage "+id, file.Text.Bytes(), nil)
}

// solveParts solves two parts of a stage one after the other, from the state that the stages before them leave.
func solveParts(ctx context.Context, a *open.Question, file *planfile.Plan, whole *doc.PlanStage,
	parts ...*doc.PlanStage) error {
	w, err := locking.Walk(a)
	if err != nil {
		return err
	}
	for i := range file.Stages {
		if s := &file.Stages[i]; s.ID == whole.ID {
			break
		} else if s.Status == doc.Pending {
			if err := w.Stage(ctx, s); err != nil {
				return locking.AtStage(a.View, file, s, err)
			}
		}
	}
	files, err := importers(a.View)
	if err != nil {
		return err
	}
	for _, part := range parts {
		before := w.Locked
		if err := w.Stage(ctx, part); err != nil {
			return fmt.Errorf("stage %s cannot be split so: %w", whole.ID, err)
		}
		m := project.MovesBetween(before, w.Locked)
		part.Locked = &doc.PlanLocked{Added: m.Added, Removed: m.Removed, Moved: m.Moved}
		part.Effort = effortOf(a.View, part, files)
		if whole.Effort != nil {
			part.Effort.Evidence = whole.Effort.Evidence
		}
	}
	return nil
}
