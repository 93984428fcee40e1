package plan

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// after adds what the goal opens: first all that does not break, together; then every breaking move of a family as a
// stage of its own; then what retires.
func (p *planner) after() error {
	fresh, err := p.newer(func(name string, from, to version.Version) bool {
		return !p.App.Breaking(name, from, to) && p.App.Scheme.Jump(from, to) <= p.cut.most()
	})
	if err != nil {
		return err
	}
	c, moving := p.exact(p.now), map[string]bool{}
	for name, versions := range fresh {
		c[name] = append(c[name], versions...)
		moving[name] = true
	}
	if len(fresh) > 0 {
		r, _, err := p.Solve(c, assess.KeepExcept(p.now.Locked, moving))
		if err != nil {
			return err
		}
		if r != nil {
			if _, err := p.stage(AfterStage, "after-minor", "newer releases that the goal opens, together", versionsOf(r, p.Names()),
				func(string) string { return "opened by " + p.Goal.String() }); err != nil {
				return err
			}
		}
	}
	// A family waits until it can go to its newest releases, which another's move may open; what never can goes as far
	// as it can.
	for _, whole := range []bool{true, false} {
		for moved := p.cut.most() >= version.Major; moved; {
			if moved, err = p.afterRound(whole); err != nil {
				return err
			}
		}
	}
	return p.retire()
}

// afterRound moves every family that has a breaking move before it, once; with whole only those that get to their
// newest releases. It reports whether any moved.
func (p *planner) afterRound(whole bool) (bool, error) {
	breaking, err := p.newer(func(name string, from, to version.Version) bool { return p.App.Breaking(name, from, to) })
	if err != nil {
		return false, err
	}
	var names []string
	for _, name := range p.Names() {
		if breaking[name] != nil {
			names = append(names, name)
		}
	}
	moved := false
	for _, family := range p.families(names) {
		before := len(p.plan.Stages)
		p.bridging = family
		if err := p.afterFamily(family.names, breaking, whole); err != nil {
			return false, err
		}
		moved = moved || len(p.plan.Stages) > before
	}
	return moved, nil
}

// newer lists, for every declared package that may move, the stable later releases that a test lets through. The
// framework stays where the goal put it, and what retires stays until it goes.
func (p *planner) newer(fits func(name string, from, to version.Version) bool) (map[string][]string, error) {
	all := map[string][]string{}
	for _, name := range p.Names() {
		if name == p.Goal.Name || p.now.Gone[name] || p.pinned(name) || slices.Contains(p.App.Held, name) || p.assessed[name].Standing == project.Retires {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		at := pkg.Index(project.VersionOf(p.now.Locked, name))
		if at < 0 {
			continue
		}
		for i := at + 1; i < len(pkg.Releases); i++ {
			if r := &pkg.Releases[i]; !r.Version.Prerelease() && r.Deprecated == "" && fits(name, pkg.Releases[at].Version, r.Version) {
				all[name] = append(all[name], r.Version.String())
			}
		}
	}
	return all, nil
}

// afterFamily moves a family to its newest releases that resolve with everything else as it is.
func (p *planner) afterFamily(family []string, breaking map[string][]string, whole bool) error {
	c, moving := p.exact(p.now), map[string]bool{}
	for _, name := range family {
		c[name] = breaking[name]
		if whole {
			c[name] = breaking[name][len(breaking[name])-1:]
		}
		moving[name] = true
	}
	r, _, err := p.Solve(c, assess.KeepExcept(p.now.Locked, moving))
	if err != nil || r == nil {
		return err
	}
	title := strings.Join(family, ", ") + ": a breaking move on its own"
	if len(family) > 1 {
		title = strings.Join(family, ", ") + ": a breaking move, in step"
	}
	_, err = p.familyStage(AfterStage, p.freeID("after-"+slug(family[0])), title, versionsOf(r, family),
		func(name string) string {
			if v := breaking[name]; project.VersionOf(r, name) == v[len(v)-1] {
				return "the newest release"
			}
			return "the newest release that goes with everything else"
		})
	return err
}

// acceptable returns the newest usable release of a package that states nothing against the goal.
func (p *planner) acceptable(pkg *universe.Package) (*universe.Release, error) {
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return nil, err
	}
	set, err := p.Target(framework)
	if err != nil {
		return nil, err
	}
	fit := p.Acceptors(pkg, framework, assess.Texts(framework, set)).All.And(p.Usable(pkg, ""))
	if i := universe.BestOf(pkg, fit); i >= 0 {
		return &pkg.Releases[i], nil
	}
	return nil, fmt.Errorf("%s has no release that goes with %s", pkg.Name, p.Goal)
}
