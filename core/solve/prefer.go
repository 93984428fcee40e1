package solve

import "slices"

// What is decided next, and for which release.

// next takes the variable to decide: one that must or should have a release and has several to choose from.
func (s *solver) next() int32 {
	for {
		v := s.waits.pop()
		if v < 0 {
			return -1
		}
		x := &s.vars[v]
		if !s.sets.single(x.n, x.dom) && (x.soft || !s.sets.has(x.n, x.dom, int(x.n)) || s.wanted(v)) {
			return v
		}
	}
}

// wanted reports whether an optional need asks for the variable.
func (s *solver) wanted(v int32) bool {
	if e := s.edgeOf(v); e != nil && e.optional && s.on(s.owner(e)) {
		return true
	}
	return s.vars[v].many && slices.ContainsFunc(s.others[v], func(e *edge) bool { return e.optional && s.on(s.owner(e)) })
}

// choose picks the preferred release of a domain: kept, in use, fit for the other edges too, what the strategy takes.
func (s *solver) choose(v int32) int {
	x, p := &s.vars[v], s.pkgOf(v)
	if s.problem.KeepEdges != nil {
		if by := s.edgeOf(v); by != nil {
			if k := p.Index(s.problem.KeepEdges[s.keyOfEdge(by)]); k >= 0 && s.sets.has(x.n, x.dom, k) {
				return k
			}
		}
	}
	if g := p.extras().group; g != nil && g.pooled >= 0 && !s.has(g.pooled, 1) {
		// the one that all get, as far as it is known
		if one := s.pick(p, s.sets.and(x.n, x.dom, s.vars[g.pool].dom)); one >= 0 {
			return one
		}
	}
	for _, k := range p.extras().keep {
		if s.sets.has(x.n, x.dom, k) {
			return k
		}
	}
	if w := max(s.inUse(p, x.dom), s.sets.lastCommon(x.n, p.extras().held, x.dom)); w >= 0 {
		return w
	}
	return s.taken(p, s.fit(p, x.dom))
}

// fit returns of a set, without "none", what fits as many other variables of the package as it can
// that must have a release.
func (s *solver) fit(p *pkg, set bitset) bitset {
	n := int32(p.n)
	fits := s.sets.without(n, set, p.n)
	if s.vars[p.last].before < 0 {
		return fits
	}
	for _, u := range s.varsOf(p) {
		if y := &s.vars[u]; !s.sets.has(n, y.dom, p.n) && s.sets.meets(n, fits, y.dom) {
			both := s.sets.and(n, fits, y.dom)
			s.sets.give(n, fits)
			fits = both
		}
	}
	return fits
}

// taken returns the release of a set without "none" that the strategy takes; -1 for none. The set is given back.
func (s *solver) taken(p *pkg, set bitset) int {
	n := int32(p.n)
	defer s.sets.give(n, set)
	last := s.sets.last(n, set)
	lowest, usable := last, -1
	for w := last; w >= 0; w = s.sets.before(n, set, w) {
		lowest = w
		if !p.Deprecated(w) && !p.Version(w).Prerelease() {
			if usable = w; s.problem.Strategy.Takes == Newest {
				break
			}
		}
	}
	switch {
	case usable >= 0:
		return usable
	case s.problem.Strategy.Takes == Newest:
		return last
	}
	return lowest
}

// pick returns the release of a set that is preferred before others are looked at: kept, in use,
// what the strategy takes; -1 for none. It is given back.
func (s *solver) pick(p *pkg, set bitset) int {
	n := int32(p.n)
	defer s.sets.give(n, set)
	for _, k := range p.extras().keep {
		if s.sets.has(n, set, k) {
			return k
		}
	}
	if w := s.inUse(p, set); w >= 0 {
		return w
	}
	return s.taken(p, s.sets.without(n, set, p.n))
}
