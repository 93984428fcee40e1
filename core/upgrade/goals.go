package upgrade

import (
	"context"
	"fmt"
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// TheGoal is who asks for a runtime that is a goal itself.
const TheGoal = "the goal"

// newAdvisorFor checks some goals. The first is the framework's; a further one is a declared package that is to get to
// some releases too, or a runtime that is to be raised.
func newAdvisorFor(ctx context.Context, source universe.Source, app Application, goals []Goal) (*advisor, error) {
	a, err := newAdvisor(ctx, source, app, goals[0])
	if err != nil {
		return nil, err
	}
	a.also, a.raised = map[string][]string{}, map[string]version.Version{}
	for _, g := range goals[1:] {
		if err := a.further(g); err != nil {
			return nil, err
		}
	}
	if len(a.raised) > 0 {
		a.source = a.ahead()
	}
	return a, nil
}

// further takes a further goal in.
func (a *advisor) further(g Goal) error {
	declared := a.declaration(g.Name)
	switch {
	case g.Name == a.goal.Name || a.also[g.Name] != nil:
		return &GoalError{g, "it is a goal twice"}
	case declared.As == "" && slices.Contains(runtimesOf(a.app), g.Name):
		v, err := a.app.runtime(g.Name).Scheme.Complete(g.Constraint)
		if err != nil {
			return &GoalError{g, fmt.Sprintf("a runtime is raised to a version, such as %s@22", g.Name)}
		}
		a.raised[g.Name] = v
		return nil
	case declared.As == "" || !registered(declared):
		return &GoalError{g, notAmong("no declared package and no runtime has this name", g.Name, append(a.names(), runtimesOf(a.app)...))}
	}
	p, err := a.pkg(g.Name)
	if err != nil {
		return err
	}
	one := *a
	one.goal = g
	if g.Constraint == "" {
		newest := p.Newest()
		if newest == nil {
			return &GoalError{g, "it has no releases"}
		}
		one.goal.Constraint = a.app.Scheme.Major(newest.Version)
	}
	set, err := one.target(p)
	if err != nil || set.Empty() {
		return noneFits(a.ctx, a.full, a.app, g, p)
	}
	a.also[g.Name] = texts(p, set)
	return nil
}

// towards leaves of some releases of a package those that may stand beside the goal: of a package that is a goal too
// those it means, and of one that speaks of the framework those whose word is good enough for the house.
func (a *advisor) towards(name string, p *universe.Package, releases, target []string) []string {
	if allowed := a.also[name]; allowed != nil && a.final(target) { // on the way it need not be there yet
		releases = slices.DeleteFunc(slices.Clone(releases), func(v string) bool { return !slices.Contains(allowed, v) })
	}
	return a.companion(p, a.trusted(p, releases, target), target)
}

// final reports whether some releases of the framework are those of the goal, and not of a hop on the way.
func (a *advisor) final(target []string) bool {
	return len(target) > 0 && slices.Contains(a.meant, target[len(target)-1])
}

// raises lists the runtimes that are goals and not there yet.
func (a *advisor) raises() []RuntimeNeed {
	var all []RuntimeNeed
	for _, name := range runtimesOf(a.app) {
		v, asked := a.raised[name]
		if !asked || slices.ContainsFunc(all, func(n RuntimeNeed) bool { return n.Name == name }) {
			continue
		}
		runtime := a.app.runtime(name)
		need := RuntimeNeed{Runtime: runtime, Needs: runtime.Scheme.AtLeast(v), By: TheGoal, Deployed: a.app.Runtimes[name]}
		need.Met = need.Deployed != nil && need.SuitsAll(need.Needs, need.Deployed)
		all = append(all, need)
	}
	return all
}
