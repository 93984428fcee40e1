package upgrade

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/core/version"
)

// after adds what the goal opens: first all that does not break, together; then every breaking move of a family as a
// stage of its own; then what retires.
func (p *planner) after() error {
	fresh, err := p.newer(func(from, to version.Version) bool {
		return !p.app.Scheme.Breaking(from, to) && p.app.Scheme.Jump(from, to) <= p.cut.most()
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
		r, _, err := p.solve(c, keepExcept(p.now.locked, moving))
		if err != nil {
			return err
		}
		if r != nil {
			if _, err := p.stage(AfterStage, "after-minor", "newer releases that the goal opens, together", versionsOf(r, p.names()),
				func(string) string { return "opened by " + p.goal.String() }); err != nil {
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
	breaking, err := p.newer(func(from, to version.Version) bool { return p.app.Scheme.Breaking(from, to) })
	if err != nil {
		return false, err
	}
	var names []string
	for _, name := range p.names() {
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
func (p *planner) newer(fits func(from, to version.Version) bool) (map[string][]string, error) {
	all := map[string][]string{}
	for _, name := range p.names() {
		if name == p.goal.Name || p.now.gone[name] || p.pinned(name) || slices.Contains(p.app.Held, name) || p.assessed[name].Standing == Retires {
			continue
		}
		pkg, err := p.pkg(name)
		if err != nil {
			return nil, err
		}
		at := pkg.Index(versionOf(p.now.locked, name))
		if at < 0 {
			continue
		}
		for i := at + 1; i < len(pkg.Releases); i++ {
			if r := &pkg.Releases[i]; !r.Version.Prerelease() && r.Deprecated == "" && fits(pkg.Releases[at].Version, r.Version) {
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
	r, _, err := p.solve(c, keepExcept(p.now.locked, moving))
	if err != nil || r == nil {
		return err
	}
	title := strings.Join(family, ", ") + ": a breaking move on its own"
	if len(family) > 1 {
		title = strings.Join(family, ", ") + ": a breaking move, in step"
	}
	_, err = p.familyStage(AfterStage, p.freeID("after-"+slug(family[0])), title, versionsOf(r, family),
		func(name string) string {
			if v := breaking[name]; versionOf(r, name) == v[len(v)-1] {
				return "the newest release"
			}
			return "the newest release that goes with everything else"
		})
	return err
}

// retire replaces or removes what retires, a stage each.
func (p *planner) retire() error {
	for _, name := range p.names() {
		got := p.assessed[name]
		if got.Standing != Retires || p.now.gone[name] || slices.Contains(p.app.Held, name) || got.Retires.Kind == Abandoned || p.cut.Fresh == FreshNone && got.Retires.Kind != Swallowed {
			continue
		}
		before := p.now.clone()
		p.now = p.without([]string{name})
		p.now.locked = before.locked
		changes, err := p.replacements([]string{name})
		if err != nil {
			return err
		}
		to := map[string]string{}
		for _, change := range changes {
			if change.To.Version != "" {
				to[change.Name] = change.To.Version
			}
		}
		title := "take out " + name
		if got.To != "" {
			title = name + " becomes " + got.To
		}
		st, next, err := p.try(RetireStage, "retire-"+slug(name), title, to, nil)
		if err != nil {
			return err
		}
		if st == nil || len(changes) == 0 { // it does not work out, and stays
			p.now = before
			continue
		}
		st.Changes = changes
		p.plan.Stages = append(p.plan.Stages, *st)
		p.now = next
	}
	return nil
}

// replacements gives the changes that take retiring packages out, and put in the successors of renamed ones. The
// present state must be without them already; the successors are added to it.
func (p *planner) replacements(names []string) ([]Change, error) {
	var changes []Change
	for _, name := range names {
		got := p.assessed[name]
		d := p.declaration(name)
		changes = append(changes, Change{Name: name, Group: d.Group, From: Point{p.now.lines[line{Group: d.Group, Name: name, When: d.When}], versionOf(p.now.locked, name)},
			Standing: Retires, Reason: string(got.Retires.Kind) + ": " + got.Retires.Says})
		next := got.Retires.Successor
		if next == "" || p.declaration(next).As != "" {
			continue
		}
		pkg, err := p.full.Package(p.ctx, next)
		if err != nil {
			return nil, fmt.Errorf("the successor of %s: %w", name, err)
		}
		v, err := p.acceptable(pkg)
		if err != nil {
			return nil, err
		}
		text := p.app.Scheme.Restyle(d.Text, v.Version)
		if c, err := p.app.Scheme.Constrain(text); err != nil || !c.Bounded() {
			text = p.app.Scheme.Styled(version.NextMinor, v.Version)
		}
		p.now.lines[line{Group: d.Group, Name: next}] = text
		p.now.added = append(p.now.added, Declared{Demand: universe.Demand{As: next, Package: next, Text: text}, Group: d.Group})
		changes = append(changes, Change{Name: next, Group: d.Group, To: Point{text, v.Version.String()}, Standing: Retires,
			Reason: "successor of " + name})
	}
	return changes, nil
}

// acceptable returns the newest usable release of a package that states nothing against the goal.
func (p *planner) acceptable(pkg *universe.Package) (*universe.Release, error) {
	framework, err := p.pkg(p.goal.Name)
	if err != nil {
		return nil, err
	}
	set, err := p.target(framework)
	if err != nil {
		return nil, err
	}
	fit := p.acceptors(pkg, framework, texts(framework, set)).all.And(p.usable(pkg, ""))
	if i := bestOf(pkg, fit); i >= 0 {
		return &pkg.Releases[i], nil
	}
	return nil, fmt.Errorf("%s has no release that goes with %s", pkg.Name, p.goal)
}
