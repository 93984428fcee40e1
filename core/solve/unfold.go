package solve

import (
	"context"
	"maps"
	"slices"

	"molt/core/universe"
)

// mostUnfolding bounds how many searches are made to get rid of a fold.
const mostUnfolding = 8

// unfolded looks for a resolution that need not be folded. First it leaves out optional needs of
// the fold's cycles: all of them, and then as many fewer as can be, so that a graph is folded only
// where doing without an optional need does not help. Then it tries to do without one release of
// the cycles.
func unfolded(ctx context.Context, source universe.Source, p Problem, r *Resolution) *Resolution {
	tries := 0
	attempt := func(p Problem) *Resolution {
		if tries++; tries > mostUnfolding || ctx.Err() != nil {
			return nil
		}
		if next, _, err := search(ctx, source, p, nil); err == nil && next != nil && !next.Folded {
			return next
		}
		return nil
	}
	cyclic := onCycles(r)
	var optional []Demand
	for i := range r.Packages {
		n := &r.Packages[i]
		for _, e := range n.Needs {
			d := Demand{Kind: Need, By: n.Name, As: e.Name, Package: e.Package, Constraint: e.Constraint, Optional: true}
			if e.Optional && e.To != "" && cyclic[n.ID] && cyclic[e.To] && !slices.Contains(optional, d) {
				optional = append(optional, d)
			}
		}
	}
	without := func(demands []Demand) Problem {
		q := p
		q.absent = maps.Clone(p.absent)
		if q.absent == nil {
			q.absent = map[Demand]bool{}
		}
		for _, d := range demands {
			q.absent[d] = true
		}
		return q
	}
	if len(optional) > 0 {
		if best := attempt(without(optional)); best != nil {
			for i := 0; i < len(optional); { // what can stay, stays
				fewer := slices.Delete(slices.Clone(optional), i, i+1)
				if next := attempt(without(fewer)); next != nil {
					best, optional = next, fewer
				} else {
					i++
				}
			}
			return best
		}
	}
	tried := map[string]bool{}
	for _, n := range r.Packages {
		release := n.Name + "@" + n.Version
		if !cyclic[n.ID] || tried[release] || slices.Contains(p.Keep[n.Name], n.Version) {
			continue
		}
		tried[release] = true
		q := p
		q.Refuse = maps.Clone(p.Refuse)
		if q.Refuse == nil {
			q.Refuse = map[string][]string{}
		}
		q.Refuse[n.Name] = append(slices.Clone(p.Refuse[n.Name]), n.Version)
		if next := attempt(q); next != nil {
			return next
		}
	}
	return r
}

// onCycles returns the IDs of the nodes that reach themselves over needs and peers: the strongly
// connected components of more than one node (Tarjan, "Depth-first search and linear graph
// algorithms", 1972).
func onCycles(r *Resolution) map[string]bool {
	index := map[string]int{}
	for i := range r.Packages {
		index[r.Packages[i].ID] = i
	}
	n := len(r.Packages)
	order, low, onStack := make([]int, n), make([]int, n), make([]bool, n)
	var stack []int
	next := 0
	cyclic := map[string]bool{}
	var visit func(v int)
	visit = func(v int) {
		next++
		order[v], low[v] = next, next
		stack = append(stack, v)
		onStack[v] = true
		for _, edges := range [][]Edge{r.Packages[v].Needs, r.Packages[v].Peers} {
			for _, e := range edges {
				w, ok := index[e.To]
				switch {
				case !ok:
				case order[w] == 0:
					visit(w)
					low[v] = min(low[v], low[w])
				case onStack[w]:
					low[v] = min(low[v], order[w])
				}
				if ok && w == v {
					cyclic[r.Packages[v].ID] = true
				}
			}
		}
		if low[v] != order[v] {
			return
		}
		from := slices.Index(stack, v)
		for _, w := range stack[from:] {
			onStack[w] = false
			if len(stack)-from > 1 {
				cyclic[r.Packages[w].ID] = true
			}
		}
		stack = stack[:from]
	}
	for v := range n {
		if order[v] == 0 {
			visit(v)
		}
	}
	return cyclic
}
