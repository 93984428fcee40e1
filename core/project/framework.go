package project

import (
	"slices"

	"molt/core/solve"
	"molt/core/universe"
)

// Framework guesses what an application stands on: the declared package that the most locked
// packages have as a peer, or, where nothing has peers, that the most declared packages need. It is
// "" where fewer than two do.
func (app Application) Framework() string {
	if app.Locked == nil {
		return ""
	}
	declared := map[string]bool{}
	for _, d := range app.Declared {
		if Registered(d) {
			declared[d.Package] = true
		}
	}
	peers, needs := map[string]int{}, map[string]int{}
	for _, n := range app.Locked.Packages {
		count := func(edges []solve.Edge, in map[string]int) {
			seen := map[string]bool{}
			for _, e := range edges {
				if name := universe.Plain(e.Package); declared[name] && !seen[name] && name != universe.Plain(n.Name) {
					seen[name] = true
					in[name]++
				}
			}
		}
		count(n.Peers, peers)
		if declared[n.Name] {
			count(n.Needs, needs)
		}
	}
	most := func(in map[string]int) (best string) {
		for _, d := range app.Declared {
			if in[d.Package] > max(1, in[best]) {
				best = d.Package
			}
		}
		return best
	}
	if best := most(peers); best != "" {
		i := slices.IndexFunc(app.Declared, func(d Declared) bool { return d.Package == best })
		return app.Declared[i].As
	}
	return most(needs)
}
