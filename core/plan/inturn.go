package plan

import (
	"context"
	"errors"
	"slices"

	"molt/core/project"
	"molt/core/universe"
)

// inTurn makes the plan for several packages that are goals: for one after the other, each with stages and a minimum of its own, from where the one before
// ends, which has to stay where it got. It returns nil where that does not lead to all of them: then they have to move together, and share stages.
func inTurn(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal, cut Cut) (*Plan, error) {
	runtime := func(g project.Goal) bool { return slices.Contains(project.RuntimesOf(app), g.Name) }
	packages, others := slices.Clone(goals), slices.Clone(goals)
	packages = slices.DeleteFunc(packages, runtime)
	others = slices.DeleteFunc(others, func(g project.Goal) bool { return !runtime(g) })
	if len(packages) < 2 {
		return nil, nil
	}
	var whole *Plan
	for i, g := range packages {
		cut.begun, cut.goesOn = i > 0, i < len(packages)-1
		p, err := newOne(ctx, source, app, slices.Concat([]project.Goal{g}, others, packages[:i]), cut)
		var wrong *project.GoalError
		if errors.As(err, &wrong) { // it is said of the goals as people named them
			return nil, nil
		}
		if err != nil || !p.plan.Reachable {
			return nil, err
		}
		app.Declared, app.Locked = p.declared(p.now), p.now.Locked
		app.Runtimes, app.Presumed = p.App.Runtimes, p.App.Presumed
		if whole == nil {
			whole = p.plan
			whole.Also = goals[1:]
			continue
		}
		for _, st := range p.plan.Stages {
			if slices.ContainsFunc(whole.Stages, func(x Stage) bool { return x.ID == st.ID }) {
				st.ID += "-" + slug(g.Name)
			}
			whole.Stages = append(whole.Stages, st)
		}
		whole.AtGoal += p.plan.AtGoal
		whole.Behind, whole.Touches = p.plan.Behind, append(whole.Touches, p.plan.Touches...)
	}
	whole.Behind = slices.DeleteFunc(whole.Behind, func(b Behind) bool { // people named where these are to be
		return slices.ContainsFunc(packages, func(g project.Goal) bool { return g.Name == b.Name })
	})
	return whole, nil
}
