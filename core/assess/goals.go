package assess

import (
	"context"
	"fmt"
	"slices"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// TheGoal stands in RuntimeNeed.By for a runtime that is a goal itself.
const TheGoal = "the goal"

// Ask builds the question for some goals and checks them. The first goal is the framework's. A
// further one is a declared package that is to reach some releases too, or a runtime that is to be
// raised. A goal that makes no sense is a *project.GoalError.
func Ask(ctx context.Context, source universe.Source, app project.Application,
	goals []project.Goal) (*Judgement, error) {
	a, err := AskOne(ctx, source, app, goals[0])
	if err != nil {
		return nil, err
	}
	a.Also, a.Raised = map[string][]string{}, map[string]version.Version{}
	for _, g := range goals[1:] {
		if err := a.further(g); err != nil {
			return nil, err
		}
	}
	if err := a.pairUp(); err != nil {
		return nil, err
	}
	if len(a.Raised) > 0 {
		a.Source = a.ahead()
	}
	return a, nil
}

// further adds a further goal.
func (a *Judgement) further(g project.Goal) error {
	declared := a.Declaration(g.Name)
	switch {
	case g.Name == a.Goal.Name || a.Also[g.Name] != nil:
		return &project.GoalError{Goal: g, Reason: "it is a goal twice"}
	case declared.As == "" && slices.Contains(project.RuntimesOf(a.App), g.Name):
		v, err := version.Complete(a.App.Runtime(g.Name).Scheme, g.Constraint)
		if err != nil {
			return &project.GoalError{Goal: g, Reason: fmt.Sprintf("a runtime is raised to a version, such as %s@22", g.Name)}
		}
		a.Raised[g.Name] = v
		return nil
	case declared.As == "" || !project.Registered(declared):
		return &project.GoalError{Goal: g,
			Reason: project.NotAmong("no declared package and no runtime has this name", g.Name,
				append(a.Names(), project.RuntimesOf(a.App)...))}
	}
	p, err := a.Pkg(g.Name)
	if err != nil {
		return err
	}
	one := *a
	one.Goal = g
	if g.Constraint == "" {
		newest := p.Newest()
		if newest == nil {
			return &project.GoalError{Goal: g, Reason: "it has no releases"}
		}
		one.Goal.Constraint = a.App.Scheme.Major(newest.Version)
	}
	set, err := one.Target(p)
	if err != nil || set.Empty() {
		return project.NoneFits(a.Ctx, a.Full, a.App, g, p)
	}
	a.Also[g.Name] = Texts(p, set)
	return nil
}

// Towards filters releases to those allowed with the goal: where the package is a goal itself, to
// the releases that this goal means; to those whose evidence is strong enough for the policy; and
// to those that promise to go with it, unless there are none that do.
func (a *Judgement) Towards(name string, p *universe.Package, releases, target []string) []string {
	releases = a.towards(name, p, releases, target)
	if a.Goal.Name == "" {
		return releases
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return releases // the caller meets the error too
	}
	return a.dated(name, p, framework, releases, target)
}

// towards is Towards but for dates.
func (a *Judgement) towards(name string, p *universe.Package, releases, target []string) []string {
	if allowed := a.Also[name]; allowed != nil && a.final(target) { // on the way it need not be there yet
		releases = slices.DeleteFunc(slices.Clone(releases), func(v string) bool { return !slices.Contains(allowed, v) })
	}
	if a.Goal.Name == "" {
		return releases
	}
	framework, err := a.Pkg(a.Goal.Name)
	if err != nil {
		return releases // the caller meets the error too
	}
	releases = a.promising(p, framework, a.ofGoal(name, p, framework, releases, target), target)
	return a.companion(p, a.trusted(p, releases, target), target)
}

// final reports whether some releases of the framework are those of the goal, and not of a hop on the way.
func (a *Judgement) final(target []string) bool {
	return len(target) > 0 && slices.Contains(a.meant, target[len(target)-1])
}

// Raises lists the runtimes that are goals and not reached yet.
func (a *Judgement) Raises() []RuntimeNeed {
	var all []RuntimeNeed
	for _, name := range project.RuntimesOf(a.App) {
		v, asked := a.Raised[name]
		if !asked || slices.ContainsFunc(all, func(n RuntimeNeed) bool { return n.Name == name }) {
			continue
		}
		runtime := a.App.Runtime(name)
		need := RuntimeNeed{Runtime: runtime, Needs: runtime.Scheme.AtLeast(v), By: TheGoal, Deployed: a.App.Assumed()[name]}
		need.Met = need.Deployed != nil && need.SuitsAll(need.Needs, need.Deployed)
		all = append(all, need)
	}
	return all
}
