package plan

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// A family is packages that move in step, and the ground on which they are one; "" for a package alone.
type family struct {
	names  []string
	ground string
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
			if ground := p.Akin(name, other); other != name && !seen[other] && ground != "" {
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

// familyStage adds a stage of the family that is being looked at, with the ground on which it is one.
func (p *planner) familyStage(kind StageKind, id, title string, to map[string]string, reason func(name string) string) (bool, error) {
	before := len(p.plan.Stages)
	done, err := p.stage(kind, id, title, to, reason)
	if len(p.plan.Stages) > before && len(p.bridging.names) > 1 && p.plan.Stages[before].Family == "" {
		p.plan.Stages[before].Family = p.bridging.ground
	}
	return done, err
}

// inStep makes a stage in which the rest of a family goes along with members that move to another major: to the release of
// their number where there is one, else to the newest that they may have. Members that cannot are left where they are, and
// the stage says so.
func (p *planner) inStep(kind StageKind, id, title string, to map[string]string, reason func(name string) string) (*Stage, project.Draft, error) {
	if kind == PatchStage || kind == MinorStage || kind == AfterStage { // what comes after the goal has its families from the joint optimum
		return p.try(kind, id, title, to, reason)
	}
	along, ground := p.goingAlong(to)
	if len(along) == 0 {
		return p.try(kind, id, title, to, reason)
	}
	why := func(name string) string {
		if along[name] != "" {
			return "moves with its family"
		}
		if reason == nil {
			return ""
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
	var behind []string
	for _, name := range slices.Sorted(maps.Keys(along)) {
		all[name] = along[name]
		st, _, err := p.try(kind, id, title, all, why)
		if err != nil {
			return nil, next, err
		}
		if st == nil {
			delete(all, name)
			behind = append(behind, fmt.Sprintf("%s stays, as %s does not resolve here", name, along[name]))
		}
	}
	st, next, err = p.try(kind, id, title, all, why)
	if st != nil {
		st.Family = strings.Join(append([]string{ground}, behind...), "; ")
	}
	return st, next, err
}

// goingAlong finds the members of families that stay while others of theirs make a breaking move, with where they would go.
func (p *planner) goingAlong(to map[string]string) (along map[string]string, ground string) {
	along = map[string]string{}
	for _, mover := range slices.Sorted(maps.Keys(to)) {
		pkg, err := p.Pkg(mover)
		if err != nil || p.Declaration(mover).As == "" || !p.breaks(pkg, mover, to[mover]) {
			continue
		}
		for _, other := range p.Names() {
			if v, listed := to[other]; other == mover || listed && v != project.VersionOf(p.now.Locked, other) || p.now.Gone[other] || other == p.Goal.Name ||
				slices.Contains(p.App.Held, other) || along[other] != "" || p.assessed[other].Standing == project.Retires {
				continue
			}
			g := p.Akin(mover, other)
			if g == "" {
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
	return from != nil && to != nil && from.Version.Compare(to.Version) < 0 && p.App.Breaking(name, from.Version, to.Version)
}

// sibling returns the release of a package that goes with a version of another of its family: the same number, else the newest
// usable one of the same major; "" when that is no breaking move forward.
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
