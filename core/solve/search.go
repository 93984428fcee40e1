package solve

import (
	"context"

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
	atHand  bool            // the source has everything in memory: nothing is to be fetched ahead
	foreign map[string]bool // names that the application provides from elsewhere

	// What is known of the packages whose context matters; survives reset.
	stale bool

	parts     []string           // the packages that stand for parts of the application; see apart.go
	partRoots map[partNeed][]int // the numbers of their roots

	takeover *takeover // what may be taken over from the problem's base, nil for nothing; survives reset

	grouped     bool               // contexts by release, and one release a package as far as that goes; survives reset
	dependent   int                // how many instances there are whose context matters
	released    int                // how many releases were opened
	looks       int                // how many were opened whose needs cost a request; survives reset
	blind       bool               // no more of these may be; survives reset
	switches    []int32            // of the problem's assumptions
	assumed     []bitset           // their sets, once they were needed
	assumptions map[string][]int32 // the numbers of assumptions, by the package that they hold for wherever it stands
	asked       []int32            // the assumptions that are to hold in this run
	core        []int32            // the assumptions that the last run refuted together

	arrays
	head int     // the first event that is not propagated
	bump float64 // by how much a variable gains that takes part in a conflict

	begun bool
	again bool // a switch came that is to be decided before the others
	// how many times a domain was narrowed, and when to stop; 0 for never; survive reset
	work, most int
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
	push(&s.vars, x)
	s.waits.grow()
	return v
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
	push(&s.trail, e)
}

// back unwinds the trail to a level.
func (s *solver) back(level int32) {
	if s.level() <= level {
		return
	}
	start := int(s.levels[level])
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
		if s.tooMany() {
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
			reopened, err := s.reopenFrozen()
			if err != nil {
				return false, err
			}
			if reopened {
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
		w, narrowed := s.choose(v), len(s.trail)
		if grew, err = s.expandVar(v, w); err != nil {
			return false, err
		}
		if grew {
			if len(s.trail) > narrowed || len(s.conflicts) > 0 || s.again || s.tooMany() {
				s.waits.push(v)
				continue
			}
			if err := s.step(1); err != nil { // as if it came up again
				return false, err
			}
		}
		s.decide(v, w)
	}
}

// tooMany reports whether there are so many contexts that they are to be grouped.
func (s *solver) tooMany() bool {
	return !s.grouped && !s.problem.Strategy.Single && s.dependent > contextsPerRelease*s.released+contextsSpare
}

// patience is the number of conflicts before the first restart. A restart keeps what was learned and what was found to
// matter, and starts the decisions over with that.
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
	push(&s.levels, int32(len(s.trail)))
	n := s.vars[v].n
	s.narrow(v, s.sets.only(n, w), -1)
	s.trail[len(s.trail)-1].made = n >= oneWord
}
