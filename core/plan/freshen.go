package plan

import (
	"maps"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
)

// exact gives every declared name the release that it has.
func (p *planner) exact(s project.Draft) assess.Choice {
	c := assess.Choice{}
	for _, name := range p.Names() {
		if v := project.VersionOf(s.Locked, name); v != "" && !s.Gone[name] {
			c[name] = []string{v}
		}
	}
	return c
}

// patches and minors move everything that has newer releases which the scheme does not call breaking, together.
func (p *planner) patches() error { return p.freshen(PatchStage, version.Patch) }

func (p *planner) minors() error { return p.freshen(MinorStage, version.Minor) }

func (p *planner) freshen(kind StageKind, most version.Jump) error {
	if most > p.cut.most() {
		return nil
	}
	_, err := p.under(func() (bool, error) { return p.fresher(kind, most) })
	return err
}

// fresher makes that stage under the ceilings that hold. It reports whether it could, also when
// there is nothing to move.
func (p *planner) fresher(kind StageKind, most version.Jump) (bool, error) {
	c, moving, err := p.fresh(most)
	if err != nil {
		return false, err
	}
	r, err := p.freshest(c, moving)
	if err != nil || r == nil {
		return false, err
	}
	return p.stage(kind, string(kind), freshTitle(kind), versionsOf(r, p.Names()),
		because(NewestOf, string(kind)))
}

func freshTitle(kind StageKind) fact.Fact { return fact.New(AllFresh, string(kind)) }

// fresh returns the releases that each declared name may have without more than a jump, the one
// that it has among them, and the names that have others.
func (p *planner) fresh(most version.Jump) (c assess.Choice, moving map[string]bool, err error) {
	standing, err := p.standingAt()
	if err != nil {
		return nil, nil, err
	}
	c, moving = p.exact(p.now), map[string]bool{}
	for _, name := range p.Names() {
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, nil, err
		}
		current := project.VersionOf(p.now.Locked, name)
		at := pkg.Index(current)
		if at < 0 || slices.Contains(p.App.Held, name) {
			continue
		}
		here, line := pkg.Version(at), p.capOf(name, pkg)
		var fresh []string
		for i := range p.Usable(pkg, current).All() {
			r := pkg.About(i)
			jump := p.App.Scheme.Jump(here, r.Version)
			if i == at || i > at && p.Under(name, pkg, i) && jump <= most && !p.App.Breaking(name, here, r.Version) &&
				r.Deprecated == "" && !r.Version.Prerelease() && below(pkg, line, i) {
				fresh = append(fresh, r.Version.String())
			}
		}
		if name != p.Goal.Name { // what is in use stays possible, whatever it says
			fresh = append([]string{current}, p.Towards(name, pkg, fresh[1:], standing)...)
		}
		c[name] = fresh
		if len(fresh) > 1 {
			moving[name] = true
		}
	}
	return c, moving, nil
}

// freshest solves a choice so that what moves gets the newest releases that go together. The solver
// by itself is content with a release that the graph holds anyway, as what an undeclared package is
// locked to. So all of the newest are tried first, and where they don't resolve, what is short of
// its newest is raised, one after the other, while the rest keeps what it has.
func (p *planner) freshest(c assess.Choice, moving map[string]bool) (*solve.Resolution, error) {
	newest := maps.Clone(c)
	for name := range moving {
		newest[name] = c[name][len(c[name])-1:]
	}
	if r, err := p.inStepWithFramework(newest, moving); err != nil || r != nil {
		return r, err
	}
	best, err := p.inStepWithFramework(c, moving)
	if err != nil || best == nil {
		return nil, err
	}
	above := func(name string, r *solve.Resolution) []string {
		return c[name][max(0, slices.Index(c[name], project.VersionOf(r, name))):]
	}
	for _, name := range p.Names() {
		if !moving[name] || len(above(name, best)) < 2 {
			continue
		}
		raised := maps.Clone(c)
		for other := range moving {
			raised[other] = above(other, best)
		}
		raised[name] = raised[name][1:]
		r, err := p.inStepWithFramework(raised, moving)
		if err != nil {
			return nil, err
		}
		for r != nil && len(above(name, r)) < len(above(name, best)) { // up to the newest of them
			best = r
			if raised[name] = above(name, best)[1:]; len(raised[name]) == 0 {
				break
			}
			if r, err = p.inStepWithFramework(raised, moving); err != nil {
				return nil, err
			}
		}
	}
	return p.even(c, moving, best)
}

// inStepWithFramework solves a choice with the framework's own packages, which share its numbers,
// at the framework's number wherever they stand at it now: they move neither before nor after it.
// Of the framework's releases it tries the newest first.
func (p *planner) inStepWithFramework(c assess.Choice, moving map[string]bool) (*solve.Resolution, error) {
	keep := assess.KeepExcept(p.now.Locked, moving)
	at := project.VersionOf(p.now.Locked, p.Goal.Name)
	own := slices.DeleteFunc(p.Names(), func(name string) bool {
		return name == p.Goal.Name || !p.Owned(name) || project.VersionOf(p.now.Locked, name) != at || len(c[name]) == 0
	})
	if len(own) == 0 || len(c[p.Goal.Name]) == 0 {
		r, _, err := p.Solve(c, keep)
		return r, err
	}
	for _, v := range slices.Backward(c[p.Goal.Name]) {
		one := maps.Clone(c)
		one[p.Goal.Name] = []string{v}
		there := true
		for _, name := range own {
			pkg, err := p.Pkg(name)
			if err != nil {
				return nil, err
			}
			switch {
			case slices.Contains(c[name], v):
				one[name] = []string{v}
			case v == at || pkg.Index(v) < 0: // it has no release of that number
				one[name] = []string{project.VersionOf(p.now.Locked, name)}
			default:
				there = false
			}
		}
		if !there {
			continue
		}
		if r, _, err := p.Solve(one, keep); err != nil || r != nil {
			return r, err
		}
	}
	return nil, nil
}

func versionsOf(r *solve.Resolution, names []string) map[string]string {
	all := map[string]string{}
	for _, name := range names {
		if v := project.VersionOf(r, name); v != "" {
			all[name] = v
		}
	}
	return all
}
