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
	switch {
	case i.id == application:
		return true
	case s.problem.Strategy.Single:
		return s.release(i.v) == int(i.w)
	}
	return s.vars[i.v].dom == on
}

// grow opens the instances and expands the edges that the assignment has reached. It reports whether clauses came.
func (s *solver) grow() (bool, error) {
	grew := false
	for n, more := s.toOpen.next(); more; n, more = s.toOpen.next() {
		i := s.contexts.at(n)
		if !s.on(i) {
			continue
		}
		if !i.open {
			if err := s.openInstance(i); err != nil {
				return false, err
			}
			grew = true
		}
		for at, to := i.edges(); at < to; at++ {
			if v := s.edges.at(at).v; v >= 0 {
				s.toExpand.add(v)
				s.waits.push(v)
			}
		}
	}
	for v, more := s.toExpand.next(); more; v, more = s.toExpand.next() {
		if w := s.release(v); w >= 0 && w != int(s.vars[v].n) {
			more, err := s.expandVar(v, w)
			if err != nil {
				return false, err
			}
			grew = grew || more
			if s.problem.Strategy.Single {
				s.wantOptional(v, w)
			}
		}
	}
	return grew, nil
}

// wantOptional puts what a release would like to have among the variables to decide.
func (s *solver) wantOptional(v int32, w int) {
	at := s.targetOf(s.edgeOf(v), w)
	for at, to := s.contexts.at(s.targets[at].inst).edges(); at < to; at++ {
		if e := s.edges.at(at); e.optional && e.v >= 0 {
			s.waits.push(e.v)
		}
	}
}

// openInstance states the needs of an instance that is part of the assignment or, under single tenancy, about to be.
func (s *solver) openInstance(i *instance) error {
	of, w := s.pkgOfInst(i), int(i.w)
	n := int32(of.n)
	if !s.isUnseen(of, w) && !s.sets.has(n, of.opened, w) {
		of.opened = s.sets.with(n, of.opened, w)
		s.look(of)
	}
	needs := s.needs(of, w)
	if u := &s.uses[s.useOf(of, i.w)]; !u.opened {
		u.opened = true
		s.released++
	}
	i.open = true
	i.needs, i.count = s.edges.n, int32(len(needs))
	for range needs { // before any others come
		e, id := s.edges.add()
		*e = edge{id: id, v: absentEdge, optional: true, cause: noReason, target: -1}
	}
	for k := range needs {
		if err := s.openNeed(i, of, &needs[k], k); err != nil {
			return err
		}
	}
	return nil
}

// openNeed states the k-th need of an instance.
func (s *solver) openNeed(i *instance, of *pkg, d *universe.Demand, k int) error {
	e := s.edges.at(i.needs + int32(k))
	if s.leavesNeed(of, d) {
		return nil
	}
	if d.Foreign {
		e.owner, e.need, e.v = i.id, int32(k), foreignEdge
		return nil
	}
	p := s.demanded(d)
	if p == nil {
		var err error
		if p, err = s.load(d.Package); err != nil {
			return err
		}
	}
	if s.grouped {
		if s.passUpRelease(of, int(i.w), *d, p) {
			s.stale = true
		}
	} else if s.passUp(of, int(i.w), p) {
		s.stale = true
	}
	var v int32
	global := s.global(d.As)
	switch key := s.keyOf(d); {
	case !global:
		v = s.edgeVar(p)
	case key == p.Name && p.app >= 0:
		v = p.app
	default:
		var err error
		if v, err = s.appVar(key, d.Package); err != nil {
			return err
		}
	}
	s.setEdge(e, i.id, int32(k), v, global, d.Optional)
	s.stateNeed(i, of, d, k, e)
	return nil
}

// stateNeed adds the clauses of one need.
func (s *solver) stateNeed(i *instance, of *pkg, d *universe.Demand, k int, e *edge) {
	if s.statePart(e) {
		return
	}
	e.cause = s.cause(origin{pkg: of.id, w: i.w, k: int32(k)})
	v := e.v
	p := s.pkgOf(v)
	want := term{v, s.admitted(p, d.Text, d.Optional)}
	global := s.global(d.As)
	if d.Optional && s.problem.absent[needOf(of, *d)] && !global {
		want.set = s.sets.only(int32(p.n), p.n)
	}
	if s.problem.Strategy.Single {
		s.stateSingleNeed(i, of, k, e.cause, want)
		return
	}
	if global {
		if from := of.app; from >= 0 {
			s.add(e.cause, term{from, s.unlike(of, s.making(of, int(i.w), k))}, want)
		}
	}
	s.add(e.cause, term{i.v, off}, want)
	if !d.Optional {
		s.statePooled(p, e.cause, []term{{i.v, off}}, want.set)
	}
}

// stateSingleNeed adds the clause of a need under single tenancy. It holds for all releases that
// make the same demand. These are looked for at once when the need cannot be met as things are, and
// otherwise when the clause comes to matter (see widen).
func (s *solver) stateSingleNeed(i *instance, of *pkg, k int, why int32, want term) {
	if want.v == i.v || !s.canHold(want) {
		s.add(why, term{i.v, s.unlike(of, s.making(of, int(i.w), k))}, want)
		return
	}
	id := s.add(why, term{i.v, s.other(of, int(i.w))}, want)
	s.clauses[id].narrow = true
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
	if e := s.edgeOf(v); s.targetOf(e, w) < 0 && s.on(s.owner(e)) {
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
	needs := s.needs(p, w)
	for k := range needs {
		if d := &needs[k]; !d.Foreign && s.demanded(d) == nil {
			s.names = append(s.names, d.Package)
		}
	}
	if len(s.names) > 0 {
		s.source.Hint(s.names...)
	}
}

func (s *solver) expand(e *edge, w int) error {
	p := s.pkgOf(e.v)
	if i := s.frozen(e, p, w); i != nil {
		s.leadsTo(e, w, i.stands())
		return nil
	}
	s.hint(p, w)
	if !s.problem.Strategy.Single {
		if unserved, err := s.stateUnserved(e, p, w); err != nil || unserved {
			return err
		}
	}
	if !p.peerless {
		for k := range p.Peers(w) {
			if err := s.statePeer(e, p, w, k); err != nil {
				return err
			}
		}
	}
	if s.problem.Strategy.Single { // its context is the only one: no switch is needed to tell that it is used
		i := s.newContext(p, w)
		i.v = e.v
		s.leadsTo(e, w, i.id)
		return s.openInstance(i)
	}
	sees, ok := s.view(e, p, w)
	if !ok { // a name came up that was not known to matter: whatever comes of it, this search is repeated
		sees = nil
	}
	i, key := s.find(p, w, sees)
	if i == nil && s.recurs(e, p, w, sees) {
		s.leadsTo(e, w, deferredContext)
		s.deferred = append(s.deferred, deferral{e: e, w: w})
		return nil
	}
	if i == nil {
		i = s.newInstance(p, w, sees, key)
		i.parent = e.owner
	}
	s.leadsTo(e, w, i.id)
	s.link(noReason, nil, e, w, i)
	return nil
}

// stateUnserved looks whether a release needs something of which no release is published that will
// do. Then no context makes a difference: the clause is about every release of the package that
// makes the same demand, and these need not be tried one by one. It reports whether there is such a
// need.
func (s *solver) stateUnserved(e *edge, p *pkg, w int) (bool, error) {
	if s.partRoots != nil {
		return false, nil
	}
	needs := s.needs(p, w)
	for k := range needs {
		d := &needs[k]
		if d.Optional || d.Foreign || s.global(d.As) || s.leavesNeed(p, d) {
			continue
		}
		q := s.demanded(d)
		if q == nil {
			var err error
			if q, err = s.load(d.Package); err != nil {
				return false, err
			}
		}
		if !s.sets.empty(int32(q.n), s.admitted(q, d.Text, false)) {
			continue
		}
		cause := s.cause(origin{pkg: p.id, w: int32(w), k: int32(k)})
		s.add(cause, term{e.v, s.unlike(p, s.making(p, w, k))})
		return true, nil
	}
	return false, nil
}

// statePeer adds the clauses of one peer demand, for all releases of the package that make it.
func (s *solver) statePeer(e *edge, of *pkg, w, k int) error {
	d := of.Peers(w)[k]
	if d.Foreign || !of.IsCostly() && slices.Contains(s.stated[e.id], d) || s.leaves(peerOf(of, d)) {
		return nil
	}
	s.stated[e.id] = append(s.stated[e.id], d)
	causes := []int32{s.cause(origin{pkg: of.id, w: int32(w), k: int32(k), peer: true})}
	chain := s.chain(s.owner(e), s.keyOf(&d))
	prefix := []term{{e.v, s.unlike(of, of.MakingPeer(w, k))}}
	for n, p := range chain {
		if p == anywhere {
			return nil
		}
		last := n == len(chain)-1
		if p < 0 {
			name := s.slots[-1-p]
			if _, exists := s.topVar(name); !exists && d.Optional {
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
		s.add(s.because(causes), append(
			slices.Clone(prefix), term{int32(p), s.admitted(pkg, d.Text, !last || d.Optional)})...)
		n := int32(pkg.n)
		prefix = append(prefix, term{int32(p), s.sets.without(n, s.sets.all(n), pkg.n)})
	}
	return nil
}
