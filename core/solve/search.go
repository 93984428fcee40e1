package solve

import (
	"context"
	"math/bits"
	"slices"

	"molt/core/universe"
)

// A solver holds one search. Variables, clauses and instances only grow; the trail records what the current partial
// assignment did to the domains, and is unwound on conflicts.
type solver struct {
	ctx     context.Context
	source  universe.Source
	problem Problem
	only    map[Demand]bool // when not nil, the demands to take into account, for minimizing a tangle
	single  map[string]bool
	pkgs    map[string]*pkg
	foreign map[string]bool // names that the application provides from elsewhere

	// What is known of the packages whose place matters; survives reset.
	rel    map[string]map[string]bool // package to the peer names that are looked up through it
	opened map[opening]bool
	stale  bool

	vars    []variable
	clauses []clause
	trail   []event
	levels  []int // where in the trail each decision level begins
	head    int   // the first event that is not propagated
	order   heap
	bump    float64

	conflicts []int32 // clauses that were false when they were added
	loose     []int32 // clauses that were enforced above the level at which they already could have been
	demands   []Demand
	causes    map[Demand]int32

	app       *instance
	instances map[string]*instance
	appVars   map[string]int32
	slots     []string // application-level names by number, for providers
	slotOf    map[string]provider
	fixed     map[fixedKey]int32
	edges     []*edge
	waiting   map[string][]waitingPeer
	toOpen    []*instance
	toExpand  []int32
	deferred  []deferral
	refuted   []int32 // clauses of the final refutation
}

// A pkg is a package with its place in the search.
type pkg struct {
	*universe.Package
	n     int // number of releases; also the bit that means "none"
	keep  []int
	inUse []int32 // how many variables are decided for each release
	vars  []int32
	bad   domain // releases refused by the problem
}

// A domain is a bit set over the releases of a package, and bit n for "none".
type domain []uint64

func newDomain(n int) domain { return make(domain, n/64+1) }

func (d domain) has(i int) bool { return d[i/64]&(1<<(i%64)) != 0 }
func (d domain) add(i int)      { d[i/64] |= 1 << (i % 64) }
func (d domain) remove(i int)   { d[i/64] &^= 1 << (i % 64) }

func (d domain) clone() domain { return append(domain(nil), d...) }

func (d domain) count() int {
	c := 0
	for _, w := range d {
		c += bits.OnesCount64(w)
	}
	return c
}

func (d domain) first() int {
	for i, w := range d {
		if w != 0 {
			return i*64 + bits.TrailingZeros64(w)
		}
	}
	return -1
}

func (d domain) last() int {
	for i := len(d) - 1; i >= 0; i-- {
		if d[i] != 0 {
			return i*64 + 63 - bits.LeadingZeros64(d[i])
		}
	}
	return -1
}

func meets(a, b domain) bool {
	for i := range a {
		if a[i]&b[i] != 0 {
			return true
		}
	}
	return false
}

func within(a, b domain) bool {
	for i := range a {
		if a[i]&^b[i] != 0 {
			return false
		}
	}
	return true
}

func and(a, b domain) domain {
	r := make(domain, len(a))
	for i := range a {
		r[i] = a[i] & b[i]
	}
	return r
}

func or(a, b domain) domain {
	r := make(domain, len(a))
	for i := range a {
		r[i] = a[i] | b[i]
	}
	return r
}

func (d domain) empty() bool { return d.first() < 0 }

// A variable is the release that an edge gets, or, without a package, the switch of an instance: bit 0 on, bit 1 off.
type variable struct {
	pkg      *pkg
	n        int
	dom      domain
	watch    []int32 // clauses that watch it
	events   []int32 // trail positions of its events, ascending
	edges    []*edge
	inst     *instance
	activity float64
	place    int32 // in the heap, or -1
}

// A term holds when the variable is in the set.
type term struct {
	v   int32
	set domain
}

// A clause holds when one of its terms does. No variable stands in it twice. The first two terms are watched.
type clause struct {
	terms   []term
	causes  []int32 // the demands it states, as indices into solver.demands
	parents []int32 // for a learned clause: what it was derived from
}

// An event narrows a domain: by a decision (reason -1) or to satisfy a clause.
type event struct {
	v      int32
	reason int32
	level  int32
	used   int32 // the release whose use it settled, or -1
	old    domain
}

func (s *solver) newVar(p *pkg, n int) int32 {
	v := int32(len(s.vars))
	d := newDomain(n)
	for i := 0; i <= n; i++ {
		d.add(i)
	}
	if p != nil {
		for i := range d {
			d[i] &^= p.bad[i]
		}
		p.vars = append(p.vars, v)
	}
	s.vars = append(s.vars, variable{pkg: p, n: n, dom: d, place: -1})
	return v
}

func (s *solver) level() int32 { return int32(len(s.levels)) }

// narrow shrinks a domain and records it.
func (s *solver) narrow(v int32, set domain, reason int32) {
	x := &s.vars[v]
	next := and(x.dom, set)
	e := event{v: v, reason: reason, level: s.level(), used: -1, old: x.dom}
	x.dom = next
	x.events = append(x.events, int32(len(s.trail)))
	if x.pkg == nil {
		if next.has(0) && !next.has(1) {
			s.toOpen = append(s.toOpen, x.inst)
		}
	} else if next.count() == 1 {
		if w := next.first(); w != x.n {
			e.used = int32(w)
			x.pkg.inUse[w]++
			s.toExpand = append(s.toExpand, v)
		}
	} else if !next.has(x.n) {
		s.order.push(s, v)
	}
	s.trail = append(s.trail, e)
}

// back unwinds the trail to a level.
func (s *solver) back(level int32) {
	if s.level() <= level {
		return
	}
	start := s.levels[level]
	for i := len(s.trail) - 1; i >= start; i-- {
		e := &s.trail[i]
		x := &s.vars[e.v]
		x.dom = e.old
		x.events = x.events[:len(x.events)-1]
		if e.used >= 0 {
			x.pkg.inUse[e.used]--
		}
		if x.pkg != nil {
			s.order.push(s, e.v)
		}
	}
	s.trail = s.trail[:start]
	s.levels = s.levels[:level]
	s.head = min(s.head, start)
	loose := s.loose
	s.loose = nil
	for _, c := range loose {
		s.settleClause(c)
	}
}

// add puts a clause into the search. It may be true, false or ready to narrow at the time; a false one is left in
// s.conflicts for the main loop. Terms on one variable are united, and terms that never hold are left out.
func (s *solver) add(causes, parents []int32, terms ...term) int32 {
	kept := make([]term, 0, len(terms))
next:
	for _, t := range terms {
		if t.set.empty() {
			continue
		}
		for i := range kept {
			if kept[i].v == t.v {
				kept[i].set = or(kept[i].set, t.set)
				continue next
			}
		}
		kept = append(kept, t)
	}
	id := int32(len(s.clauses))
	s.clauses = append(s.clauses, clause{terms: kept, causes: causes, parents: parents})
	if len(kept) < 2 {
		s.settleClause(id)
		return id
	}
	// The two terms to watch: those that can still hold, else those that became false last.
	for slot := range 2 {
		best := slot
		for k := slot + 1; k < len(kept); k++ {
			if s.falseSince(kept[k]) > s.falseSince(kept[best]) {
				best = k
			}
		}
		kept[slot], kept[best] = kept[best], kept[slot]
		s.vars[kept[slot].v].watch = append(s.vars[kept[slot].v].watch, id)
	}
	s.settleClause(id)
	return id
}

// settleClause gives its effect to a clause that came late or lost its effect by unwinding. One that narrowed
// something at a level above that of its false terms would lose the effect again, so it is remembered.
func (s *solver) settleClause(id int32) {
	terms := s.clauses[id].terms
	open, since := -1, always
	for k, t := range terms {
		f := s.falseSince(t)
		switch {
		case f != never:
			since = max(since, f)
		case open >= 0:
			return
		default:
			open = k
		}
	}
	if open < 0 {
		s.conflicts = append(s.conflicts, id)
		return
	}
	level := int32(0)
	if since != always {
		level = s.trail[since].level
	}
	if level < s.level() {
		s.loose = append(s.loose, id)
	}
	s.enforce(terms[open], id)
}

func (s *solver) canHold(t term) bool { return meets(s.vars[t.v].dom, t.set) }

func (s *solver) enforce(t term, reason int32) {
	if !within(s.vars[t.v].dom, t.set) {
		s.narrow(t.v, t.set, reason)
	}
}

// never is the trail position of terms that can still hold; always that of terms which no event made false.
const (
	never  = 1 << 30
	always = -1
)

// falseSince returns the trail position of the event that made a term false.
func (s *solver) falseSince(t term) int {
	x := &s.vars[t.v]
	if meets(x.dom, t.set) {
		return never
	}
	for k := len(x.events) - 1; k >= 0; k-- {
		if meets(s.trail[x.events[k]].old, t.set) {
			return int(x.events[k])
		}
	}
	return always
}

// propagate narrows domains until no clause has more to say, and returns a clause that is false, or -1.
func (s *solver) propagate() int32 {
	for s.head < len(s.trail) {
		v := s.trail[s.head].v
		s.head++
		watch := s.vars[v].watch
		kept := watch[:0]
		for k, id := range watch {
			keep, ok := s.visit(v, id)
			if keep {
				kept = append(kept, id)
			}
			if !ok {
				kept = append(kept, watch[k+1:]...)
				s.vars[v].watch = kept
				return id
			}
		}
		s.vars[v].watch = kept
	}
	return -1
}

// visit looks at a clause after v was narrowed: whether it still watches v, and whether it can still hold.
func (s *solver) visit(v, id int32) (keep, ok bool) {
	terms := s.clauses[id].terms
	at := 0
	if terms[1].v == v {
		at = 1
	}
	if s.canHold(terms[at]) {
		return true, true
	}
	other := terms[1-at]
	if within(s.vars[other.v].dom, other.set) {
		return true, true
	}
	for k := 2; k < len(terms); k++ {
		if s.canHold(terms[k]) {
			terms[at], terms[k] = terms[k], terms[at]
			w := terms[at].v
			s.vars[w].watch = append(s.vars[w].watch, id)
			return false, true
		}
	}
	if !s.canHold(other) {
		return true, false
	}
	s.enforce(other, id)
	return true, true
}

// A pending term is one of the clause under analysis, with the trail position that made it false.
type pending struct {
	term
	since int
}

// learn analyses a false clause up to the first unique implication point, adds what follows and unwinds. It returns
// false when the clause follows from the problem alone: there is no solution.
func (s *solver) learn(id int32) bool {
	var now []pending
	parents := []int32{id}
	fixed := map[int32]bool{} // events of level 0 whose reasons are noted
	include := func(terms []term, skip int32) {
		for _, t := range terms {
			if t.v != skip {
				now = s.merge(now, t, &parents, fixed)
			}
		}
	}
	include(s.clauses[id].terms, -1)
	for {
		pivot, second := -1, int32(0)
		for i := range now {
			if pivot < 0 || now[i].since > now[pivot].since {
				pivot = i
			}
		}
		if pivot < 0 {
			s.refuted = parents
			return false
		}
		e := s.trail[now[pivot].since]
		for i := range now {
			if i != pivot {
				second = max(second, s.trail[now[i].since].level)
			}
		}
		if e.reason < 0 || second < e.level {
			return s.assert(now, pivot, second, parents)
		}
		s.bumpVar(e.v)
		reason := s.clauses[e.reason]
		parents = append(parents, e.reason)
		held := now[pivot]
		now = append(now[:pivot], now[pivot+1:]...)
		for _, t := range reason.terms {
			if t.v == e.v {
				held.set = and(held.set, t.set)
			}
		}
		if !held.set.empty() {
			now = s.merge(now, held.term, &parents, fixed)
		}
		include(reason.terms, e.v)
	}
}

// merge unites a false term with those under analysis. Terms that are false at level 0 are left out; the clauses
// that made them so are noted as parents.
func (s *solver) merge(now []pending, t term, parents *[]int32, fixed map[int32]bool) []pending {
	since := s.falseSince(t)
	if since == always {
		return now
	}
	if s.trail[since].level == 0 {
		s.noteFixed(int32(since), t, parents, fixed)
		return now
	}
	for i := range now {
		if now[i].v == t.v {
			now[i].set = or(now[i].set, t.set)
			now[i].since = max(now[i].since, since)
			return now
		}
	}
	return append(now, pending{t, since})
}

// noteFixed collects the clauses behind the level-0 events that made a term false.
func (s *solver) noteFixed(since int32, t term, parents *[]int32, fixed map[int32]bool) {
	for _, at := range s.vars[t.v].events {
		if at > since || fixed[at] {
			continue
		}
		fixed[at] = true
		reason := s.trail[at].reason
		*parents = append(*parents, reason)
		for _, u := range s.clauses[reason].terms {
			if u.v == t.v {
				continue
			}
			if f := s.falseSince(u); f != always && f != never {
				s.noteFixed(int32(f), u, parents, fixed)
			}
		}
	}
}

// assert adds the learned clause at the level where it narrows something.
func (s *solver) assert(now []pending, pivot int, level int32, parents []int32) bool {
	terms := make([]term, 0, len(now))
	terms = append(terms, now[pivot].term)
	for i := range now {
		if i != pivot {
			terms = append(terms, now[i].term)
		}
		s.bumpVar(now[i].v)
	}
	s.bump *= 1.05
	s.back(level)
	s.add(nil, parents, terms...)
	return true
}

// run searches until a solution stands or none can.
func (s *solver) run() (bool, error) {
	if err := s.begin(); err != nil {
		return false, err
	}
	for {
		if err := s.ctx.Err(); err != nil {
			return false, err
		}
		if bad := s.falseClause(); bad >= 0 {
			if !s.settle(bad) {
				return false, nil
			}
			continue
		}
		grew, err := s.grow()
		if err != nil {
			return false, err
		}
		if grew {
			continue
		}
		v := s.next()
		if v < 0 {
			more, err := s.placeDeferred()
			if err != nil || !more {
				return !more, err
			}
			continue
		}
		w := s.choose(v)
		if grew, err = s.expandAll(v, w); err != nil {
			return false, err
		}
		if grew {
			s.order.push(s, v)
			continue
		}
		s.decide(v, w)
	}
}

// falseClause returns a clause that is false under the assignment, after propagation; -1 when there is none.
func (s *solver) falseClause() int32 {
	for len(s.conflicts) > 0 {
		id := s.conflicts[len(s.conflicts)-1]
		s.conflicts = s.conflicts[:len(s.conflicts)-1]
		if !slices.ContainsFunc(s.clauses[id].terms, s.canHold) {
			s.loose = append(s.loose, id)
			return id
		}
		s.settleClause(id)
	}
	return s.propagate()
}

// settle goes back to the level at which a false clause became false, and learns from it there.
func (s *solver) settle(id int32) bool {
	top := int32(0)
	for _, t := range s.clauses[id].terms {
		if since := s.falseSince(t); since != always {
			top = max(top, s.trail[since].level)
		}
	}
	s.back(top)
	return s.learn(id)
}

func (s *solver) decide(v int32, w int) {
	s.levels = append(s.levels, len(s.trail))
	d := newDomain(s.vars[v].n)
	d.add(w)
	s.narrow(v, d, -1)
}

// next takes the variable to decide: one that must or should have a release and has several to choose from.
func (s *solver) next() int32 {
	for {
		v := s.order.pop(s)
		if v < 0 {
			return -1
		}
		x := &s.vars[v]
		if x.dom.count() > 1 && (!x.dom.has(x.n) || s.wanted(x)) {
			return v
		}
	}
}

// wanted reports whether an optional need asks for the variable.
func (s *solver) wanted(x *variable) bool {
	for _, e := range x.edges {
		if e.optional && s.on(e.owner) {
			return true
		}
	}
	return false
}

// choose picks the preferred release of a domain: kept, in use, fit for the other edges too, newest.
func (s *solver) choose(v int32) int {
	x := &s.vars[v]
	p := x.pkg
	for _, k := range p.keep {
		if x.dom.has(k) {
			return k
		}
	}
	used := newDomain(p.n)
	for i, n := range p.inUse {
		if n > 0 && x.dom.has(i) {
			used.add(i)
		}
	}
	if w := used.last(); w >= 0 {
		return w
	}
	shared := x.dom.clone()
	shared.remove(x.n)
	if len(p.vars) > 1 {
		for _, u := range p.vars {
			y := &s.vars[u]
			if both := and(shared, y.dom); !y.dom.has(y.n) && !both.empty() {
				shared = both
			}
		}
	}
	for w := shared.last(); w >= 0; w-- {
		if shared.has(w) && p.Releases[w].Deprecated == "" && !p.Releases[w].Version.Prerelease() {
			return w
		}
	}
	return shared.last()
}
