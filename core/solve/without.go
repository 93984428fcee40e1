package solve

import (
	"slices"

	"molt/core/universe"
)

// Without returns a source in which packages do not make some demands, whichever of their releases do.
func Without(source universe.Source, aside []Demand) universe.Source {
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		of := func(kind Kind) universe.Rewrite {
			return func(_ int, all []universe.Demand) []universe.Demand {
				return slices.DeleteFunc(slices.Clone(all), func(x universe.Demand) bool {
					return slices.ContainsFunc(aside, func(d Demand) bool {
						return d.By == p.Name && d.Kind == kind && d.As == x.As && d.Package == x.Package && d.Constraint == x.Text
					})
				})
			}
		}
		if !slices.ContainsFunc(aside, func(d Demand) bool { return d.By == p.Name }) {
			return p, nil
		}
		return p.Rewritten(of(Need), of(Peer)), nil
	})
}
