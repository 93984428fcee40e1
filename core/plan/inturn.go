package plan

import (
	"context"
	"errors"
	"slices"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// inTurn makes the plan for several packages that are goals: for one after the other, each with stages and a minimum of
// its own, from where the one before ends, which has to stay where it got. It returns nil where that does not lead to
// all of them: then they have to move together, and share stages.
func inTurn(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal,
	cut Cut) (*Plan, error) {
	runtime := func(g project.Goal) bool { return slices.Contains(project.RuntimesOf(app), g.Name) }
	packages, others := slices.Clone(goals), slices.Clone(goals)
	packages = slices.DeleteFunc(packages, runtime)
	others = slices.DeleteFunc(others, func(g project.Goal) bool { return !runtime(g) })
	if len(packages) < 2 {
		return nil, nil
	}
	if a, err := assess.Ask(ctx, source, app, goals); err != nil { // it is said of the goals as people named them
		return nil, err
	} else if got, err := a.Briefly().Assess(); err != nil || !got.Reachable {
		return nil, err
	}
	start := app
	whole := &Plan{Goal: goals[0], Also: goals[1:], Reachable: true}
	// Last comes what follows all of them, as where they are reached together.
	for i := range len(packages) + 1 {
		these, last := goals, i == len(packages)
		if !last {
			these = slices.Concat(packages[i:i+1], others, packages[:i])
		}
		cut.begun, cut.goesOn = i > 0, !last
		p, err := newOne(ctx, source, app, these, cut)
		var past *project.GoalError
		if errors.As(err, &past) { // another goal took it past this one
			return nil, nil
		}
		if err != nil || !p.plan.Reachable {
			return nil, err
		}
		app.Declared, app.Locked = p.declared(p.now), p.now.Locked
		app.Runtimes, app.InferredRuntimes = p.App.Runtimes, p.App.InferredRuntimes
		for _, st := range p.plan.Stages {
			if slices.ContainsFunc(whole.Stages, func(x Stage) bool { return x.ID == st.ID }) {
				st.ID += "-" + slug(these[0].Name)
			}
			whole.Stages = append(whole.Stages, st)
		}
		whole.Touches = append(whole.Touches, p.plan.Touches...)
		if !last {
			whole.AtGoal = len(whole.Stages)
			continue
		}
		whole.Assessed, whole.Behind = p.plan.Assessed, p.plan.Behind
	}
	if ok, err := accepted(ctx, source, start, app.Locked, packages); err != nil || !ok {
		return nil, err
	}
	whole.Behind = slices.DeleteFunc(whole.Behind, func(b Behind) bool { // people named where these are to be
		return slices.ContainsFunc(packages, func(g project.Goal) bool { return g.Name == b.Name })
	})
	return whole, nil
}

// accepted reports whether all that moved is judged to go with each of the goals, and not only with
// the one for which it moved.
func accepted(ctx context.Context, source universe.Source, app project.Application, end *solve.Resolution,
	goals []project.Goal) (bool, error) {
	for _, g := range goals {
		a, err := assess.AskOne(ctx, source, app, g)
		if err != nil {
			return false, err
		}
		framework, err := a.Pkg(g.Name)
		if err != nil {
			return false, err
		}
		set, err := a.Target(framework)
		if err != nil {
			return false, err
		}
		for _, name := range a.Names() {
			v := project.VersionOf(end, name)
			if name == g.Name || v == "" || v == a.Locked(name) {
				continue
			}
			p, err := a.Pkg(name)
			if err != nil {
				return false, err
			}
			if len(a.Towards(name, p, []string{v}, assess.Texts(framework, set))) == 0 {
				return false, nil
			}
		}
	}
	return true, nil
}
