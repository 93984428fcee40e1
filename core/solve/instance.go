package solve

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"molt/core/universe"
)

// An instance is a release in a context. Where in the graph a release stands matters only for the names that it or something below it
// looks up as peers: pkg.rel holds these names, as far as they are known. Two contexts are the same when each such name
// leads to the same providers: the variables of the edges at which the name will be found, nearest first, or at last the application. As providers are variables and not yet releases, one clause speaks about every
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
	id       int32
	owner    int32 // the number of the instance
	need     int32 // its position among the needs of the release; of the application's edges, the number of the name in solver.topNames
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

// What stands for the number of an instance: of one whose context is not known yet, and of one that stands for a node of the base.
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
	s.targets = push(s.targets, target{int32(w), inst, e.target})
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

// edges returns the numbers of the edges of an instance, from and to before; those of the application are in arrays.top.
func (i *instance) edges() (from, to int32) {
	return i.needs, i.needs + i.count
}

// nameOf returns the name that an edge uses.
func (s *solver) nameOf(e *edge) string {
	if e.owner == application {
		return s.topNames[e.need]
	}
	i := s.owner(e)
	return s.pkgOfInst(i).Needs(int(i.w))[e.need].As
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
	k, ok := slices.BinarySearchFunc(s.pkgOfInst(i).Needs(int(i.w)), name, func(d universe.Demand, name string) int { return strings.Compare(d.As, name) })
	if !ok {
		return nil
	}
	if e := s.edges.at(i.needs + int32(k)); e.v != absentEdge {
		return e
	}
	return nil
}

// topVar returns the variable of a name at the application's level. It is the first edge of that variable that is the application's.
func (s *solver) topVar(name string) (int32, bool) {
	if p := s.pkgs[name]; p != nil && p.app >= 0 {
		return p.app, true
	}
	v, ok := s.aliases[name]
	return v, ok
}

func newSolver(ctx context.Context, source universe.Source, p Problem, f *focus) *solver {
	p = p.sharing()
	s := &solver{ctx: ctx, source: source, problem: p, focus: f, arrays: *spare.Get().(*arrays)}
	_, s.atHand = source.(universe.Table)
	s.single = map[string]bool{}
	for _, name := range p.Single {
		s.single[name] = true
	}
	s.pkgs = map[string]*pkg{}
	s.grouped = p.Tenancy == Nested && (p.shared.grouped || alwaysGrouped)
	s.makeParts()
	s.freeze()
	s.reset()
	return s
}

// step counts work against what the call may take in all.
func (s *solver) step(n int) error {
	total := s.problem.shared
	if total.steps += n; total.steps > mostSteps+stepsPerPackage*len(s.pkgs) {
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
	for _, p := range s.pkgs {
		p.last, p.app, p.use = -1, -1, -1
		if p.group != nil {
			p.group.pooled = -1
		}
		p.been = 0
	}
	s.tied = map[int64]bool{}
	if s.frost != nil {
		for _, t := range s.frost.tops {
			t.asks = nil
		}
	}
	s.setAssumptions()
	s.spread()
	s.stale = false
}

// spread completes rel over everything that was opened so far.
func (s *solver) spread() {
	names := slices.Sorted(maps.Keys(s.pkgs))
	for grew := true; grew; {
		grew = false
		for _, name := range names {
			p := s.pkgs[name]
			for w := range p.n {
				if !s.sets.has(int32(p.n), p.opened, w) {
					continue
				}
				for _, need := range p.Needs(w) {
					below := s.pkgs[need.Package]
					switch {
					case below == nil:
					case s.grouped:
						grew = s.passUpRelease(p, w, need, below) || grew
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
	for name := range below.rel {
		if !p.rel[name] && !s.provides(p, w, name) {
			p.passes(name)
			grew = true
		}
	}
	return grew
}

// passes notes that a name is looked up through a package.
func (p *pkg) passes(name string) {
	if p.rel == nil {
		p.rel = map[string]bool{}
	}
	p.rel[name] = true
}

// provides reports whether what stands below a release sees its own need under a name, whatever is chosen.
func (s *solver) provides(p *pkg, w int, name string) bool {
	return slices.ContainsFunc(p.Needs(w), func(d universe.Demand) bool {
		return d.As == name && !d.Optional && !s.leavesNeed(p, d)
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

// load brings a package into the search. One that does not exist has no releases.
func (s *solver) load(name string) (*pkg, error) {
	if p, ok := s.pkgs[name]; ok {
		return p, nil
	}
	found, err := s.source.Package(s.ctx, name)
	if err != nil {
		var unknown *universe.UnknownError
		if !errors.As(err, &unknown) {
			return nil, err
		}
		found = universe.NewPackage(name, nil, nil)
	}
	return s.adopt(found), nil
}

// adopt makes a package part of the search.
func (s *solver) adopt(found *universe.Package) *pkg {
	name := found.Name
	p, id := s.loaded.add()
	p.Package, p.id, p.n, p.last, p.app, p.use, p.constraint = found, id, found.Len(), -1, -1, -1, -1
	n := int32(p.n)
	p.full = s.sets.all(n)
	for _, text := range s.problem.Refuse[name] {
		if i := p.Index(text); i >= 0 {
			p.full = s.sets.without(n, p.full, i)
		}
	}
	p.keep = p.preferred(s.problem.Keep[name])
	if s.frost != nil {
		if plain := s.frost.plain(name); plain != nil {
			s.frost.anywhere[id] = plain
		}
	}
	if s.frost != nil && len(p.keep) == 0 { // of a package that keeps a release, it would make no difference
		for _, w := range s.frost.heldOf(name) {
			p.held = s.sets.with(n, p.held, w)
		}
	}
	s.pkgs[name] = p
	if s.frost != nil { // what mattered to its contexts in the base is likely to matter again
		for _, n := range s.frost.byName[name] {
			for _, l := range s.frost.lookups[n] {
				if !s.single[l.name] {
					p.passes(l.name)
				}
			}
		}
	}
	if s.problem.Tenancy == Nested {
		names := found.PeerNames()
		p.peerless = len(names) == 0
		for _, name := range names {
			if !s.single[name] {
				p.passes(name)
			}
		}
	}
	return p
}

// admitted returns the releases of p that a constraint admits, and with none also "no release".
func (s *solver) admitted(p *pkg, text string, none bool) bitset {
	x := &s.constraints[s.constraintOf(p, text)]
	if !none {
		return x.set
	}
	if x.none == 0 {
		x.none = s.sets.with(int32(p.n), x.set, p.n)
	}
	return x.none
}

// constraintOf returns the number of a constraint on a package.
func (s *solver) constraintOf(p *pkg, text string) int32 {
	count := 0
	for at := p.constraint; at >= 0; at = s.constraints[at].next {
		if s.constraints[at].text == text {
			return at
		}
		count++
	}
	if at, ok := p.more[text]; ok {
		return at
	}
	known := constraint{text: text, next: -1}
	if p.n > 0 {
		set, _ := p.Admit(text) // a constraint that cannot be read admits nothing
		known.set = s.sets.of(int32(p.n), set.Words())
	}
	at := int32(len(s.constraints))
	switch {
	case count < few:
		known.next, p.constraint = p.constraint, at
	case p.more == nil:
		p.more = map[string]int32{text: at}
	default:
		p.more[text] = at
	}
	s.constraints = push(s.constraints, known)
	return at
}

// other returns every release but one, and "none". The result is shared.
func (s *solver) other(p *pkg, w int) bitset {
	n := int32(p.n)
	if n < oneWord {
		return s.sets.all(n) &^ bit(w)
	}
	if p.others == nil {
		p.others = make([]bitset, p.n+1)
	}
	if p.others[w] == 0 {
		p.others[w] = s.sets.without(n, s.sets.all(n), w)
	}
	return p.others[w]
}

// begin states the application's own demands.
func (s *solver) begin() error {
	for _, r := range s.problem.Roots {
		if !r.Foreign {
			s.source.Hint(r.Package)
		}
	}
	for _, name := range s.problem.Outside {
		s.foreign[name] = true
	}
	for _, k := range s.rootOrder() {
		r := s.problem.Roots[k]
		if r.Foreign {
			s.foreign[r.As] = true
			continue
		}
		if r.apart() && s.problem.Tenancy == Nested || s.leaves(declaredBy(r)) {
			continue
		}
		key := s.keyOf(r.Demand)
		_, again := s.topVar(key)
		v, err := s.appVar(key, r.Package)
		if err != nil {
			return err
		}
		p := s.pkgOf(v)
		e := s.edgeOf(v)
		e.optional = r.Optional && (e.optional || !again)
		set := s.rootSet(p, r)
		s.add(s.cause(rootOrigin(k)), term{v, set})
		if !r.Optional {
			s.statePooled(p, s.cause(rootOrigin(k)), nil, set)
		}
		s.waits.push(v)
	}
	for k, l := range s.problem.assumptions {
		if v, ok := s.declared(l.as); ok {
			s.assume(v, int32(k))
		}
	}
	return s.beginParts()
}

// rootSet returns the releases that a root allows, with "none" where it is optional.
func (s *solver) rootSet(p *pkg, r Root) bitset {
	if r.Among == nil {
		return s.admitted(p, r.Text, r.Optional)
	}
	set := newDomain(p.n)
	for _, text := range r.Among {
		if i := p.Index(text); i >= 0 {
			set.add(i)
		}
	}
	if r.Optional {
		set.add(p.n)
	}
	return s.sets.of(int32(p.n), set)
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

// appVar returns the variable of a name at the application's level.
func (s *solver) appVar(as, name string) (int32, error) {
	if v, ok := s.topVar(as); ok {
		return v, nil
	}
	p, err := s.load(name)
	if err != nil {
		return -1, err
	}
	return s.newAppVar(as, p), nil
}

func (s *solver) newAppVar(as string, p *pkg) int32 {
	v := s.edgeVar(p)
	if as == p.Name {
		p.app = v
	} else {
		s.aliases[as] = v
	}
	if waiting := s.waiting[as]; waiting != nil {
		delete(s.waiting, as)
		for _, w := range waiting {
			terms := append(slices.Clone(w.prefix), term{v, s.admitted(p, w.demand.Text, true)})
			s.add(w.why, terms...)
		}
	}
	e, id := s.edges.add()
	e.id = id
	s.setEdge(e, application, int32(len(s.topNames)), v, false, false)
	s.top, s.topNames = push(s.top, id), push(s.topNames, as)
	return v
}

// rootOrder numbers the roots by name and group, so that the order in which a manifest lists them changes nothing.
func (s *solver) rootOrder() []int {
	order := make([]int, len(s.problem.Roots))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := s.problem.Roots[a], s.problem.Roots[b]
		return cmp.Or(strings.Compare(x.As, y.As), strings.Compare(x.Group, y.Group))
	})
	return order
}

// declared returns the variable of a declared name that the registry serves.
func (s *solver) declared(as string) (int32, bool) {
	for _, r := range s.problem.Roots {
		if r.As == as && r.apart() && s.problem.Tenancy == Nested {
			if e := s.partEdge(r); e != nil {
				return e.v, true
			}
			return 0, false // it is assumed when it comes into being
		}
		if r.As == as && !r.Foreign {
			return s.topVar(s.keyOf(r.Demand))
		}
	}
	return 0, false
}

// key returns the name that counts at the application's level: under single tenancy that of the package, whatever its
// dependents call it.
func (s *solver) key(as, name string) string {
	if s.problem.Tenancy == Single {
		return name
	}
	return as
}

func (s *solver) keyOf(d universe.Demand) string { return s.key(d.As, d.Package) }

// global reports whether all edges to a name share the application's variable: there is one release of it, and it
// stands at the application's level, where everybody sees it.
func (s *solver) global(as string) bool { return s.problem.Tenancy == Single || s.single[as] }
