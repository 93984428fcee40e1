package stages

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/project"
	"molt/doc"
	"molt/input"
)

// Bring moves what later stages change of some packages into a pending stage. The plan is solved
// from there on before it is written. It returns the stage. The folder must be in use.
func Bring(ctx context.Context, a *open.Question, into string, names []string) (*doc.PlanStage, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	switch stage := file.Stage(into); {
	case stage == nil:
		return nil, &input.UsageError{Reason: file.Missing(into)}
	case stage.Status == doc.Done:
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("stage %s is done; molt back %s comes before changing it", into, into)}
	case len(stage.Raise) > 0:
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s is work for people, and changes no packages", into)}
	}
	var later []string
	for _, s := range file.Stages[file.Index(into)+1:] {
		later = append(later, planfile.NamesOf(&s)...)
	}
	for _, name := range names {
		switch {
		case slices.Contains(planfile.NamesOf(file.Stage(into)), name):
			return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s changes %s already", into, name)}
		case !slices.Contains(later, name):
			return nil, &input.UsageError{
				Reason: project.NotAmong(fmt.Sprintf("no stage after %s changes %q", into, name), name, later)}
		}
		if err := file.Bring(into, name); err != nil {
			return nil, err
		}
	}
	w, err := locking.Walk(a)
	if err != nil {
		return nil, err
	}
	for i := range file.Stages {
		s := &file.Stages[i]
		if s.Status != doc.Pending {
			continue
		}
		before := w.Locked
		if err := w.Stage(ctx, s); err != nil {
			return nil, fmt.Errorf("%s does not go into stage %s: %w", strings.Join(names, ", "),
				into, locking.AtStage(a.View, file, s, err))
		}
		if s.Locked == nil || len(s.Raise) > 0 {
			continue
		}
		m := project.MovesBetween(before, w.Locked)
		if err := file.Count(s.ID, doc.PlanLocked{Added: m.Added, Removed: m.Removed, Moved: m.Moved}); err != nil {
			return nil, err
		}
	}
	return file.Stage(into), open.WritePlanText(a.View, "bringing "+strings.Join(names, ", ")+" into stage "+into,
		file.Text.Bytes(), nil)
}
