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
	dependent   int                // how many instances there are whose context matters
	released    int                // how many releases were opened
	switches    []int32            // of the problem's assumptions
	assumed     []bitset           // their sets, once they were needed
	assumptions map[string][]int32 // the numbers of assumptions, by the package that they hold for wherever it stands
	asked       []int32            // the assumptions that are to hold in this run
	core        []int32            // the assumptions that the last run refuted together

	arrays
	head int     // the first event that is not propagated
	bump float64 // by how much a variable gains that takes part in a conflict

	begun      bool
	again      bool                        // a switch came that is to be decided before the others
	work, most int                         // how many times a domain was narrowed, and when to stop; 0 for never; survive reset
	others     map[int32][]*edge           // the edges of a variable but the first, of a name that all share
	tied       map[int64]bool              // the edges and releases for which stateUse has stated something
	stated     map[int32][]universe.Demand // the peers of each edge whose clauses stand
	delayed    map[delayedKey]int32        // where edges of deferred contexts lead
	instances  map[string]int32            // those whose context matters, by key
	seen       []map[string][]provider     // what these see
	aliases    map[string]int32            // the variables of the application's names that are not those of their packages
	slots      []string                    // application-level names by number, for providers
	slotOf     map[string]provider
	fixed      map[fixedKey]int32
	waiting    map[string][]waitingPeer
	deferred   []deferral
	refuted    []int32 // clauses of the final refutation
}

// A pkg is a package with its place in the search.
type pkg struct {
	*universe.Package
	id         int32
	use        int32  // the number of the first of its releases that were used, in solver.uses; -1 for none
	last       int32  // the last of its variables, of which each leads to the one before; -1 for none
	app        int32  // its variable at the application's level under its own name, or -1
	n          int    // number of releases; also the bit that means "none"
	full       bitset // every release that the problem does not refuse, and "none"
	held       bitset // releases that stand in the base; they count as in use
	keep       []int
	constraint int32 // the number of the first of some constraints, in solver.constraints; -1 for none
	peerless   bool  // no release has peers

	// The releases that were opened, and the peer names that are looked up through the package, as far as they are
	// known. They survive a reset.
	opened bitset
	been   bitset // the releases opened since the last reset
	rel    map[string]bool
	// Made when first asked for: the complements of single releases.
	others []bitset
	more   map[string]int32 // the numbers of constraints beyond the first few

	group *group // when the search is grouped
}

// A use is what the search knows of a release that was used.
type use struct {
	w        int32
	deciding int32 // how many variables are decided for it
	plain    int32 // the number of its instance when its context does not matter, 0 for none
	contexts int32 // how many instances it has whose contexts matter
	next     int32 // the next one of the package, or -1
}

// useOf returns the number of the use of a release.
func (s *solver) useOf(p *pkg, w int32) int32 {
	at := p.use
	for ; at >= 0; at = s.uses[at].next {
		if s.uses[at].w == w {
			return at
		}
	}
	at = int32(len(s.uses))
	s.uses = push(s.uses, use{w: w, next: p.use})
	p.use = at
	return at
}

// A constraint is one on a package: what it admits without "none" and with it, of which the latter is zero until it is asked for.
type constraint struct {
	text      string
	set, none bitset
	next      int32 // the number of another one on the package, or -1
}

// few is how many constraints of a package are looked up in a list and not in a map; most packages have no more.
const few = 6

// A variable is the release that an edge gets, or, without a package, the switch of an instance: bit 0 on, bit 1 off.
type variable struct {
	dom    bitset
	n      int32 // number of releases, of a switch 1
	pkg    int32 // the number of its package, or -1
	last   int32 // trail position of its latest event, or -1
	edge   int32 // the number of the edge that it serves, or -1
	inst   int32 // the number of the instance that it switches, or -1
	before int32 // the variable of the package that was made before it, or -1
	watch  watchList
	many   bool // other edges share it; see solver.others
	soft   bool // decided before everything else that was not asked for
}

// An event narrows a domain: by a decision (reason -1) or to satisfy a clause.
type event struct {
	v      int32
	reason int32
	level  int32
	used   int32 // the number of the use that it decided, or -1
	before int32 // the variable's event before this one, or -1
	made   bool  // the variable has a set that nothing else has
	old    bitset
}

func (s *solver) newVar(p *pkg, n int) int32 {
	v := int32(len(s.vars))
	x := variable{dom: either, n: int32(n), pkg: -1, last: -1, edge: -1, inst: -1, before: -1}
	if p != nil {
		x.pkg, x.dom = p.id, p.full
		x.before, p.last = p.last, v
	}
	s.vars = push(s.vars, x)
	s.waits.grow()
	return v
}

// varsOf returns the variables of a package, in the order in which they were made. The list is valid until the next call.
func (s *solver) varsOf(p *pkg) []int32 {
	s.listed = s.listed[:0]
	for v := p.last; v >= 0; v = s.vars[v].before {
		s.listed = append(s.listed, v)
	}
	slices.Reverse(s.listed)
	return s.listed
}

// pkgOf returns the package of a variable, nil of a switch.
func (s *solver) pkgOf(v int32) *pkg {
	if n := s.vars[v].pkg; n >= 0 {
		return s.loaded.at(n)
	}
	return nil
}

// edgeOf returns the edge that a variable serves, or nil.
func (s *solver) edgeOf(v int32) *edge {
	if n := s.vars[v].edge; n >= 0 {
		return s.edges.at(n)
	}
	return nil
}

// release returns the only position of a variable that is decided, which may be "none", or -1.
func (s *solver) release(v int32) int {
	x := &s.vars[v]
	if !s.sets.single(x.n, x.dom) {
		return -1
	}
	return s.sets.first(x.n, x.dom)
}

// has reports whether a position is left to a variable.
func (s *solver) has(v int32, i int) bool {
	x := &s.vars[v]
	return s.sets.has(x.n, x.dom, i)
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
func (s *solver) narrow(v int32, set bitset, reason int32) {
	s.work++
	x := &s.vars[v]
	e := event{v: v, reason: reason, level: s.level(), used: -1, before: x.last, old: x.dom}
	switch {
	case x.n < oneWord:
		x.dom &= set
	case s.sets.within(x.n, set, x.dom):
		x.dom = set
	default:
		x.dom, e.made = s.sets.and(x.n, x.dom, set), true
	}
	x.last = int32(len(s.trail))
	if x.pkg < 0 {
		if x.inst >= 0 && x.dom == on {
			s.toOpen.add(x.inst)
		}
	} else if s.sets.single(x.n, x.dom) {
		if w := int32(s.sets.first(x.n, x.dom)); w != x.n {
			e.used = s.useOf(s.loaded.at(x.pkg), w)
			s.uses[e.used].deciding++
			s.toExpand.add(v)
		}
	} else if !s.sets.has(x.n, x.dom, int(x.n)) {
		s.waits.push(v)
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
		if e.made {
			s.sets.give(x.n, x.dom)
		}
		x.dom = e.old
		x.last = e.before
		if e.used >= 0 {
			s.uses[e.used].deciding--
		}
		if x.pkg >= 0 || x.soft {
			s.waits.push(e.v)
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
		if !s.grouped && s.problem.Tenancy == Nested && s.dependent > contextsPerRelease*s.released+contextsSpare {
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
			s.waits.push(v)
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
	n := s.vars[v].n
	s.narrow(v, s.sets.only(n, w), -1)
	s.trail[len(s.trail)-1].made = n >= oneWord
}

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

// choose picks the preferred release of a domain: kept, in use, fit for the other edges too, newest.
func (s *solver) choose(v int32) int {
	x, p := &s.vars[v], s.pkgOf(v)
	if s.problem.KeepEdges != nil {
		if by := s.edgeOf(v); by != nil {
			if k := p.Index(s.problem.KeepEdges[s.keyOfEdge(by)]); k >= 0 && s.sets.has(x.n, x.dom, k) {
				return k
			}
		}
	}
	if g := p.group; g != nil && g.pooled >= 0 && !s.has(g.pooled, 1) { // the one that all get, as far as it is known
		if one := s.pick(p, s.sets.and(x.n, x.dom, s.vars[g.pool].dom)); one >= 0 {
			return one
		}
	}
	for _, k := range p.keep {
		if s.sets.has(x.n, x.dom, k) {
			return k
		}
	}
	if w := max(s.inUse(p, x.dom), s.sets.lastCommon(x.n, p.held, x.dom)); w >= 0 {
		return w
	}
	return s.newest(p, s.fit(p, x.dom))
}

// fit returns of a set, without "none", what fits as many other variables of the package as it can that must have a release.
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

// newest returns the newest release of a set without "none" that is neither deprecated nor a prerelease, else the newest; -1 for none. The set
// is given back.
func (s *solver) newest(p *pkg, set bitset) int {
	n := int32(p.n)
	defer s.sets.give(n, set)
	last := s.sets.last(n, set)
	for w := last; w >= 0; w = s.sets.before(n, set, w) {
		if !p.Deprecated(w) && !p.Version(w).Prerelease() {
			return w
		}
	}
	return last
}

// pick returns the release of a set that is preferred before others are looked at: kept, in use, newest; -1 for none. It is
// given back.
func (s *solver) pick(p *pkg, set bitset) int {
	n := int32(p.n)
	defer s.sets.give(n, set)
	for _, k := range p.keep {
		if s.sets.has(n, set, k) {
			return k
		}
	}
	if w := s.inUse(p, set); w >= 0 {
		return w
	}
	return s.newest(p, s.sets.without(n, set, p.n))
}

// inUse returns the newest release of a set that a variable is decided for, or -1.
func (s *solver) inUse(p *pkg, set bitset) int {
	newest := int32(-1)
	for at := p.use; at >= 0; at = s.uses[at].next {
		if u := &s.uses[at]; u.deciding > 0 && u.w > newest && s.sets.has(int32(p.n), set, int(u.w)) {
			newest = u.w
		}
	}
	return int(newest)
}
