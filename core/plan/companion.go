package plan

import (
	"slices"

	"molt/core/project"
	"molt/core/universe"
)

// A Companion is a package that a moved one newly has as a peer, and that nobody declares: it comes
// into the lock for it, and had better be declared.
type Companion struct {
	By, Version      string // the declared package, and the release to which it moves
	Name, Constraint string
	At               string // the release that comes
}

// companions lists what the moves of a stage newly require and nobody declares.
func (p *planner) companions(st *Stage, next project.Draft) ([]Companion, error) {
	var all []Companion
	for _, c := range st.Changes {
		if c.To.Version == "" {
			continue
		}
		pkg, err := p.Pkg(c.Name)
		if p.Declaration(c.Name).As == "" || err != nil {
			continue
		}
		var had []universe.Demand
		if before := pkg.Release(c.From.Version); before != nil {
			had = slices.Concat(before.Peers, before.Covered)
		}
		for _, d := range pkg.Release(c.To.Version).Peers {
			known := func(x universe.Demand) bool { return x.As == d.As }
			declared := slices.ContainsFunc(p.declared(next), func(x project.Declared) bool { return x.As == d.As })
			if d.Optional || declared || slices.ContainsFunc(had, known) ||
				slices.ContainsFunc(all, func(x Companion) bool { return x.Name == d.As }) {
				continue
			}
			at := ""
			if v := next.Locked.Versions()[d.Package]; len(v) > 0 {
				at = v[len(v)-1]
			}
			all = append(all, Companion{c.Name, c.To.Version, d.As, d.Text, at})
		}
	}
	return all, nil
}
