package conflict

import (
	"molt/core/fact"
	"molt/core/solve"
)

// waits looks for releases that somebody would have to publish: for each demand of the tangle that
// a package makes, a next release of that package without the demand. Each is solved as if it
// existed.
func (f *finder) waits() ([]WayOut, error) {
	for _, d := range f.tangle.Demands {
		if d.By == "" {
			continue
		}
		r, _, err := f.try(solve.Without(f.Source, []solve.Demand{d}), f.problem)
		if err != nil {
			return nil, err
		}
		if r == nil {
			continue
		}
		f.ways = append(f.ways, WayOut{Kind: WaitWay, After: r,
			Title: fact.New(WaitWithout, d.By, d.As, d.Constraint)})
	}
	return f.ways[:min(len(f.ways), mostWays)], nil
}
