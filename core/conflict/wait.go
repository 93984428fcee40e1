package conflict

import (
	"fmt"

	"molt/core/solve"
	"molt/core/universe"
)

// waits looks for releases that somebody would have to publish: for each demand of the tangle that a package makes, a next release of
// that package without the demand. Each is solved as if it existed.
func (f *finder) waits() ([]WayOut, error) {
	for _, d := range f.tangle.Demands {
		if d.By == "" {
			continue
		}
		p, err := universe.LookUp(f.Ctx, f.Source, d.By)
		if err != nil {
			return nil, err
		}
		if p == nil {
			continue
		}
		problem := f.problem
		r, _, err := f.try(universe.Replaced(f.Source, universe.Table{p.Name: undemanding(p, d)}), problem)
		if err != nil {
			return nil, err
		}
		if r == nil {
			continue
		}
		f.ways = append(f.ways, WayOut{Kind: WaitWay, After: r,
			Title: fmt.Sprintf("wait for releases of %s that do not ask for %s %s", d.By, d.As, d.Constraint)})
	}
	return f.ways[:min(len(f.ways), mostWays)], nil
}

// undemanding returns the package with one demand removed from all its releases.
func undemanding(p *universe.Package, d solve.Demand) *universe.Package {
	other := func(_ int, all []universe.Demand) (kept []universe.Demand) {
		for _, x := range all {
			if x.As != d.As || x.Package != d.Package || x.Text != d.Constraint {
				kept = append(kept, x)
			}
		}
		return kept
	}
	if d.Kind == solve.Peer {
		return p.Rewritten(nil, other)
	}
	return p.Rewritten(other, nil)
}
