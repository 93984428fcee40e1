package solve

import (
	"molt/core/universe"
)

// Where packages need each other in many cycles and look peers up through them, the contexts of a
// release are as many as there are ways to it: in a graph of n packages up to n factorial, though
// hardly any of them comes to anything. A search that makes too many contexts starts over and
// groups them:
//
//   - Every context but the first of a release is put off until its providers have their releases, and made for these
//     (see placeDeferred). Two ways on which the same releases are seen lead to the same context.
//   - Each package has a switch "all my edges get one release". The switches are decided before everything else, and on.
//     They are decisions like others: where one release is not enough, what is learned turns them off. With one release
//     of each package, contexts differ only by who is seen at all.
//   - Looked-up names are kept for each release, and not for the package.
//
// Neither takes a solution away: a switch may always be off, and no refutation can rest on it. That the search ends is
// argued in docs/algorithms.md.

// A search groups contexts when it has more than contextsPerRelease for every release that it
// opened, and contextsSpare besides. Tests change them.
var contextsPerRelease, contextsSpare = 8, 1000

// alwaysGrouped lets tests begin that way.
var alwaysGrouped bool

// A group is what a grouped search knows of a package besides.
type group struct {
	pooled    int32             // the switch that all of its edges get one release, or -1
	pool      int32             // the variable of that release
	byRelease []map[string]bool // the peer names that are looked up through each release; survives a reset
}

// grouping returns the group of a package.
func (p *pkg) grouping() *group {
	r := p.ownExtras()
	if r.group == nil {
		r.group = &group{pooled: -1}
	}
	return r.group
}

// group starts the search over, with its contexts grouped.
func (s *solver) group() (bool, error) {
	asked := s.asked
	s.grouped = true
	s.melt()
	s.problem.shared.grouped = true
	s.reset()
	s.asked = asked
	return s.run()
}

// makeSwitch makes the switch of a package and the variable of its one release.
func (s *solver) makeSwitch(p *pkg) {
	if !s.grouped || s.global(p.Name) {
		return
	}
	g := p.grouping()
	if g.pooled >= 0 {
		return
	}
	g.pooled = s.newVar(nil, 1)
	s.vars[g.pooled].soft = true
	s.waits.putFirst(g.pooled)
	g.pool = s.newVar(nil, p.n)
	s.vars[g.pool].dom = p.full
	s.waits.push(g.pooled)
	s.again = true
}

// statePooled states that a demand on a package holds for its one release, while the switch is on.
func (s *solver) statePooled(p *pkg, why int32, prefix []term, set bitset) {
	if g := p.extras().group; g != nil && g.pooled >= 0 {
		s.add(why, append(append(make([]term, 0, len(prefix)+2), prefix...), term{g.pooled, off}, term{g.pool, set})...)
	}
}

// stateUse states that an edge with a release makes it the one of its package, while the switch is on.
func (s *solver) stateUse(v int32, w int) {
	p := s.pkgOf(v)
	g := p.extras().group
	if g == nil || g.pooled < 0 || s.tied[int64(v)<<32|int64(w)] {
		return
	}
	s.tied[int64(v)<<32|int64(w)] = true
	s.add(noReason, term{v, s.other(p, w)}, term{g.pooled, off}, term{g.pool, s.sets.only(int32(p.n), w)})
}

// lookups returns the names that are looked up through each release of a package.
func (s *solver) lookups(p *pkg) []map[string]bool {
	g := p.grouping()
	if g.byRelease == nil {
		g.byRelease = make([]map[string]bool, p.n)
		for w := range p.n {
			g.byRelease[w] = map[string]bool{}
			for _, d := range p.Peers(w) {
				if !s.single[d.As] {
					g.byRelease[w][d.As] = true
				}
			}
		}
	}
	return g.byRelease
}

// passUpRelease adds to the names of a release what the releases that its need admits look up and it does not surely
// provide. It reports whether there was anything new.
func (s *solver) passUpRelease(p *pkg, w int, d universe.Demand, below *pkg) bool {
	grew := false
	admitted := s.admitted(below, d.Text, false)
	mine := s.lookups(p)[w]
	for k, names := range s.lookups(below) {
		if !s.sets.has(int32(below.n), admitted, k) {
			continue
		}
		for name := range names {
			if !mine[name] && !s.provides(p, w, name) {
				mine[name] = true
				grew = true
			}
		}
	}
	return grew
}
