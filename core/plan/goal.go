package plan

import (
	"maps"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// retireFor lists the retiring packages that are compatible with no release of the hop: they have
// to go at the latest now.
func (p *planner) retireFor(h hop) ([]string, error) {
	var names []string
	for _, name := range p.Names() {
		got := p.assessed[name]
		if got.Retires == nil || got.Standing != project.Retires || p.now.Gone[name] {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		c := assess.Choice{p.Goal.Name: h.releases,
			name: assess.Texts(pkg, p.Usable(pkg, project.VersionOf(p.now.Locked, name)))}
		r, _, err := p.AnyRuntime().Solve(c, nil)
		if err != nil {
			return nil, err
		}
		if r == nil {
			names = append(names, name)
		}
	}
	return names, nil
}

// goalStage moves the framework and all that the optimum moves with it.
func (p *planner) goalStage(h hop, r *solve.Resolution, best *assess.Optimum, retired []string) (bool, error) {
	to := versionsOf(r, p.Names())
	reason := func(name string) fact.Fact {
		switch {
		case name == p.Goal.Name:
			return fact.New(IsTheGoal)
		case project.OwnName(name) == p.Goal.Name:
			return fact.New(IsTheGoalToo)
		case p.unpublished(name):
			return fact.New(NotPublished, project.VersionOf(p.now.Locked, name))
		case p.Describes(name) == p.Goal.Name:
			return fact.New(GoesAsTypes, p.Goal.Name)
		case p.Owned(name):
			return fact.New(GoesByNumber, p.Goal.Name)
		case p.refuses(name, project.VersionOf(p.now.Locked, name), h.releases):
			return p.whyTogether(name, h, to)
		}
		if says := p.Advised(name, h.releases); !says.None() {
			return says
		}
		if doubt := p.Doubt(name, project.VersionOf(p.now.Locked, name), h.releases); !doubt.None() {
			return doubt
		}
		if d, v := p.tied(name, to); v != "" {
			return fact.New(AsksForMoving, d.As, d.Text, v)
		}
		if by, d := p.excluded(name, r); by != "" {
			return fact.New(IsAskedFor, by, d.As, d.Text)
		}
		return fact.New(FailsWithGoal, project.VersionOf(p.now.Locked, name), p.Goal.Name, h.major)
	}
	before := p.now.Clone()
	p.now = p.without(retired)
	p.now.Locked = before.Locked
	removed, err := p.replacements(retired)
	if err != nil {
		return false, err
	}
	for _, change := range removed {
		if change.To.Version != "" {
			to[change.Name] = change.To.Version
		}
	}
	beside := maps.Clone(to)
	for name, v := range to {
		beside[name] = p.BesideFramework(name, v, to[p.Goal.Name])
	}
	made := func(to map[string]string) (*Stage, project.Draft, error) {
		return p.inStep(GoalStage, "goal-"+h.major, fact.New(ToMajor, p.Goal.Name, h.major), to, func(name string) fact.Fact {
			return p.lifting(name, reason(name))
		})
	}
	st, next, err := made(beside)
	if err == nil && st == nil && !maps.Equal(beside, to) {
		st, next, err = made(to)
	}
	if err != nil || st == nil {
		p.now = before
		return false, err
	}
	if next, err = p.withoutTypes(st, next); err != nil {
		return false, err
	}
	if open, err := p.open(next); err != nil || !open {
		p.now, p.closes = before, err == nil
		return false, err
	}
	st.Changes = append(st.Changes, removed...)
	st.Optimum = best
	if len(st.Changes) > 0 {
		p.plan.Stages = append(p.plan.Stages, *st)
	}
	p.now = next
	return true, nil
}

// whyTogether says why a package that refuses the hop at its release in use cannot go ahead of it.
func (p *planner) whyTogether(name string, h hop, to map[string]string) fact.Fact {
	now, framework := project.VersionOf(p.now.Locked, name), project.VersionOf(p.now.Locked, p.Goal.Name)
	says := fact.New(RefusesMajor, now, p.Goal.Name, h.major)
	if doubt := p.Doubt(name, now, h.releases); !doubt.None() {
		return doubt
	}
	pkg, err := p.Pkg(name)
	if err != nil {
		return says
	}
	f, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return says
	}
	both := p.Acceptors(pkg, f, h.releases).All.And(p.Acceptors(pkg, f, []string{framework}).All)
	if both.And(p.Usable(pkg, now)).Max() <= pkg.Index(now) { // later ones count
		return fact.Joined(says, fact.New(NoneForBoth, p.Goal.Name, h.major, framework))
	}
	for _, other := range slices.Sorted(maps.Keys(to)) {
		if other != name && !p.Akin(name, other).None() {
			return fact.Joined(says, fact.New(StepFamily, other))
		}
	}
	return fact.Joined(says, fact.New(BothUnresolved, p.Goal.Name, h.major))
}

// excluded finds a release of a resolution with a peer that the release in use of a package does not fit: one that is
// declared, where there is one.
func (p *planner) excluded(name string, r *solve.Resolution) (by string, peer universe.Demand) {
	pkg, err := p.Pkg(name)
	if err != nil {
		return "", peer
	}
	now := pkg.Index(project.VersionOf(p.now.Locked, name))
	for _, declared := range []bool{true, false} {
		for _, n := range r.Packages {
			if (p.Declaration(n.Name).As != "") != declared {
				continue
			}
			other, err := p.Full.Package(p.Ctx, n.Name)
			if err != nil || other.Release(n.Version) == nil {
				continue
			}
			for _, d := range other.Release(n.Version).Peers {
				if d.Package != pkg.Name || d.Optional && n.Name == name {
					continue
				}
				if set, err := pkg.Admit(d.Text); err == nil && now >= 0 && !set.Has(now) {
					return n.Name + " " + n.Version, d
				}
			}
		}
	}
	return "", peer
}

// tied finds a demand of a package's release in use that another package's move would break.
func (p *planner) tied(name string, to map[string]string) (universe.Demand, string) {
	pkg, err := p.Pkg(name)
	if err != nil {
		return universe.Demand{}, ""
	}
	r := pkg.Release(project.VersionOf(p.now.Locked, name))
	if r == nil {
		return universe.Demand{}, ""
	}
	for _, d := range slices.Concat(r.Peers, r.Needs) {
		v, moves := to[d.As]
		if !moves {
			continue
		}
		other, err := p.Full.Package(p.Ctx, d.Package)
		if err != nil {
			continue
		}
		if set, err := other.Admit(d.Text); err == nil && !set.Has(other.Index(v)) {
			return d, v
		}
	}
	return universe.Demand{}, ""
}

func (p *planner) refuses(name, v string, framework []string) bool {
	pkg, err := p.Pkg(name)
	if err != nil {
		return false
	}
	f, err := p.Pkg(p.Goal.Name)
	return err == nil && !p.Acceptors(pkg, f, framework).All.Has(pkg.Index(v))
}

// unpublished reports whether the release in use is none that the source knows: taken back, or published after the day
// that was asked about.
func (p *planner) unpublished(name string) bool {
	pkg, err := p.Pkg(name)
	return err == nil && pkg.Index(project.VersionOf(p.now.Locked, name)) < 0
}
