package solve

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strconv"
	"strings"

	"molt/core/universe"
)

// An instance is a release at a place. Where a package stands matters only for the names that it or something below
// it looks up as peers: solver.rel holds these names, as far as they are known. Two places are the same instance when
// each such name leads to the same providers: the variables of the edges at which the name will be found, nearest
// first, or at last the application. As providers are variables and not yet releases, one clause speaks about every
// release that a provider may get.
//
// A dependency cycle could make ever new instances that way. So when a release comes again below itself with other
// providers, the decision is put off until its providers have their releases, and the instance is made for these
// releases (see placeDeferred). There are finitely many of both kinds, hence the search ends.
//
// The names in rel are learned on the way. A search that ends with a solution after rel has grown is repeated; one
// that ends without a solution need not be, since every name left out only left out clauses.
type instance struct {
	pkg    *pkg // nil for the application
	w      int
	on     int32 // its switch
	parent *instance
	sees   map[string][]provider
	needs  []*edge // in the order of the release's needs; nil until open
	byName map[string]*edge
	open   bool
}

// A provider is a variable (from 0), or by -1-k the k-th application-level name, whose variable may not exist yet.
type provider int32

// anywhere is the provider of names that come from outside the registry: they are never checked.
const anywhere = provider(-1 << 30)

// An edge is a need of an instance.
type edge struct {
	owner    *instance
	as       string
	v        int32 // -1 for a foreign one
	pkg      *pkg
	optional bool
	causes   []int32 // its demand, when an instance makes it
	targets  map[int]*instance
	delayed  map[string]*instance // targets of deferred places, by key
	peers    map[Demand]bool      // peer demands whose clauses stand
}

type opening struct {
	name string
	w    int
}

type fixedKey struct {
	name string
	w    int
}

type deferral struct {
	e *edge
	w int
}

// A waitingPeer is an optional peer on an application-level name that nobody has asked for yet.
type waitingPeer struct {
	prefix []term
	demand universe.Demand
	causes []int32
}

func newSolver(ctx context.Context, source universe.Source, p Problem, only map[Demand]bool) *solver {
	s := &solver{ctx: ctx, source: source, problem: p, only: only}
	s.single = map[string]bool{}
	for _, name := range p.Single {
		s.single[name] = true
	}
	s.pkgs, s.rel, s.opened = map[string]*pkg{}, map[string]map[string]bool{}, map[opening]bool{}
	s.reset()
	return s
}

// leaves reports whether a demand is to be left out.
func (s *solver) leaves(d Demand) bool { return s.only != nil && !s.only[d] }

// reset forgets the search and keeps what it taught about places.
func (s *solver) reset() {
	s.vars, s.clauses, s.trail, s.levels, s.head = nil, nil, nil, nil, 0
	s.order, s.bump, s.conflicts, s.loose = heap{}, 1, nil, nil
	s.demands, s.causes, s.foreign = nil, map[Demand]int32{}, map[string]bool{}
	s.instances, s.appVars, s.slots = map[string]*instance{}, map[string]int32{}, nil
	s.slotOf, s.fixed, s.edges = map[string]provider{}, map[fixedKey]int32{}, nil
	s.waiting, s.toOpen, s.toExpand, s.deferred = map[string][]waitingPeer{}, nil, nil, nil
	s.app = &instance{open: true, byName: map[string]*edge{}}
	for _, p := range s.pkgs {
		p.vars = nil
		clear(p.inUse)
	}
	s.spread()
	s.stale = false
}

// spread completes rel over everything that was opened so far.
func (s *solver) spread() {
	all := slices.SortedFunc(maps.Keys(s.opened), func(a, b opening) int {
		if c := strings.Compare(a.name, b.name); c != 0 {
			return c
		}
		return a.w - b.w
	})
	for grew := true; grew; {
		grew = false
		for _, o := range all {
			p := s.pkgs[o.name]
			for _, need := range p.Releases[o.w].Needs {
				if s.passUp(p, o.w, need.Package) {
					grew = true
				}
			}
		}
	}
}

// passUp adds to rel of a release what its need looks up and the release does not surely provide.
func (s *solver) passUp(p *pkg, w int, need string) bool {
	grew := false
	for name := range s.rel[need] {
		if !s.rel[p.Name][name] && !s.provides(p, w, name) {
			s.rel[p.Name][name] = true
			grew = true
		}
	}
	return grew
}

// provides reports whether what stands below a release sees its own need under a name, whatever is chosen.
func (s *solver) provides(p *pkg, w int, name string) bool {
	return slices.ContainsFunc(p.Releases[w].Needs, func(d universe.Demand) bool {
		return d.As == name && !d.Optional && !s.leaves(needOf(p, d))
	})
}

// needOf returns a need of a package's releases as a demand.
func needOf(p *pkg, d universe.Demand) Demand {
	return Demand{Kind: Need, By: p.Name, As: d.As, Package: d.Package, Constraint: d.Text, Optional: d.Optional}
}

// load brings a package into the search. One that does not exist has no releases.
func (s *solver) load(name string) (*pkg, error) {
	if p, ok := s.pkgs[name]; ok {
		return p, nil
	}
	found, err := s.source.Package(s.ctx, name)
	var unknown *universe.UnknownError
	switch {
	case errors.As(err, &unknown):
		found = universe.NewPackage(name, nil, nil)
	case err != nil:
		return nil, err
	}
	p := &pkg{Package: found, n: len(found.Releases)}
	p.inUse, p.bad = make([]int32, p.n), newDomain(p.n)
	for _, text := range s.problem.Refuse[name] {
		if i := p.Index(text); i >= 0 {
			p.bad.add(i)
		}
	}
	for _, text := range s.problem.Keep[name] {
		if i := p.Index(text); i >= 0 {
			p.keep = append(p.keep, i)
		}
	}
	slices.Sort(p.keep)
	slices.Reverse(p.keep)
	s.pkgs[name] = p
	s.rel[name] = map[string]bool{}
	if s.problem.Tenancy == Nested {
		for i := range found.Releases {
			for _, d := range found.Releases[i].Peers {
				if !s.single[d.As] {
					s.rel[name][d.As] = true
				}
			}
		}
	}
	return p, nil
}

// admitted returns the releases of p that a constraint admits, and with none also "no release".
func (s *solver) admitted(p *pkg, text string, none bool) domain {
	d := newDomain(p.n)
	if p.n > 0 {
		set, _ := p.Admit(text) // a constraint that cannot be read admits nothing
		copy(d, set.Words())
	}
	if none {
		d.add(p.n)
	}
	return d
}

// cause numbers a demand.
func (s *solver) cause(d Demand) int32 {
	if id, ok := s.causes[d]; ok {
		return id
	}
	id := int32(len(s.demands))
	s.demands = append(s.demands, d)
	s.causes[d] = id
	return id
}

// begin states the application's own demands.
func (s *solver) begin() error {
	for _, r := range s.problem.Roots {
		if !r.Foreign {
			s.source.Hint(r.Package)
		}
	}
	for _, r := range s.problem.Roots {
		if r.Foreign {
			s.foreign[r.As] = true
			continue
		}
		d := Demand{Kind: Declared, As: r.As, Package: r.Package, Constraint: r.Text, Group: r.Group}
		if s.leaves(d) {
			continue
		}
		_, again := s.appVars[r.As]
		v, err := s.appVar(r.As, r.Package)
		if err != nil {
			return err
		}
		p := s.vars[v].pkg
		e := s.app.byName[r.As]
		e.optional = r.Optional && (e.optional || !again)
		set := s.admitted(p, r.Text, r.Optional)
		if r.Among != nil {
			set = newDomain(p.n)
			for _, text := range r.Among {
				if i := p.Index(text); i >= 0 {
					set.add(i)
				}
			}
			if r.Optional {
				set.add(p.n)
			}
		}
		s.add([]int32{s.cause(d)}, nil, term{v, set})
		s.order.push(s, v)
	}
	return nil
}

func (s *solver) newEdge(owner *instance, as string, p *pkg, v int32, optional bool) *edge {
	e := &edge{owner: owner, as: as, v: v, pkg: p, optional: optional,
		targets: map[int]*instance{}, delayed: map[string]*instance{}, peers: map[Demand]bool{}}
	owner.needs = append(owner.needs, e)
	owner.byName[as] = e
	if owner == s.app || !s.global(as) || optional {
		s.vars[v].edges = append(s.vars[v].edges, e)
	}
	return e
}

// appVar returns the variable of a name at the application's level.
func (s *solver) appVar(as, name string) (int32, error) {
	if v, ok := s.appVars[as]; ok {
		return v, nil
	}
	p, err := s.load(name)
	if err != nil {
		return -1, err
	}
	v := s.newVar(p, p.n)
	s.appVars[as] = v
	waiting := s.waiting[as]
	delete(s.waiting, as)
	for _, w := range waiting {
		terms := append(slices.Clone(w.prefix), term{v, s.admitted(p, w.demand.Text, true)})
		s.add(w.causes, nil, terms...)
	}
	if s.app.byName[as] == nil {
		s.newEdge(s.app, as, p, v, false)
	}
	return v, nil
}

// global reports whether all edges to a name share the application's variable: there is one release of it, and it
// stands at the application's level, where everybody sees it.
func (s *solver) global(as string) bool { return s.problem.Tenancy == Single || s.single[as] }

func (s *solver) slot(name string) provider {
	if p, ok := s.slotOf[name]; ok {
		return p
	}
	p := provider(-1 - len(s.slots))
	s.slots = append(s.slots, name)
	s.slotOf[name] = p
	return p
}

// chain returns where a dependent finds a name, nearest first. Nil means that the name was not known to matter here.
func (s *solver) chain(i *instance, name string) []provider {
	if i == s.app || s.global(name) {
		if s.foreign[name] {
			return []provider{anywhere}
		}
		return []provider{s.slot(name)}
	}
	var own []provider
	if e := i.byName[name]; e != nil {
		own = []provider{provider(e.v)}
		if e.v < 0 {
			return []provider{anywhere}
		}
		if !e.optional {
			return own
		}
	}
	above, ok := i.sees[name]
	if !ok {
		s.rel[i.pkg.Name][name] = true
		s.stale = true
		return nil
	}
	return append(own, above...)
}

func (s *solver) on(i *instance) bool {
	return i == s.app || !s.vars[i.on].dom.has(1)
}

// grow opens the instances and expands the edges that the assignment has reached. It reports whether clauses came.
func (s *solver) grow() (bool, error) {
	grew := false
	for len(s.toOpen) > 0 {
		i := s.toOpen[0]
		s.toOpen = s.toOpen[1:]
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
			s.toExpand = append(s.toExpand, e.v)
			s.order.push(s, e.v)
		}
	}
	for len(s.toExpand) > 0 {
		v := s.toExpand[0]
		s.toExpand = s.toExpand[1:]
		if x := &s.vars[v]; x.dom.count() == 1 && !x.dom.has(x.n) {
			more, err := s.expandAll(v, x.dom.first())
			if err != nil {
				return false, err
			}
			grew = grew || more
		}
	}
	return grew, nil
}

// openInstance states the needs of an instance that is part of the assignment.
func (s *solver) openInstance(i *instance) error {
	r := &i.pkg.Releases[i.w]
	s.opened[opening{i.pkg.Name, i.w}] = true
	for _, d := range r.Needs {
		if !d.Foreign {
			s.source.Hint(d.Package)
		}
	}
	i.open, i.byName = true, map[string]*edge{}
	for _, d := range r.Needs {
		if s.leaves(needOf(i.pkg, d)) {
			continue
		}
		if d.Foreign {
			e := &edge{owner: i, as: d.As, v: -1, optional: true}
			i.needs = append(i.needs, e)
			i.byName[d.As] = e
			continue
		}
		p, err := s.load(d.Package)
		if err != nil {
			return err
		}
		if s.passUp(i.pkg, i.w, d.Package) {
			s.stale = true
		}
		var v int32
		if s.global(d.As) {
			if v, err = s.appVar(d.As, d.Package); err != nil {
				return err
			}
			p = s.vars[v].pkg
		} else {
			v = s.newVar(p, p.n)
		}
		s.stateNeed(i, d, s.newEdge(i, d.As, p, v, d.Optional))
	}
	return nil
}

// stateNeed adds the clauses of one need.
func (s *solver) stateNeed(i *instance, d universe.Demand, e *edge) {
	e.causes = []int32{s.cause(needOf(i.pkg, d))}
	v := e.v
	want := term{v, s.admitted(s.vars[v].pkg, d.Text, d.Optional)}
	if s.global(d.As) {
		if from, ok := s.appVars[i.pkg.Name]; ok && s.vars[from].pkg == i.pkg {
			s.add(e.causes, nil, term{from, s.unlike(i.pkg, d, false)}, want)
			if s.problem.Tenancy == Single {
				return
			}
		}
	}
	s.add(e.causes, nil, term{i.on, off}, want)
}

// The two positions of an instance's switch.
var (
	on  = domain{1}
	off = domain{2}
)

// unlike returns the releases of a package that do not make a demand, and "no release".
func (s *solver) unlike(p *pkg, d universe.Demand, peer bool) domain {
	set := newDomain(p.n)
	set.add(p.n)
	for w := range p.Releases {
		all := p.Releases[w].Needs
		if peer {
			all = p.Releases[w].Peers
		}
		k, found := slices.BinarySearchFunc(all, d.As, func(x universe.Demand, as string) int { return strings.Compare(x.As, as) })
		if !found || all[k] != d {
			set.add(w)
		}
	}
	return set
}

// expandAll states what follows when a variable gets a release, for every edge that it serves. It reports whether
// clauses came.
func (s *solver) expandAll(v int32, w int) (bool, error) {
	before := len(s.clauses)
	for k := 0; k < len(s.vars[v].edges); k++ {
		e := s.vars[v].edges[k]
		if e.owner != s.app && s.global(e.as) {
			continue // only there to say that somebody wants it
		}
		if s.on(e.owner) && e.targets[w] == nil {
			if err := s.expand(e, w); err != nil {
				return false, err
			}
		}
	}
	return len(s.clauses) > before, nil
}

// placeholder marks the target of a deferred place.
var placeholder = &instance{}

func (s *solver) expand(e *edge, w int) error {
	r := &e.pkg.Releases[w]
	for _, d := range r.Needs {
		if !d.Foreign {
			s.source.Hint(d.Package)
		}
	}
	for _, d := range r.Peers {
		if err := s.statePeer(e, d); err != nil {
			return err
		}
	}
	sees, ok := s.view(e, w)
	if !ok { // a name came up that was not known to matter: whatever comes of it, this search is repeated
		sees = map[string][]provider{}
	}
	key := instanceKey(e.pkg.Name, w, sees)
	i := s.instances[key]
	if i == nil && s.recurs(e, w, sees) {
		e.targets[w] = placeholder
		s.deferred = append(s.deferred, deferral{e, w})
		return nil
	}
	if i == nil {
		i = s.newInstance(e, w, sees, key)
	}
	e.targets[w] = i
	s.add(nil, nil, s.link(e, w, i)...)
	return nil
}

// link returns the terms of "when e gets release w, instance i is part of the graph".
func (s *solver) link(e *edge, w int, i *instance) []term {
	except := newDomain(e.pkg.n)
	for k := 0; k <= e.pkg.n; k++ {
		except.add(k)
	}
	except.remove(w)
	return []term{{e.v, except}, {i.on, on}}
}

// view returns where the target of an edge finds the names that matter to it.
func (s *solver) view(e *edge, w int) (map[string][]provider, bool) {
	sees := map[string][]provider{}
	r := &e.pkg.Releases[w]
	for name := range s.rel[e.pkg.Name] {
		if s.provides(e.pkg, w, name) && !slices.ContainsFunc(r.Peers, func(d universe.Demand) bool { return d.As == name }) {
			continue
		}
		c := s.chain(e.owner, name)
		if c == nil {
			return nil, false
		}
		sees[name] = c
	}
	return sees, true
}

func instanceKey(name string, w int, sees map[string][]provider) string {
	key := []byte(name)
	key = append(key, '@')
	key = strconv.AppendInt(key, int64(w), 10)
	for _, seen := range slices.Sorted(maps.Keys(sees)) {
		key = append(append(append(key, '|'), seen...), '=')
		for _, p := range sees[seen] {
			key = strconv.AppendInt(append(key, ','), int64(p), 10)
		}
	}
	return string(key)
}

func (s *solver) newInstance(e *edge, w int, sees map[string][]provider, key string) *instance {
	i := &instance{pkg: e.pkg, w: w, parent: e.owner, sees: sees}
	i.on = s.newVar(nil, 1)
	s.vars[i.on].inst = i
	s.instances[key] = i
	return i
}

// recurs reports whether a release comes again below itself, with providers that lie below the application.
func (s *solver) recurs(e *edge, w int, sees map[string][]provider) bool {
	local := false
	for _, c := range sees {
		local = local || len(c) > 1 || c[0] >= 0
	}
	if !local {
		return false
	}
	for i := e.owner; i != nil && i != s.app; i = i.parent {
		if i.pkg == e.pkg && i.w == w {
			return true
		}
	}
	return false
}

// statePeer adds the clauses of one peer demand, for all releases of the package that make it.
func (s *solver) statePeer(e *edge, d universe.Demand) error {
	why := Demand{Kind: Peer, By: e.pkg.Name, As: d.As, Package: d.Package, Constraint: d.Text, Optional: d.Optional}
	if e.peers[why] || s.leaves(why) || d.Foreign {
		return nil
	}
	e.peers[why] = true
	causes := []int32{s.cause(why)}
	chain := s.chain(e.owner, d.As)
	prefix := []term{{e.v, s.unlike(e.pkg, d, true)}}
	for k, p := range chain {
		if p == anywhere {
			return nil
		}
		last := k == len(chain)-1
		if p < 0 {
			name := s.slots[-1-p]
			if _, exists := s.appVars[name]; !exists && d.Optional {
				s.waiting[name] = append(s.waiting[name], waitingPeer{prefix, d, causes})
				return nil
			}
			v, err := s.appVar(name, d.Package)
			if err != nil {
				return err
			}
			p = provider(v)
		}
		x := &s.vars[p]
		causes = append(slices.Clip(causes), s.madeBy(int32(p))...)
		s.add(causes, nil, append(slices.Clone(prefix), term{int32(p), s.admitted(x.pkg, d.Text, !last || d.Optional)})...)
		present := newDomain(x.n)
		for w := range x.n {
			present.add(w)
		}
		prefix = append(prefix, term{int32(p), present})
	}
	return nil
}

// madeBy returns the demand that brought a variable into being: that a name is found there, and not farther up, is part
// of what follows from it.
func (s *solver) madeBy(v int32) []int32 {
	if x := &s.vars[v]; len(x.edges) > 0 {
		return x.edges[0].causes
	}
	return nil
}

// placeDeferred makes the instances that were put off, now that their providers have releases. It reports whether
// there is more to search.
func (s *solver) placeDeferred() (bool, error) {
	more := false
	for _, d := range s.deferred {
		if x := &s.vars[d.e.v]; !s.on(d.e.owner) || x.dom.has(x.n) || x.dom.count() > 1 || x.dom.first() != d.w {
			continue
		}
		given, _ := s.view(d.e, d.w)
		sees := map[string][]provider{}
		var terms []term
		var causes []int32
		for _, name := range slices.Sorted(maps.Keys(given)) {
			for _, p := range given[name] {
				if p >= 0 {
					causes = append(causes, s.madeBy(int32(p))...)
				}
			}
			c, told, undecided := s.settleChain(name, given[name])
			if undecided >= 0 {
				s.decide(undecided, s.vars[undecided].n)
				return true, nil
			}
			sees[name] = c
			terms = append(terms, told...)
		}
		key := instanceKey(d.e.pkg.Name, d.w, sees)
		if d.e.delayed[key] != nil {
			continue
		}
		i := s.instances[key]
		if i == nil {
			i = s.newInstance(d.e, d.w, sees, key)
			i.parent = nil
		}
		d.e.delayed[key] = i
		s.add(causes, nil, append(terms, s.link(d.e, d.w, i)...)...)
		more = true
	}
	return more, nil
}

// settleChain replaces the providers of a name by the release that they came to, and gives the terms that spare
// other releases. A provider that is still open is returned as undecided.
func (s *solver) settleChain(name string, chain []provider) (_ []provider, terms []term, undecided int32) {
	for _, p := range chain {
		if p < 0 {
			break
		}
		x := &s.vars[p]
		if x.dom.count() > 1 {
			return nil, nil, int32(p)
		}
		w := x.dom.first()
		other := newDomain(x.n)
		for k := 0; k <= x.n; k++ {
			other.add(k)
		}
		other.remove(w)
		terms = append(terms, term{int32(p), other})
		if w == x.n {
			continue
		}
		key := fixedKey{x.pkg.Name, w}
		v, ok := s.fixed[key]
		if !ok {
			v = s.newVar(x.pkg, x.n)
			only := newDomain(x.n)
			only.add(w)
			s.vars[v].dom = only
			s.fixed[key] = v
		}
		return []provider{provider(v)}, terms, -1
	}
	if s.foreign[name] {
		return []provider{anywhere}, terms, -1
	}
	return []provider{s.slot(name)}, terms, -1
}
