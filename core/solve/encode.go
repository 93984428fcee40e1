package solve

import (
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// A waitingPeer is an optional peer on an application-level name that nobody has asked for yet.
type waitingPeer struct {
	prefix []term
	demand universe.Demand
	why    int32
}

// on reports whether an instance is part of the assignment.
func (s *solver) on(i *instance) bool {
	if s.problem.Tenancy == Single && i != s.app {
		return s.release(i.v) == i.w
	}
	return i == s.app || s.vars[i.on].dom == on
}

// grow opens the instances and expands the edges that the assignment has reached. It reports whether clauses came.
func (s *solver) grow() (bool, error) {
	grew := false
	for i, more := s.toOpen.next(); more; i, more = s.toOpen.next() {
		if !s.on(i) {
			continue
		}
		if !i.open {
			if err := s.openInstance(i); err != nil {
				return false, err
			}
			grew = true
		}
		for _, e := range i.needs {
			if e.v < 0 {
				continue
			}
			s.toExpand.add(e.v)
			s.order.push(e.v)
		}
	}
	for v, more := s.toExpand.next(); more; v, more = s.toExpand.next() {
		if w := s.release(v); w >= 0 && w != int(s.vars[v].n) {
			more, err := s.expandVar(v, w)
			if err != nil {
				return false, err
			}
			grew = grew || more
			if s.problem.Tenancy == Single {
				s.wantOptional(s.edgeOf(v).target(w))
			}
		}
	}
	return grew, nil
}

// wantOptional puts what an instance would like to have among the variables to decide.
func (s *solver) wantOptional(i *instance) {
	for _, e := range i.needs {
		if e.optional && e.v >= 0 {
			s.order.push(e.v)
		}
	}
}

// openInstance states the needs of an instance that is part of the assignment or, under single tenancy, about to be.
func (s *solver) openInstance(i *instance) error {
	needs := i.pkg.Needs(i.w)
	n := int32(i.pkg.n)
	if !s.sets.has(n, i.pkg.opened, i.w) {
		i.pkg.opened = s.sets.with(n, i.pkg.opened, i.w)
	}
	if !s.sets.has(n, i.pkg.been, i.w) {
		i.pkg.been = s.sets.with(n, i.pkg.been, i.w)
		s.released++
	}
	i.open = true
	i.needs = s.memory.edgesFor(len(needs))
	for k, d := range needs {
		if s.leavesNeed(i.pkg, d) {
			continue
		}
		if d.Foreign {
			e := &edge{owner: i, as: d.As, v: -1, optional: true}
			i.needs = append(i.needs, e)
			continue
		}
		p, err := s.load(d.Package)
		if err != nil {
			return err
		}
		if s.grouped {
			if s.passUpRelease(i.pkg, i.w, d, p) {
				s.stale = true
			}
		} else if s.passUp(i.pkg, i.w, p) {
			s.stale = true
		}
		var v int32
		if s.global(d.As) {
			if v, err = s.appVar(s.keyOf(d), d.Package); err != nil {
				return err
			}
			p = s.pkgOf(v)
		} else {
			v = s.edgeVar(p)
		}
		s.stateNeed(i, k, s.newEdge(i, d.As, p, v, d.Optional))
	}
	return nil
}

// stateNeed adds the clauses of one need.
func (s *solver) stateNeed(i *instance, k int, e *edge) {
	d := i.pkg.Needs(i.w)[k]
	if s.statePart(e) {
		return
	}
	e.cause = s.cause(origin{pkg: i.pkg.id, w: int32(i.w), k: int32(k)})
	v := e.v
	want := term{v, s.admitted(s.pkgOf(v), d.Text, d.Optional)}
	if d.Optional && s.problem.absent[needOf(i.pkg, d)] && !s.global(d.As) {
		n := s.vars[v].n
		want.set = s.sets.only(n, int(n))
	}
	if s.problem.Tenancy == Single {
		s.add(e.cause, term{i.v, s.unlike(i.pkg, i.pkg.MakingNeed(i.w, k))}, want)
		return
	}
	if s.global(d.As) {
		if from := i.pkg.app; from >= 0 {
			s.add(e.cause, term{from, s.unlike(i.pkg, i.pkg.MakingNeed(i.w, k))}, want)
		}
	}
	s.add(e.cause, term{i.on, off}, want)
	if !d.Optional {
		s.statePooled(s.pkgOf(v), e.cause, []term{{i.on, off}}, want.set)
	}
}

// The two positions of an instance's switch, and both.
const (
	on     bitset = 1
	off    bitset = 2
	either bitset = 3
)

// unlike returns the releases of a package that are not in a set, and "no release".
func (s *solver) unlike(p *pkg, made version.Set) bitset {
	return s.sets.minus(int32(p.n), p.full, made.Words())
}

// expandVar states what follows when a variable gets a release. It reports whether clauses came.
func (s *solver) expandVar(v int32, w int) (bool, error) {
	before := len(s.clauses)
	s.stateUse(v, w)
	// Other edges of the variable are only there to say that somebody wants it.
	if e := s.edgeOf(v); s.on(e.owner) && e.target(w) == nil {
		if err := s.expand(e, w); err != nil {
			return false, err
		}
	}
	return len(s.clauses) > before, nil
}

// hint tells the source what a release needs.
func (s *solver) hint(p *pkg, w int) {
	if s.atHand {
		return
	}
	s.names = s.names[:0]
	for _, d := range p.Needs(w) {
		if !d.Foreign && s.pkgs[d.Package] == nil {
			s.names = append(s.names, d.Package)
		}
	}
	if len(s.names) > 0 {
		s.source.Hint(s.names...)
	}
}

// placeholder marks the target of a deferred context.
var placeholder = &instance{}

func (s *solver) expand(e *edge, w int) error {
	if i := s.frozen(e, w); i != nil {
		e.targets = append(e.targets, target{w, i})
		return nil
	}
	s.hint(e.pkg, w)
	for k := range e.pkg.Peers(w) {
		if err := s.statePeer(e, w, k); err != nil {
			return err
		}
	}
	if s.problem.Tenancy == Single { // its context is the only one: no switch is needed to tell that it is used
		i, id := s.contextOf.add()
		i.id, i.pkg, i.w, i.v = id, e.pkg, w, e.v
		s.count++
		e.targets = append(e.targets, target{w, i})
		return s.openInstance(i)
	}
	sees, ok := s.view(e, w)
	if !ok { // a name came up that was not known to matter: whatever comes of it, this search is repeated
		sees = nil
	}
	i, key := s.find(e.pkg, w, sees)
	if i == nil && s.recurs(e, w, sees) {
		e.targets = append(e.targets, target{w, placeholder})
		s.deferred = append(s.deferred, deferral{e: e, w: w})
		return nil
	}
	if i == nil {
		i = s.newInstance(e, w, sees, key)
	}
	e.targets = append(e.targets, target{w, i})
	s.add(noReason, s.link(e, w, i)...)
	return nil
}

// statePeer adds the clauses of one peer demand, for all releases of the package that make it.
func (s *solver) statePeer(e *edge, w, k int) error {
	d := e.pkg.Peers(w)[k]
	if e.peers[d] || d.Foreign || s.leaves(peerOf(e.pkg, d)) {
		return nil
	}
	if e.peers == nil {
		e.peers = map[universe.Demand]bool{}
	}
	e.peers[d] = true
	causes := []int32{s.cause(origin{pkg: e.pkg.id, w: int32(w), k: int32(k), peer: true})}
	chain := s.chain(e.owner, s.keyOf(d))
	prefix := []term{{e.v, s.unlike(e.pkg, e.pkg.MakingPeer(w, k))}}
	for n, p := range chain {
		if p == anywhere {
			return nil
		}
		last := n == len(chain)-1
		if p < 0 {
			name := s.slots[-1-p]
			if _, exists := s.appVars[name]; !exists && d.Optional {
				s.waiting[name] = append(s.waiting[name], waitingPeer{prefix, d, s.because(causes)})
				return nil
			}
			v, err := s.appVar(name, d.Package)
			if err != nil {
				return err
			}
			p = provider(v)
		}
		pkg := s.pkgOf(int32(p))
		causes = s.madeBy(slices.Clip(causes), int32(p))
		s.add(s.because(causes), append(slices.Clone(prefix), term{int32(p), s.admitted(pkg, d.Text, !last || d.Optional)})...)
		n := int32(pkg.n)
		prefix = append(prefix, term{int32(p), s.sets.without(n, s.sets.all(n), pkg.n)})
	}
	return nil
}
