package solve

import (
	"context"
	"slices"

	"molt/core/universe"
)

// A solver holds one search. Variables, clauses and instances only grow; the trail records what the current partial
// assignment did to the domains, and is unwound on conflicts.
type solver struct {
	ctx     context.Context
	source  universe.Source
	problem Problem
	focus   *focus // the demands to take into account, nil for all
	single  map[string]bool
	pkgs    map[string]*pkg
	atHand  bool            // the source has everything in memory: nothing is to be fetched ahead
	foreign map[string]bool // names that the application provides from elsewhere

	// What is known of the packages whose context matters; survives reset.
	stale bool

	parts     []string           // the packages that stand for parts of the application; see apart.go
	partRoots map[partNeed][]int // the numbers of their roots

	frost *frost // what may be taken over from the problem's base, nil for nothing; survives reset

	grouped     bool               // contexts by release, and one release a package as far as that goes; survives reset
	contexts    int                // how many instances there are whose context matters
	released    int                // how many releases were opened
	switches    []int32            // of the problem's assumptions
	assumptions map[string][]int32 // the numbers of assumptions, by the package that they hold for wherever it stands
	asked       []int32            // the assumptions that are to hold in this run
	core        []int32            // the assumptions that the last run refuted together

	vars    []variable
	clauses []clause
	trail   []event
	levels  []int // where in the trail each decision level begins
	head    int   // the first event that is not propagated
	order   order
	bump    float64

	begun      bool
	again      bool    // a switch came that is to be decided before the others
	work, most int     // how many times a domain was narrowed, and when to stop; 0 for never; survive reset
	conflicts  []int32 // clauses that were false when they were added
	loose      []int32 // clauses that were enforced above the level at which they already could have been
	causes     []origin
	reasons    []reason
	names      []string // memory for hints
	shared     domain   // memory for choose

	app       *instance
	instances map[string]*instance // those whose context matters, by key
	count     int                  // of all instances
	appVars   map[string]int32
	slots     []string // application-level names by number, for providers
	slotOf    map[string]provider
	fixed     map[fixedKey]int32
	waiting   map[string][]waitingPeer
	toOpen    queue[*instance]
	toExpand  queue[int32]
	deferred  []deferral
	refuted   []int32 // clauses of the final refutation
	memory    memory
}

// A pkg is a package with its place in the search.
type pkg struct {
	*universe.Package
	n      int // number of releases; also the bit that means "none"
	keep   []int
	inUse  []int32 // how many variables are decided for each release
	uses   int     // how many in all
	vars   []int32
	frozen []target       // subtrees of the base that may be taken over wherever they stand
	held   domain         // releases that stand in the base, nil for none; they count as in use
	full   domain         // every release that the problem does not refuse, and "none"
	app    int32          // its variable at the application's level under its own name, or -1
	pooled int32          // the switch that all of its edges get one release, or -1
	pool   int32          // that release
	tied   map[int64]bool // edges and releases for which that is stated

	// The releases that were opened, and the peer names that are looked up through the package, as far as they are
	// known. They survive a reset.
	opened    domain
	rel       map[string]bool
	byRelease []map[string]bool // the same for each release, when the search is grouped
	been      domain            // the releases opened since the last reset
	// Made when first asked for: the sets of constraints, without and with "none"; the complements of single releases;
	// the instances of releases whose context does not matter.
	sets     [2][]constraintSet
	more     [2]map[string]domain // those beyond the first few
	others   []domain
	plain    []*instance
	contexts map[int]int // how many instances each release has
}

// A constraintSet is what a constraint admits.
type constraintSet struct {
	text string
	set  domain
}

// few is how many constraints of a package are looked up in a list and not in a map; most packages have no more.
const few = 6

// A variable is the release that an edge gets, or, without a package, the switch of an instance: bit 0 on, bit 1 off.
type variable struct {
	pkg    *pkg
	n      int
	dom    domain
	watch  []watcher // clauses that watch it
	last   int32     // trail position of its latest event, or -1
	edge   *edge     // the edge that it serves
	others []*edge   // the other ones, of a name that all share
	inst   *instance
	soft   bool // decided before everything else that was not asked for
}

// An event narrows a domain: by a decision (reason -1) or to satisfy a clause.
type event struct {
	v      int32
	reason int32
	level  int32
	used   int32 // the release whose use it decided, or -1
	before int32 // the variable's event before this one, or -1
	old    domain
}

func (s *solver) newVar(p *pkg, n int) int32 {
	v := int32(len(s.vars))
	d := either
	if p != nil {
		d = p.full
		p.vars = append(p.vars, v)
	}
	s.vars = push(s.vars, variable{pkg: p, n: n, dom: d, last: -1, watch: s.memory.watchersFor(2)})
	s.order.grow()
	return v
}

// edgeVar makes the variable of an edge to a package, within the assumptions that hold wherever the package stands.
func (s *solver) edgeVar(p *pkg) int32 {
	v := s.newVar(p, p.n)
	s.makeSwitch(p)
	for _, k := range s.assumptions[p.Name] {
		s.assume(v, k)
	}
	return v
}

func (s *solver) level() int32 { return int32(len(s.levels)) }

// narrow shrinks a domain and records it.
func (s *solver) narrow(v int32, set domain, reason int32) {
	s.work++
	x := &s.vars[v]
	next := set
	if !within(set, x.dom) {
		next = s.memory.domainFor(x.n)
		for i := range next {
			next[i] = x.dom[i] & set[i]
		}
	}
	e := event{v: v, reason: reason, level: s.level(), used: -1, before: x.last, old: x.dom}
	x.dom = next
	x.last = int32(len(s.trail))
	if x.pkg == nil {
		if x.inst != nil && next.has(0) && !next.has(1) {
			s.toOpen.add(x.inst)
		}
	} else if next.count() == 1 {
		if w := next.first(); w != x.n {
			e.used = int32(w)
			x.pkg.inUse[w]++
			x.pkg.uses++
			s.toExpand.add(v)
		}
	} else if !next.has(x.n) {
		s.order.push(v)
	}
	s.trail = push(s.trail, e)
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
		x.last = e.before
		if e.used >= 0 {
			x.pkg.inUse[e.used]--
			x.pkg.uses--
		}
		if x.pkg != nil || x.soft {
			s.order.push(e.v)
		}
	}
	s.trail = s.trail[:start]
	s.levels = s.levels[:level]
	s.head = min(s.head, start)
	loose := s.loose
	s.loose = nil
	for _, c := range loose {
		s.activate(c)
	}
}

// run searches until a solution stands or none can. It may be called again, with other assumptions asked for; what was
// learned stays.
func (s *solver) run() (bool, error) {
	s.back(0)
	s.core = nil
	if !s.begun {
		s.begun = true
		if err := s.begin(); err != nil {
			return false, err
		}
	}
	clashes, restarts := 0, 1
	done, stated := s.work, len(s.clauses)/64
	for {
		if err := s.ctx.Err(); err != nil {
			return false, err
		}
		if err := s.step(1 + s.work - done + len(s.clauses)/64 - stated); err != nil {
			return false, err
		}
		done, stated = s.work, len(s.clauses)/64
		if s.most > 0 && s.work > s.most {
			return false, errSpent
		}
		if bad := s.falseClause(); bad >= 0 {
			if !s.backjump(bad) {
				return false, nil
			}
			if s.again { // switches came since, which go before the decisions so far
				s.again = false
				s.back(0)
			}
			if clashes++; clashes == patience*luby(restarts) {
				restarts++
				clashes = 0
				s.back(0)
			}
			continue
		}
		if !s.grouped && s.problem.Tenancy == Nested && s.contexts > contextsPerRelease*s.released+contextsSpare {
			return s.group()
		}
		grew, err := s.grow()
		if err != nil {
			return false, err
		}
		if grew {
			continue
		}
		if int(s.level()) < len(s.asked) {
			if !s.ask(s.asked[s.level()]) {
				return false, nil
			}
			continue
		}
		v := s.next()
		if v < 0 {
			thawing, err := s.thaw()
			if err != nil {
				return false, err
			}
			if thawing {
				continue
			}
			more, err := s.placeDeferred()
			if err != nil || !more {
				return !more, err
			}
			continue
		}
		if s.vars[v].soft {
			s.decide(v, 0)
			continue
		}
		w := s.choose(v)
		if grew, err = s.expandVar(v, w); err != nil {
			return false, err
		}
		if grew {
			s.order.push(v)
			continue
		}
		s.decide(v, w)
	}
}

// patience is the number of conflicts before the first restart. A restart keeps what was learned and what was found to
// matter, and begins the decisions anew with that.
const patience = 64

// luby returns the n-th number, from 1, of the sequence 1 1 2 1 1 2 4 … (Luby, Sinclair and Zuckerman, "Optimal speedup
// of Las Vegas algorithms", 1993).
func luby(n int) int {
	for k := 1; ; k++ {
		switch most := 1<<k - 1; {
		case n == most:
			return 1 << (k - 1)
		case n < most:
			return luby(n - (1<<(k-1) - 1))
		}
	}
}

func (s *solver) decide(v int32, w int) {
	s.levels = append(s.levels, len(s.trail))
	only := s.memory.domainFor(s.vars[v].n)
	only.add(w)
	s.narrow(v, only, -1)
}

// next takes the variable to decide: one that must or should have a release and has several to choose from.
func (s *solver) next() int32 {
	for {
		v := s.order.pop()
		if v < 0 {
			return -1
		}
		x := &s.vars[v]
		if x.dom.count() > 1 && (x.soft || !x.dom.has(x.n) || s.wanted(x)) {
			return v
		}
	}
}

// wanted reports whether an optional need asks for the variable.
func (s *solver) wanted(x *variable) bool {
	if e := x.edge; e != nil && e.optional && s.on(e.owner) {
		return true
	}
	return slices.ContainsFunc(x.others, func(e *edge) bool { return e.optional && s.on(e.owner) })
}

// choose picks the preferred release of a domain: kept, in use, fit for the other edges too, newest.
func (s *solver) choose(v int32) int {
	x := &s.vars[v]
	p := x.pkg
	if by := x.edge; by != nil && s.problem.KeepEdges != nil {
		if k := p.Index(s.problem.KeepEdges[by.key()]); k >= 0 && x.dom.has(k) {
			return k
		}
	}
	if p.pooled >= 0 && !s.vars[p.pooled].dom.has(1) { // the one that all get, as far as it is known
		if one := s.pick(p, and(x.dom, s.vars[p.pool].dom)); one >= 0 {
			return one
		}
	}
	for _, k := range p.keep {
		if x.dom.has(k) {
			return k
		}
	}
	if p.uses > 0 || p.held != nil {
		for w := p.n - 1; w >= 0; w-- {
			if (p.inUse[w] > 0 || p.held != nil && p.held.has(w)) && x.dom.has(w) {
				return w
			}
		}
	}
	shared := append(s.shared[:0], x.dom...)
	s.shared = shared
	shared.remove(x.n)
	if len(p.vars) > 1 {
		for _, u := range p.vars {
			if y := &s.vars[u]; !y.dom.has(y.n) && meets(shared, y.dom) {
				for i := range shared {
					shared[i] &= y.dom[i]
				}
			}
		}
	}
	for w := shared.last(); w >= 0; w-- {
		if shared.has(w) && !p.Deprecated(w) && !p.Version(w).Prerelease() {
			return w
		}
	}
	return shared.last()
}

// pick returns the release of a set that is preferred before others are looked at: kept, in use, newest; -1 for none.
func (s *solver) pick(p *pkg, set domain) int {
	set.remove(p.n)
	for _, k := range p.keep {
		if set.has(k) {
			return k
		}
	}
	for w := p.n - 1; w >= 0; w-- {
		if p.inUse[w] > 0 && set.has(w) {
			return w
		}
	}
	for w := set.last(); w >= 0; w-- {
		if set.has(w) && !p.Deprecated(w) && !p.Version(w).Prerelease() {
			return w
		}
	}
	return set.last()
}
