package plan

import (
	"maps"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A family is packages that move in step, and the ground on which they are one; none for a single package.
type family struct {
	names  []string
	ground fact.Fact
}

// families groups names that move in step: as people said, else those that were published under the same version
// numbers and have a scope, a name stem or a repository in common.
func (p *planner) families(names []string) []family {
	var groups []family
	seen := map[string]bool{}
	for _, name := range names {
		if seen[name] {
			continue
		}
		group := family{names: []string{name}}
		for _, other := range names {
			if ground := p.Akin(name, other); other != name && !seen[other] && !ground.None() {
				group.names = append(group.names, other)
				group.ground = ground
			}
		}
		for _, n := range group.names {
			seen[n] = true
		}
		groups = append(groups, group)
	}
	return groups
}

// abreast leaves later releases of packages, by name, at majors that all members of a family can
// have, where these stand at one major: a family is not torn for what only some of it could have.
// A member that has no later major holds the others.
func (p *planner) abreast(later map[string][]string) error {
	names := slices.DeleteFunc(p.Names(), func(name string) bool {
		return name == p.Goal.Name || p.now.Gone[name] || slices.Contains(p.App.Held, name) ||
			p.assessed[name].Standing == project.Retires
	})
	for _, f := range p.families(names) {
		if f.ground.Is(assess.DeclaredFamily) { // whose members may have numbers of their own
			continue
		}
		common, err := p.commonMajors(f.names, later)
		if err != nil {
			return err
		}
		for _, name := range f.names {
			if common == nil {
				break
			}
			pkg, err := p.Pkg(name)
			if err != nil {
				return err
			}
			left := slices.DeleteFunc(slices.Clone(later[name]), func(v string) bool {
				return !common[p.App.Scheme.Major(pkg.Known(v).Version)]
			})
			if delete(later, name); len(left) > 0 {
				later[name] = left
			}
		}
	}
	return nil
}

// commonMajors returns the majors that all of some packages have among their later releases, with
// the one where they stand; nil where they do not stand at one.
func (p *planner) commonMajors(names []string, later map[string][]string) (common map[string]bool, err error) {
	here := ""
	for i, name := range names {
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		at := pkg.Known(project.VersionOf(p.now.Locked, name))
		if at == nil || i > 0 && p.App.Scheme.Major(at.Version) != here {
			return nil, nil
		}
		here = p.App.Scheme.Major(at.Version)
		own := map[string]bool{here: true}
		for _, v := range later[name] {
			own[p.App.Scheme.Major(pkg.Known(v).Version)] = true
		}
		if i == 0 {
			common = own
		}
		maps.DeleteFunc(common, func(major string, _ bool) bool { return !own[major] })
	}
	return common, nil
}

// atOneNumber returns the families among what moves whose members stand at one number now. Those of
// the framework go by it, and are not among them.
func (p *planner) atOneNumber(c assess.Choice, moving map[string]bool) (all []family) {
	var names []string
	for _, name := range p.Names() {
		if moving[name] && len(c[name]) > 1 && name != p.Goal.Name && !p.Owned(name) {
			names = append(names, name)
		}
	}
	for _, f := range p.families(names) {
		one := func(name string) bool {
			return project.VersionOf(p.now.Locked, name) == project.VersionOf(p.now.Locked, f.names[0])
		}
		if len(f.names) > 1 && !slices.ContainsFunc(f.names, func(name string) bool { return !one(name) }) {
			all = append(all, f)
		}
	}
	return all
}

// even makes of a resolution one in which every family stands as its maintainers had it when one of
// its numbers was the newest: each member at that number, or where it has none, at its newest
// before. The newest number that resolves is taken.
func (p *planner) even(c assess.Choice, moving map[string]bool, best *solve.Resolution) (*solve.Resolution, error) {
	for _, f := range p.atOneNumber(c, moving) {
		var numbers version.List
		position := map[string]int{}
		for _, name := range f.names {
			pkg, err := p.Pkg(name)
			if err != nil {
				return nil, err
			}
			for _, v := range c[name] {
				numbers = append(numbers, pkg.Version(pkg.Index(v)))
			}
			position[name] = pkg.Index(project.VersionOf(best, name))
		}
		slices.SortFunc(numbers, func(a, b version.Version) int { return b.Compare(a) })
		for _, v := range slices.CompactFunc(numbers, func(a, b version.Version) bool { return a.Compare(b) == 0 }) {
			fixed, newer, same := maps.Clone(c), false, true
			for name := range moving { // the others lose nothing
				fixed[name] = c[name][max(0, slices.Index(c[name], project.VersionOf(best, name))):]
			}
			for _, name := range f.names {
				pkg, err := p.Pkg(name)
				if err != nil {
					return nil, err
				}
				for _, x := range c[name] {
					if i := pkg.Index(x); pkg.Version(i).Compare(v) <= 0 {
						fixed[name] = []string{x}
					}
				}
				i := pkg.Index(fixed[name][0])
				newer, same = newer || i > position[name], same && i == position[name]
			}
			if same { // it stands so already, and nothing newer resolves
				break
			}
			if newer {
				continue // each that can be raised is raised by now
			}
			r, err := p.inStepWithFramework(fixed, moving)
			if err != nil {
				return nil, err
			}
			if r != nil {
				best = r
				break
			}
		}
	}
	return best, nil
}

// familyStage adds a stage of the family that is being looked at, with the ground on which it is one.
func (p *planner) familyStage(kind StageKind, id string, title fact.Fact, to map[string]string,
	reason reasons) (bool, error) {
	before := len(p.plan.Stages)
	done, err := p.stage(kind, id, title, to, reason)
	if len(p.plan.Stages) > before && len(p.bridging.names) > 1 && p.plan.Stages[before].Family.None() {
		p.plan.Stages[before].Family = p.bridging.ground
	}
	return done, err
}

// inStep makes a stage in which the rest of a family goes along with members that move to another
// major: to the release of their number where there is one, else to the newest that they may have.
// Members that cannot are left where they are, and the stage says so.
func (p *planner) inStep(kind StageKind, id string, title fact.Fact, to map[string]string,
	reason reasons) (*Stage, project.Draft, error) {
	if kind == PatchStage || kind == MinorStage || kind == AfterStage {
		// what comes after the goal has its families from the joint optimum
		return p.try(kind, id, title, to, reason)
	}
	along, ground := p.goingAlong(to)
	if len(along) == 0 {
		return p.try(kind, id, title, to, reason)
	}
	why := func(name string) fact.Fact {
		if along[name] != "" {
			return fact.New(MovesWithKin)
		}
		if reason == nil {
			return fact.Fact{}
		}
		return reason(name)
	}
	all := maps.Clone(to)
	maps.Copy(all, along)
	st, next, err := p.try(kind, id, title, all, why)
	if err != nil || st != nil {
		if st != nil {
			st.Family = ground
		}
		return st, next, err
	}
	all = maps.Clone(to)
	var behind []fact.Fact
	for _, name := range slices.Sorted(maps.Keys(along)) {
		all[name] = along[name]
		st, _, err := p.try(kind, id, title, all, why)
		if err != nil {
			return nil, next, err
		}
		if st == nil {
			delete(all, name)
			behind = append(behind, fact.New(StaysBehindKin, name, along[name]))
		}
	}
	st, next, err = p.try(kind, id, title, all, why)
	if st != nil {
		st.Family = fact.Joined(append([]fact.Fact{ground}, behind...)...)
	}
	return st, next, err
}

// goingAlong finds the members of families that stay while others of theirs make a breaking move,
// with where they would go.
func (p *planner) goingAlong(to map[string]string) (along map[string]string, ground fact.Fact) {
	along = map[string]string{}
	for _, mover := range slices.Sorted(maps.Keys(to)) {
		pkg, err := p.Pkg(mover)
		if err != nil || p.Declaration(mover).As == "" || !p.breaks(pkg, mover, to[mover]) {
			continue
		}
		for _, other := range p.Names() {
			if v, listed := to[other]; other == mover || listed && v != project.VersionOf(p.now.Locked, other) ||
				p.now.Gone[other] || other == p.Goal.Name ||
				slices.Contains(p.App.Held, other) || along[other] != "" || p.assessed[other].Standing == project.Retires {
				continue
			}
			g := p.Akin(mover, other)
			if g.None() {
				continue
			}
			if v := p.sibling(other, pkg.Known(to[mover]).Version); v != "" {
				along[other], ground = v, g
			}
		}
	}
	return along, ground
}

// breaks reports whether a package makes a breaking move when it goes to a release.
func (p *planner) breaks(pkg *universe.Package, name, v string) bool {
	from, to := pkg.Release(project.VersionOf(p.now.Locked, name)), pkg.Release(v)
	return from != nil && to != nil && from.Version.Compare(to.Version) < 0 &&
		p.App.Breaking(name, from.Version, to.Version)
}

// sibling returns the release of a package that goes with a version of another of its family: the
// same number, else the newest usable one of the same major; "" when that is no breaking move
// forward.
func (p *planner) sibling(name string, v version.Version) string {
	pkg, err := p.Pkg(name)
	if err != nil {
		return ""
	}
	found := ""
	for i := range p.Usable(pkg, project.VersionOf(p.now.Locked, name)).All() {
		r := pkg.About(i)
		if r.Deprecated == "" && p.App.Scheme.Major(r.Version) == p.App.Scheme.Major(v) && found != v.String() {
			found = r.Version.String()
		}
	}
	if found != "" && p.breaks(pkg, name, found) {
		return found
	}
	return ""
}
