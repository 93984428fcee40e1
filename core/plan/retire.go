package plan

import (
	"fmt"
	"slices"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// retire replaces or removes what retires, a stage each.
func (p *planner) retire() error {
	for _, name := range p.Names() {
		got := p.assessed[name]
		if got.Standing != project.Retires || p.now.Gone[name] || slices.Contains(p.App.Held, name) ||
			got.Retires.Kind == project.Abandoned || p.cut.Fresh == FreshNone && got.Retires.Kind != project.Swallowed {
			continue
		}
		if _, lacks, err := p.successor(name); err != nil {
			return err
		} else if !lacks.None() { // it may stay as long as it is compatible; what stays behind has it
			continue
		}
		before := p.now.Clone()
		p.now = p.without([]string{name})
		p.now.Locked = before.Locked
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
		title := fact.New(TakeOut, name)
		if got.To != "" {
			title = fact.New(Becomes, name, got.To)
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
func (p *planner) replacements(names []string) ([]project.Change, error) {
	var changes []project.Change
	for _, name := range names {
		got := p.assessed[name]
		d := p.Declaration(name)
		changes = append(changes, project.Change{
			Name: name, Group: d.Group, From: project.Point{
				Constraint: p.now.Lines[d.Line()], Version: project.VersionOf(p.now.Locked, name)},
			Standing: project.Retires, Reason: fact.New(Retires, string(got.Retires.Kind), got.Retires.Says)})
		v, lacks, err := p.successor(name)
		if err != nil {
			return nil, err
		}
		last := &changes[len(changes)-1]
		last.Reason = fact.Joined(last.Reason, lacks)
		if v == nil {
			continue
		}
		next := got.Retires.Successor
		text := version.Restyled(p.App.Scheme, d.Text, v.Version)
		if c, err := p.App.Scheme.Constrain(text); err != nil || !c.Bounded() {
			text = p.App.Scheme.Styled(version.NextMinor, v.Version)
		}
		p.now.Lines[project.Line{File: d.File, Group: d.Group, Name: next}] = text
		p.now.Added = append(p.now.Added,
			project.Declared{Demand: universe.Demand{As: next, Package: next, Text: text}, Group: d.Group, File: d.File})
		changes = append(changes, project.Change{
			Name: next, Group: d.Group, To: project.Point{Constraint: text, Version: v.Version.String()},
			Standing: project.Retires,
			Reason:   fact.New(SucceedsTo, name)})
	}
	return changes, nil
}

// withoutTypes takes out of the application what describes a package that goes to a release with
// type declarations of its own, in the stage in which it goes there.
func (p *planner) withoutTypes(st *Stage, next project.Draft) (project.Draft, error) {
	for _, c := range slices.Clone(st.Changes) {
		if c.To.Version == "" {
			continue
		}
		says, _ := p.DescribesItself(c.Name, c.To.Version)
		if says.None() {
			continue
		}
		if had, _ := p.DescribesItself(c.Name, c.From.Version); !had.None() { // for a stage of its own
			continue
		}
		for _, name := range p.Names() {
			if p.Describes(name) != c.Name || !p.Ended(name) || next.Gone[name] || slices.Contains(p.App.Held, name) {
				continue
			}
			less := next.Clone()
			less.Gone[name] = true
			sealed, less, err := p.seal(&Stage{}, less, versionsOf(next.Locked, p.Names()))
			if err != nil {
				return next, err
			}
			if sealed == nil {
				continue
			}
			d := p.Declaration(name)
			gone := project.Change{Name: name, Group: d.Group,
				From:     project.Point{Constraint: p.now.Lines[d.Line()], Version: project.VersionOf(p.now.Locked, name)},
				Standing: project.Retires, Reason: says}
			st.Changes = append(slices.DeleteFunc(st.Changes, func(c project.Change) bool { return c.Name == name }), gone)
			st.After, st.Locked, next = sealed.After, sealed.Locked, less
		}
	}
	return next, nil
}

// successor returns the release that takes the place of a package that was renamed, and why there
// is none where one is named; both are empty where none is, or where it is declared already.
func (p *planner) successor(name string) (r *universe.Release, lacks fact.Fact, err error) {
	next := p.assessed[name].Retires.Successor
	if next == "" || p.Declaration(next).As != "" {
		return nil, lacks, nil
	}
	pkg, err := universe.LookUp(p.Ctx, p.Full, next)
	switch {
	case err != nil:
		return nil, lacks, fmt.Errorf("the successor of %s: %w", name, err)
	case pkg == nil:
		return nil, fact.New(NoSuccessor, next), nil
	}
	if r, err = p.acceptable(pkg); err == nil && r == nil {
		lacks = fact.New(SuccessorFails, next, p.Goal)
	}
	return r, lacks, err
}
