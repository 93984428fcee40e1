package assess

import (
	"context"
	"fmt"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"slices"
)

// TheGoal is who asks for a runtime that is a goal itself.
const TheGoal = "the goal"

// Ask checks some goals. The first is the framework's; a further one is a declared package that is to get to
// some releases too, or a runtime that is to be raised.
func Ask(ctx context.Context, source universe.Source, app project.Application, goals []project.Goal) (*Question, error) {
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
	if len(a.Raised) > 0 {
		a.Source = a.ahead()
	}
	return a, nil
}

// further takes a further goal in.
func (a *Question) further(g project.Goal) error {
	declared := a.Declaration(g.Name)
	switch {
	case g.Name == a.Goal.Name || a.Also[g.Name] != nil:
		return &project.GoalError{Goal: g, Reason: "it is a goal twice"}
	case declared.As == "" && slices.Contains(project.RuntimesOf(a.App), g.Name):
		v, err := a.App.Runtime(g.Name).Scheme.Complete(g.Constraint)
		if err != nil {
			return &project.GoalError{Goal: g, Reason: fmt.Sprintf("a runtime is raised to a version, such as %s@22", g.Name)}
		}
		a.Raised[g.Name] = v
		return nil
	case declared.As == "" || !project.Registered(declared):
		return &project.GoalError{Goal: g, Reason: project.NotAmong("no declared package and no runtime has this name", g.Name, append(a.Names(), project.RuntimesOf(a.App)...))}
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

// Towards leaves of some releases of a package those that may stand beside the goal: of a package that is a goal too
// those it means, and of one that speaks of the framework those whose word is good enough for the house.
func (a *Question) Towards(name string, p *universe.Package, releases, target []string) []string {
	if allowed := a.Also[name]; allowed != nil && a.final(target) { // on the way it need not be there yet
		releases = slices.DeleteFunc(slices.Clone(releases), func(v string) bool { return !slices.Contains(allowed, v) })
	}
	return a.companion(p, a.trusted(p, releases, target), target)
}

// final reports whether some releases of the framework are those of the goal, and not of a hop on the way.
func (a *Question) final(target []string) bool {
	return len(target) > 0 && slices.Contains(a.meant, target[len(target)-1])
}

// Raises lists the runtimes that are goals and not there yet.
func (a *Question) Raises() []RuntimeNeed {
	var all []RuntimeNeed
	for _, name := range project.RuntimesOf(a.App) {
		v, asked := a.Raised[name]
		if !asked || slices.ContainsFunc(all, func(n RuntimeNeed) bool { return n.Name == name }) {
			continue
		}
		runtime := a.App.Runtime(name)
		need := RuntimeNeed{Runtime: runtime, Needs: runtime.Scheme.AtLeast(v), By: TheGoal, Deployed: a.App.Runtimes[name]}
		need.Met = need.Deployed != nil && need.SuitsAll(need.Needs, need.Deployed)
		all = append(all, need)
	}
	return all
}
