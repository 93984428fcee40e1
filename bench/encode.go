// Package bench holds Molt's resolver against a general SAT solver on the same instances. It is a module of its own, so
// that the product depends on no such library.
package bench

import (
	"slices"

	"github.com/go-air/gini"
	"github.com/go-air/gini/z"

	"molt/core/universe"
	"molt/samples/instances"
)

// Encode writes an instance of single tenancy as clauses: a variable a release, at most one release a package, and for
// each release and need "not this release, or one of those that the need admits".
func Encode(in instances.Instance) *gini.Gini {
	g := gini.New()
	vars := map[string][]z.Lit{}
	next := z.Var(1)
	var names []string
	for name := range in.Source {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		for range in.Source[name].Len() {
			vars[name] = append(vars[name], next.Pos())
			next++
		}
		atMostOne(g, vars[name])
	}
	demand := func(by z.Lit, d universe.Demand) {
		if by != z.LitNull {
			g.Add(by.Not())
		}
		if p := in.Source[d.Package]; p != nil {
			if set, err := p.Admit(d.Text); err == nil {
				for i := range set.All() {
					g.Add(vars[d.Package][i])
				}
			}
		}
		g.Add(z.LitNull)
	}
	for _, r := range in.Problem.Roots {
		demand(z.LitNull, r.Demand)
	}
	for _, name := range names {
		for i, r := range in.Source[name].Copies() {
			for _, d := range r.Needs {
				demand(vars[name][i], d)
			}
		}
	}
	return g
}

func atMostOne(g *gini.Gini, lits []z.Lit) {
	for i := range lits {
		for j := range i {
			g.Add(lits[i].Not())
			g.Add(lits[j].Not())
			g.Add(z.LitNull)
		}
	}
}
