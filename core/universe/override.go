package universe

import (
	"slices"
)

// An Override is what a manifest says of every edge to a name, whatever the packages that make them ask for. Declarations of
// the application itself are not bound by it.
type Override struct {
	Demand         // As is the name; Package and Text say what serves it
	Shared  bool   // the edges get what the application declares under the name, and Text admits any
	Written string // as the manifest has it
}

// Overridden shows of a source releases whose needs and peers ask for what overrides say.
func Overridden(s Source, overrides []Override) Source {
	if len(overrides) == 0 {
		return s
	}
	by := map[string]Override{}
	for _, one := range overrides {
		by[one.As] = one
	}
	bound := func(d Demand) bool { _, yes := by[d.As]; return yes }
	change := func(all []Demand) []Demand {
		all = slices.Clone(all)
		for i, d := range all {
			if o, bound := by[d.As]; bound {
				all[i].Package, all[i].Text, all[i].Foreign = o.Package, o.Text, o.Foreign
			}
		}
		return all
	}
	return Changed(s, func(p *Package) (*Package, error) {
		if !slices.ContainsFunc(p.Copies(), func(r Release) bool {
			return slices.ContainsFunc(r.Needs, bound) || slices.ContainsFunc(r.Peers, bound)
		}) {
			return p, nil
		}
		releases := p.Copies()
		for i := range releases {
			r := &releases[i]
			r.Needs, r.Peers = change(r.Needs), change(r.Peers)
		}
		return p.With(releases), nil
	})
}
