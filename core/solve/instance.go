package solve

import (
	"context"
	"slices"
	"strings"

	"molt/core/universe"
)

// An instance is a release in a context. Where in the graph a release stands matters only for the
// names that it or something below it looks up as peers: extra.rel holds these names, as far as
// they are known. Two contexts are the same when each such name leads to the same providers: the
// variables of the edges at which the name will be found, nearest first, or at last the
// application. As providers are variables and not yet releases, one clause speaks about every
// release that a provider may get.
//
// A dependency cycle could make ever new instances that way. So when a release comes again below itself with other
// providers, the decision is put off until its providers have their releases, and the instance is made for these
// releases (see placeDeferred). There are finitely many of both kinds, hence the search ends.
//
// The names in rel are learned on the way. A search that ends with a solution after rel has grown is repeated; one
// that ends without a solution need not be, since every name left out only left out clauses.
type instance struct {
	id     int32
	pkg    int32 // the number of its package, -1 for the application
	w      int32
	v      int32 // its switch; under single tenancy the variable of its package
	parent int32 // the number of the instance below which it came up first, or -1
	sees   int32 // the number of what it sees in solver.seen, or -1 when its context does not matter
	needs  int32 // the number of its first edge, once it is open; the edges of its needs follow one another
	count  int32 // how many these are
	node   int32 // of the base, when it is frozen
	open   bool
	frozen bool // stands for a subtree of the base, which is not searched; see frozen.go
}

// application is the number of the instance that stands for the application.
const application = 0

// An edge is a need of an instance.
type edge struct {
	id    int32
	owner int32 // the number of the instance
	// its position among the needs of the release; of the application's edges, the number of the name in solver.topNames
	need     int32
	v        int32 // the variable of its release, or one of those below
	cause    int32 // its demand, or noReason
	target   int32 // the number of the first of its targets, or -1
	optional bool
}

// What stands for the variable of an edge that has none: of one from elsewhere, and of one that the search leaves out.
const (
	foreignEdge = -1
	absentEdge  = -2
)

// A target is where an edge leads when it gets a release.
type target struct {
	w    int32
	inst int32 // the number of an instance, deferredContext, or frozenContext and below
	next int32 // the number of another target of the edge, or -1
}

// What stands for the number of an instance: of one whose context is not known yet, and of one that
// stands for a node of the base.
const (
	deferredContext = -1
	frozenContext   = -2 // minus the number of the node
)

// targetOf returns the number of the target of an edge with a release, or -1 when that is not known yet.
func (s *solver) targetOf(e *edge, w int) int32 {
	for at := e.target; at >= 0; at = s.targets[at].next {
		if s.targets[at].w == int32(w) {
			return at
		}
	}
	return -1
}

// leadsTo has an edge lead to an instance with a release.
func (s *solver) leadsTo(e *edge, w int, inst int32) {
	push(&s.targets, target{int32(w), inst, e.target})
	e.target = int32(len(s.targets) - 1)
}

// leadsNoMore takes an instance from where an edge leads.
func (s *solver) leadsNoMore(e *edge, i *instance) {
	for at := &e.target; *at >= 0; at = &s.targets[*at].next {
		if s.targets[*at].inst == i.stands() {
			*at = s.targets[*at].next
			return
		}
	}
}

// stands returns what stands for an instance in a target.
func (i *instance) stands() int32 {
	if i.frozen {
		return frozenContext - i.node
	}
	return i.id
}

// owner returns the instance that an edge belongs to.
func (s *solver) owner(e *edge) *instance { return s.contexts.at(e.owner) }

// pkgOfInst returns the package of an instance that is neither frozen nor the application.
func (s *solver) pkgOfInst(i *instance) *pkg { return s.loaded.at(i.pkg) }

// edges returns the numbers of the edges of an instance, from and to before; those of the
// application are in arrays.top.
func (i *instance) edges() (from, to int32) {
	return i.needs, i.needs + i.count
}

// nameOf returns the name that an edge uses.
func (s *solver) nameOf(e *edge) string {
	if e.owner == application {
		return s.topNames[e.need]
	}
	i := s.owner(e)
	return s.needs(s.pkgOfInst(i), int(i.w))[e.need].As
}

// keyOfEdge names an edge as Problem.KeepEdges does.
func (s *solver) keyOfEdge(e *edge) EdgeKey {
	name := s.nameOf(e)
	if e.owner == application {
		return EdgeKey{"", name}
	}
	i := s.owner(e)
	p := s.pkgOfInst(i)
	if _, part := p.Version(int(i.w)).(partRelease); part {
		return EdgeKey{p.Name, name}
	}
	return EdgeKey{p.Name + "@" + p.Version(int(i.w)).String(), name}
}

// edge returns the edge of an instance under a name, or nil.
func (s *solver) edge(i *instance, name string) *edge {
	if i.id == application {
		if v, ok := s.topVar(name); ok {
			return s.edgeOf(v)
		}
		return nil
	}
	if !i.open {
		return nil
	}
	k, ok := slices.BinarySearchFunc(s.needs(s.pkgOfInst(i), int(i.w)), name, func(d universe.Demand, name string) int {
		return strings.Compare(d.As, name)
	})
	if !ok {
		return nil
	}
	if e := s.edges.at(i.needs + int32(k)); e.v != absentEdge {
		return e
	}
	return nil
}

func newSolver(ctx context.Context, source universe.Source, p Problem, f *focus) *solver {
	p = p.sharing()
	s := &solver{ctx: ctx, source: source, problem: p, focus: f, arrays: *spare.Get().(*arrays)}
	_, s.atHand = source.(universe.Table)
	s.single = map[string]bool{}
	for _, name := range p.Single {
		s.single[name] = true
	}
	s.grouped = !p.Strategy.Single && (p.shared.grouped || alwaysGrouped)
	s.makeParts()
	s.freeze()
	s.reset()
	return s
}

// step counts work against what the call may take in all.
func (s *solver) step(n int) error {
	total := s.problem.shared
	if total.steps += n; total.steps > mostSteps+stepsPerPackage*int(s.loaded.n) {
		return &UndecidedError{total.steps}
	}
	return nil
}

// leaves reports whether a demand is to be left out.
func (s *solver) leaves(d Demand) bool {
	return s.focus != nil && (s.focus.only != nil && !s.focus.only[d] || s.focus.without[d])
}

// reset forgets the search and keeps what it taught about contexts.
func (s *solver) reset() {
	s.arrays.empty()
	s.head, s.bump, s.begun = 0, 1, false
	s.others, s.seen, s.stated, s.delayed = map[int32][]*edge{}, nil, map[int32][]universe.Demand{}, map[delayedKey]int32{}
	s.foreign, s.instances, s.aliases, s.slots = map[string]bool{}, map[string]int32{}, map[string]int32{}, nil
	s.slotOf, s.fixed = map[string]provider{}, map[fixedKey]int32{}
	s.waiting, s.deferred = map[string][]waitingPeer{}, nil
	s.dependent, s.released, s.again = 0, 0, false
	app, _ := s.contexts.add()
	*app = instance{id: application, pkg: -1, v: -1, parent: -1, sees: -1, open: true}
	for id := range s.loaded.n {
		p := s.loaded.at(id)
		p.last, p.app, p.use = -1, -1, -1
		if g := p.extras().group; g != nil {
			g.pooled = -1
		}
	}
	s.tied = map[int64]bool{}
	if s.takeover != nil {
		for _, t := range s.takeover.tops {
			t.asks = nil
		}
	}
	s.setAssumptions()
	s.spread()
	s.stale = false
}

// spread completes rel over everything that was opened so far.
func (s *solver) spread() {
	for grew := true; grew; {
		grew = false
		for id := range s.loaded.n {
			p := s.loaded.at(id)
			for w := range p.n {
				if !s.sets.has(int32(p.n), p.opened, w) {
					continue
				}
				needs := s.needs(p, w)
				for k := range needs {
					below := s.demanded(&needs[k])
					switch {
					case below == nil:
					case s.grouped:
						grew = s.passUpRelease(p, w, needs[k], below) || grew
					default:
						grew = s.passUp(p, w, below) || grew
					}
				}
			}
		}
	}
}

// passUp adds to rel of a release what its need looks up and the release does not surely provide.
func (s *solver) passUp(p *pkg, w int, below *pkg) bool {
	grew := false
	for name := range below.extras().rel {
		if !p.extras().rel[name] && !s.provides(p, w, name) {
			p.passes(name)
			grew = true
		}
	}
	return grew
}

// provides reports whether what stands below a release sees its own need under a name, whatever is chosen.
func (s *solver) provides(p *pkg, w int, name string) bool {
	return slices.ContainsFunc(s.needs(p, w), func(d universe.Demand) bool {
		return d.As == name && !d.Optional && !s.leavesNeed(p, &d)
	})
}

// needOf returns a need of a package's releases as a demand.
func needOf(p *pkg, d universe.Demand) Demand {
	return Demand{Kind: Need, By: p.Name, As: d.As, Package: d.Package, Constraint: d.Text, Optional: d.Optional}
}

// peerOf returns a peer of a package's releases as a demand.
func peerOf(p *pkg, d universe.Demand) Demand {
	return Demand{Kind: Peer, By: p.Name, As: d.As, Package: d.Package, Constraint: d.Text, Optional: d.Optional}
}

// declaredBy returns a root as a demand.
func declaredBy(r Root) Demand {
	return Demand{Kind: Declared, As: r.As, Package: r.Package, Constraint: r.Text, Group: r.Group}
}

// setEdge fills in an edge. It is the one of its variable where that has none.
func (s *solver) setEdge(e *edge, owner, need, v int32, shared bool, optional bool) {
	e.owner, e.need, e.v, e.optional, e.cause, e.target = owner, need, v, optional, noReason, -1
	switch x := &s.vars[v]; {
	case x.edge < 0:
		x.edge = e.id
	case !shared || optional:
		s.share(v, e)
	}
}

// share notes another edge of a variable.
func (s *solver) share(v int32, e *edge) {
	s.vars[v].many = true
	s.others[v] = append(s.others[v], e)
}
