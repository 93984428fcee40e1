package ecosystem

import (
	"molt/core/project"
	"molt/core/solve"
)

// A Divider is an ecosystem that tells groups of declarations by their purpose.
type Divider interface {
	Purpose(group string) project.Purpose
}

// PurposeOf returns what a group of declarations is needed for: to run the application, where nobody can tell.
func PurposeOf(e Ecosystem, group string) project.Purpose {
	if d, ok := e.(Divider); ok {
		return d.Purpose(group)
	}
	return project.ToRun
}

// Purposes returns what the application needs each locked package for, by ID: the purpose that asks
// for most, of all chains that lead to it.
func Purposes(e Ecosystem, l *Lock) map[string]project.Purpose {
	found := map[string]project.Purpose{}
	nodes := map[string]*LockedPackage{}
	for i := range l.Packages {
		nodes[l.Packages[i].ID] = &l.Packages[i]
	}
	var reach func(edges []solve.Edge, p project.Purpose)
	reach = func(edges []solve.Edge, p project.Purpose) {
		for _, edge := range edges {
			at := p
			if edge.Optional && at == project.ToRun {
				at = project.ToChoose
			}
			node := nodes[edge.To]
			if before, seen := found[edge.To]; node == nil || seen && before <= at {
				continue
			}
			found[edge.To] = at
			reach(node.Needs, at)
			reach(node.Peers, at)
		}
	}
	for _, r := range l.Roots {
		group := project.GroupOf(r.Group).Name
		reach([]solve.Edge{r}, PurposeOf(e, group))
	}
	return found
}
