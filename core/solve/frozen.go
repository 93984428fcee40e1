package solve

import (
	"maps"
	"reflect"
	"slices"
	"strings"
	"sync"

	"molt/core/universe"
)

// Continuing another resolution. Most searches ask for little more than a resolution that is there
// already (Problem.Base): a stage moves three declared packages of sixty. What lies below a
// declared name is taken over as it is, without looking at it, as long as the name has the release
// that it has there and nothing reaches in from outside: the subtree is frozen.
//
// A subtree depends on the rest of the graph by the names alone that something in it looks up at
// the application's level, as a peer or because there is one release of them. Where each of these
// leads to a frozen subtree again, or is absent here as there, the subtree holds in the new graph
// because it holds in the old one. Otherwise it is reopened: searched like everything else. That is
// looked at when all else has been decided, as often as something is reopened.
//
// Nothing is lost by it. Clauses that a frozen subtree would have added are left out, which takes
// no resolution away and makes no refutation wrong; and a frozen subtree has the old releases
// only, so that no objective that prefers them could be met better.

// A Base is a resolution to be continued, for any number of problems. It remembers what it found
// out about the resolution, and may be used concurrently.
type Base struct {
	*Resolution
	mu     sync.Mutex
	index  map[string]int32   // nodes by ID
	group  []int32            // by node, the number of its package
	groups int32              // how many packages there are
	byName map[string][]int32 // nodes by package
	needed [][]dependent      // by node: who needs it
	needs  [][]int32          // by node: where its needs lead
	peers  [][]int32          // the same of its peers
	views  []*baseView
}

// A dependent is a node with a need of its.
type dependent struct {
	node int32
	edge *Edge
}

// A baseView is a base as a source and a set of single names show it.
type baseView struct {
	source   universe.Source
	single   []string
	releases []*universe.Release
	at       []int        // where they are in their packages, -1 for those that are not there
	bad      []bool       // nodes below which something does not hold any more
	lookups  [][]upLookup // by node: the names that it and what it needs look up above it
	above    []upLookup   // what is looked up above the application's own, and is there
}

// An upLookup is a name that is looked up above a node, and the node that serves it, or none.
type upLookup struct {
	name     string
	to       int32
	required bool // by a peer that is not optional
}

// A takeover is what a search takes over, or may take over, from a base.
type takeover struct {
	*Base
	*baseView
	tops     map[string]*frozenTop // by the application's name
	order    []string              // their names, sorted
	declared map[string]bool       // names that the problem declares
	foreign  map[string]bool       // names that the application had from elsewhere
	insts    map[int32]*instance   // what stands for the subtrees of nodes
	unwanted map[int32]bool        // nodes below which there is what the problem does not want
	keep     map[string][]string   // what the problem prefers
	held     map[string][]int      // see heldOf; nil until asked for
	anywhere map[int32][]*instance // by the number of the package, the subtrees that may be taken over wherever they stand
}

// A frozenTop is a name of the application with a subtree that may be taken over.
type frozenTop struct {
	node     int32
	inst     *instance // stands for all of the subtree
	reopened bool
	asks     map[string]*edge // what it looks up and nobody declares; forgotten in a reset
}

// NewBase makes a base of a resolution, which must not change any more; nil for none, or for one
// that cannot be continued.
func NewBase(r *Resolution) *Base {
	if r == nil || r.Folded || len(r.Packages) == 0 {
		return nil
	}
	b := &Base{Resolution: r, index: make(map[string]int32, len(r.Packages)),
		byName: make(map[string][]int32, len(r.Packages)), needed: make([][]dependent, len(r.Packages))}
	for i := range r.Packages {
		b.index[r.Packages[i].ID] = int32(i)
		nodes := b.byName[r.Packages[i].Name]
		if nodes == nil {
			b.group = append(b.group, b.groups)
			b.groups++
		} else {
			b.group = append(b.group, b.group[nodes[0]])
		}
		b.byName[r.Packages[i].Name] = append(nodes, int32(i))
	}
	edges := 0
	for i := range r.Packages {
		edges += len(r.Packages[i].Needs) + len(r.Packages[i].Peers)
	}
	memory := make([]int32, 0, edges) // one for all
	lead := func(edges []Edge) []int32 {
		from := len(memory)
		for k := range edges {
			memory = append(memory, b.to(&edges[k]))
		}
		return memory[from:]
	}
	for i := range r.Packages {
		n := &r.Packages[i]
		b.needs, b.peers = append(b.needs, lead(n.Needs)), append(b.peers, lead(n.Peers))
		for k, to := range b.needs[i] {
			if to != none {
				b.needed[to] = append(b.needed[to], dependent{int32(i), &n.Needs[k]})
			}
		}
	}
	return b
}

// to returns the node that an edge leads to, or none.
func (b *Base) to(e *Edge) int32 {
	if to, ok := b.index[e.To]; ok {
		return to
	}
	return none
}

// freeze looks at which subtrees of the base could be taken over. It trusts the base in nothing: a
// subtree is left to the search when the metadata has changed, a demand of it does not hold, or the
// problem wants something else of it.
func (s *solver) freeze() {
	b := s.problem.Base
	if b == nil || s.problem.Strategy.Single || s.focus != nil || s.grouped || len(s.problem.absent) > 0 {
		return
	}
	f := &takeover{Base: b, baseView: b.view(s), tops: map[string]*frozenTop{}, declared: map[string]bool{},
		foreign: map[string]bool{}, insts: map[int32]*instance{}, anywhere: map[int32][]*instance{}}
	f.unwanted = f.without(s.problem)
	f.keep = s.problem.Keep
	take := func(name string, n int32) {
		if n != none && f.sound(n) && f.tops[name] == nil {
			f.tops[name] = &frozenTop{node: n, inst: f.standIn(n)}
			f.order = append(f.order, name)
		}
	}
	packages := make(map[string]string, len(s.problem.Roots))
	for _, r := range s.problem.Roots {
		f.declared[r.As] = true
		if !r.Foreign {
			packages[r.As] = r.Package
		}
	}
	for k := range b.Roots {
		e := &b.Roots[k]
		switch n := b.to(e); {
		case e.Foreign:
			f.foreign[e.Name] = true
		case n != none && packages[e.Name] == e.Package:
			take(e.Name, n)
		}
	}
	for _, l := range f.above {
		if !f.declared[l.name] {
			take(l.name, l.to)
		}
	}
	slices.Sort(f.order)
	s.takeover = f
}

// sound reports whether the subtree of a node holds in itself, and has nothing that the problem does not want.
func (f *takeover) sound(n int32) bool { return !f.bad[n] && !f.unwanted[n] }

// standIn returns the instance that stands for all of the subtree of a node.
func (f *takeover) standIn(n int32) *instance {
	if f.insts[n] == nil {
		f.insts[n] = &instance{id: -1, w: int32(f.at[n]), sees: -1, open: true, frozen: true, node: n}
	}
	return f.insts[n]
}

// plain lists the subtrees of a package that look up nothing above them: they hold wherever they stand.
func (f *takeover) plain(name string) (all []*instance) {
	for _, n := range f.byName[name] {
		if f.sound(n) && len(f.lookups[n]) == 0 {
			all = append(all, f.standIn(n))
		}
	}
	return all
}

// without returns the nodes below which there is a release that a problem refuses or an assumption excludes.
func (f *takeover) without(p Problem) map[int32]bool {
	var todo []int32
	for name, versions := range p.Refuse {
		for _, n := range f.byName[name] {
			if slices.Contains(versions, f.Packages[n].Version) {
				todo = append(todo, n)
			}
		}
	}
	for _, l := range p.assumptions {
		if f.excluded(l) {
			for _, n := range f.byName[l.pkg] {
				if f.at[n] >= 0 && !l.set.has(f.at[n]) {
					todo = append(todo, n)
				}
			}
		}
	}
	all := map[int32]bool{}
	for len(todo) > 0 {
		n := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		if !all[n] {
			all[n] = true
			for _, d := range f.needed[n] {
				todo = append(todo, d.node)
			}
		}
	}
	return all
}

// excluded reports whether an assumption about a package excludes a release of the base.
func (f *takeover) excluded(l assumption) bool {
	return slices.ContainsFunc(f.byName[l.pkg], func(n int32) bool { return f.at[n] >= 0 && !l.set.has(f.at[n]) })
}

// heldOf lists the releases of a package in the subtrees that are likely to be taken over: those of
// names that should keep their release.
func (f *takeover) heldOf(name string) []int {
	if f.byName[name] == nil {
		return nil
	}
	if f.held == nil {
		f.hold()
	}
	return f.held[name]
}

func (f *takeover) hold() {
	f.held = map[string][]int{}
	seen := make([]bool, len(f.Packages))
	var todo []int32
	for _, t := range f.tops {
		if n := &f.Packages[t.node]; slices.Contains(f.keep[n.Name], n.Version) {
			todo = append(todo, t.node)
		}
	}
	for len(todo) > 0 { // in whatever order, it comes to the same
		at := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, to := range f.needs[at] {
			if to != none && !seen[to] && f.at[to] >= 0 {
				seen[to] = true
				todo = append(todo, to)
				name := f.Packages[to].Name
				f.held[name] = append(f.held[name], f.at[to])
			}
		}
	}
}

// view returns the base as the source and the single names of a search show it.
func (b *Base) view(s *solver) *baseView {
	b.mu.Lock()
	defer b.mu.Unlock()
	comparable := reflect.TypeOf(s.source).Comparable()
	for _, v := range b.views {
		if comparable && v.source == s.source && slices.Equal(v.single, s.problem.Single) {
			return v
		}
	}
	v := &baseView{source: s.source, single: s.problem.Single}
	b.look(s, v)
	b.passUp(s, v)
	if comparable && s.ctx.Err() == nil {
		b.views = append(b.views, v)
	}
	return v
}

// look finds the releases of the base, and marks the nodes that do not hold in themselves any more.
func (b *Base) look(s *solver, v *baseView) {
	packages := make([]*universe.Package, len(b.Packages))
	v.bad, v.at, v.releases = make([]bool, len(b.Packages)), make([]int, len(b.Packages)),
		make([]*universe.Release, len(b.Packages))
	s.source.Hint(slices.Sorted(maps.Keys(b.byName))...)
	for i := range b.Packages {
		n := &b.Packages[i]
		v.at[i] = -1
		if p, err := s.source.Package(s.ctx, n.Name); err == nil {
			packages[i], v.at[i] = p, p.Index(n.Version)
		}
		if v.at[i] >= 0 {
			v.releases[i] = packages[i].At(v.at[i])
		}
	}
	stated := func(edges []Edge, demands []universe.Demand) bool {
		if len(edges) != len(demands) {
			return false
		}
		for k := range edges {
			e, d := &edges[k], &demands[k]
			if e.Name != d.As || e.Package != d.Package || e.Constraint != d.Text || e.Optional != d.Optional ||
				e.Foreign != d.Foreign {
				return false
			}
			if e.To == "" {
				if !e.Optional && !e.Foreign {
					return false
				}
				continue
			}
			to := b.to(e)
			if to == none || v.at[to] < 0 || b.Packages[to].Name != d.Package {
				return false
			}
			if set, err := packages[to].Admit(d.Text); err != nil || !set.Has(v.at[to]) {
				return false
			}
		}
		return true
	}
	for i := range b.Packages {
		n, r := &b.Packages[i], v.releases[i]
		v.bad[i] = r == nil || !stated(n.Needs, r.Needs) || !stated(n.Peers, r.Peers)
	}
}

// passUp finds out what is looked up above each node, and marks the nodes below which something does not hold: a bad
// node, or a peer that is not what is seen there.
func (b *Base) passUp(s *solver, v *baseView) {
	v.lookups = make([][]upLookup, len(b.Packages))
	// add notes a lookup; a name that leads to two nodes at once is a base that does not hold.
	add := func(n int32, l upLookup) bool {
		for k := range v.lookups[n] {
			known := &v.lookups[n][k]
			if known.name != l.name {
				continue
			}
			grew := l.required && !known.required || known.to != l.to && !v.bad[n]
			known.required = known.required || l.required
			v.bad[n] = v.bad[n] || known.to != l.to
			return grew
		}
		v.lookups[n] = append(v.lookups[n], l)
		return true
	}
	var todo []int32
	for i := range b.Packages {
		n := int32(i)
		for k := range b.Packages[i].Needs {
			if e := &b.Packages[i].Needs[k]; s.global(e.Name) && !e.Foreign {
				add(n, upLookup{e.Name, b.to(e), !e.Optional})
			}
		}
		for k := range b.Packages[i].Peers {
			if e := &b.Packages[i].Peers[k]; !e.Foreign {
				add(n, upLookup{e.Name, b.to(e), !e.Optional})
			}
		}
		if len(v.lookups[n]) > 0 || v.bad[n] {
			todo = append(todo, n)
		}
	}
	for len(todo) > 0 {
		n := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, d := range b.needed[n] {
			if s.global(d.edge.Name) {
				continue // what it leads to stands below the application only
			}
			grew := v.bad[n] && !v.bad[d.node]
			v.bad[d.node] = v.bad[d.node] || v.bad[n]
			for _, l := range v.lookups[n] {
				if e := needNamed(&b.Packages[d.node], l.name); e != nil && !s.global(l.name) && (e.To != "" || e.Foreign) {
					if b.to(e) != l.to && !v.bad[d.node] {
						v.bad[d.node], grew = true, true
					}
					continue
				}
				grew = add(d.node, l) || grew
			}
			if grew {
				todo = append(todo, d.node)
			}
		}
	}
	seen := map[string]bool{}
	for k := range b.Roots {
		if n := b.to(&b.Roots[k]); n != none {
			for _, l := range v.lookups[n] {
				if l.to != none && !seen[l.name] {
					seen[l.name] = true
					v.above = append(v.above, l)
				}
			}
		}
	}
}

// needNamed returns the need of a node under a name, or nil.
func needNamed(n *Node, name string) *Edge {
	k, ok := slices.BinarySearchFunc(n.Needs, name, func(e Edge, name string) int { return strings.Compare(e.Name, name) })
	if !ok {
		return nil
	}
	return &n.Needs[k]
}

// frozen returns the instance that stands for the subtree of an edge with a release, or nil where it is to be searched.
func (s *solver) frozen(e *edge, p *pkg, w int) *instance {
	if s.takeover == nil {
		return nil
	}
	for _, t := range s.takeover.anywhere[p.id] {
		if int(t.w) == w {
			return t
		}
	}
	if e.owner != application {
		return nil
	}
	if t := s.takeover.tops[s.nameOf(e)]; t != nil && !t.reopened && int(t.inst.w) == w &&
		p.Name == s.takeover.Packages[t.node].Name {
		return t.inst
	}
	return nil
}

// melt leaves everything to the search. It must start over.
func (s *solver) melt() {
	s.takeover = nil
	for id := range s.loaded.n {
		if r := s.loaded.at(id).extra; r != nil {
			r.held = 0
		}
	}
}

// reopenFrozen looks at the frozen subtrees, now that all is decided: it asks for what they look up and
// nobody declares, and leaves those to the search into which something reaches from outside. It
// reports whether there is more to search.
func (s *solver) reopenFrozen() (bool, error) {
	if s.takeover == nil {
		return false, nil
	}
	more := false
	for _, name := range s.takeover.order {
		t := s.standsFrozen(name)
		if t == nil {
			continue
		}
		for _, l := range s.takeover.lookups[t.node] {
			if l.to == none || !l.required || s.takeover.declared[l.name] {
				continue
			}
			asked, err := s.askFor(t, l)
			if err != nil {
				return false, err
			}
			more = more || asked
		}
	}
	if more {
		return true, nil
	}
	again := false // whether something was asked for in vain
	for grew := true; grew; {
		grew = false
		for _, name := range s.takeover.order {
			t := s.standsFrozen(name)
			if t == nil || s.untouched(t) {
				continue
			}
			t.reopened, grew, more = true, true, true
			v, _ := s.topVar(name)
			s.leadsNoMore(s.edgeOf(v), t.inst)
			s.toExpand.add(v)
			for _, e := range t.asks {
				e.optional, again = false, true
			}
		}
	}
	if again {
		s.back(0)
	}
	return more, nil
}

// askFor has the application provide what a frozen subtree looks up and nobody declares, as an optional need would.
func (s *solver) askFor(t *frozenTop, l upLookup) (bool, error) {
	if t.asks[l.name] != nil {
		return false, nil
	}
	v, err := s.appVar(l.name, s.takeover.Packages[l.to].Name)
	if err != nil {
		return false, err
	}
	e, id := s.edges.add()
	*e = edge{id: id, owner: application, need: -1, v: v, optional: true, cause: noReason, target: -1}
	s.share(v, e)
	if t.asks == nil {
		t.asks = map[string]*edge{}
	}
	t.asks[l.name] = e
	s.waits.push(v)
	return true, nil
}

// standsFrozen returns the frozen subtree that a declared name leads to under the assignment, or nil.
func (s *solver) standsFrozen(name string) *frozenTop {
	t := s.takeover.tops[name]
	if t == nil || t.reopened {
		return nil
	}
	v, ok := s.topVar(name)
	if !ok || s.release(v) != int(t.inst.w) {
		return nil
	}
	if at := s.targetOf(s.edgeOf(v), int(t.inst.w)); at < 0 || s.targets[at].inst != t.inst.stands() {
		return nil
	}
	return t
}

// untouched reports whether every name that a frozen subtree looks up leads to what it led to in the base.
func (s *solver) untouched(t *frozenTop) bool {
	for _, l := range s.takeover.lookups[t.node] {
		switch {
		case s.foreign[l.name] != (s.takeover.foreign[l.name] || l.to == none && slices.Contains(s.problem.Outside, l.name)):
			return false
		case l.to == none:
			if v, ok := s.topVar(l.name); ok {
				if w := s.release(v); w >= 0 && w != int(s.vars[v].n) {
					return false
				}
			}
		default:
			if top := s.standsFrozen(l.name); top == nil || top.node != l.to {
				return false
			}
		}
	}
	return true
}

// packageOf returns the number of the package of a node of the base.
func (d *drawing) packageOf(node int32) int32 {
	if d.groups == nil {
		d.groups = make([]int32, d.takeover.Base.groups)
	}
	n := &d.groups[d.takeover.group[node]]
	if *n == 0 {
		if p := d.named(d.takeover.Packages[node].Name); p != nil {
			*n = p.id + 1
		} else {
			d.packages++
			*n = d.packages
		}
	}
	return *n - 1
}

// taken returns the context that stands for a node of the base, and what it leads to.
func (d *drawing) taken(node int32) int {
	if n, ok := d.frozenAt[node]; ok {
		return n
	}
	p, _ := d.vertices.add()
	*p = vertex{parent: none, tied: none, frozen: node, pkg: d.packageOf(node), w: int32(d.takeover.at[node]),
		env: nothingSeen}
	d.drawn = append(d.drawn, p)
	n := len(d.drawn) - 1
	d.frozenAt[node] = n
	to := func(edges []int32) []int {
		all := make([]int, len(edges))
		for k, next := range edges {
			all[k] = none
			if next != none {
				all[k] = d.taken(next)
			}
		}
		return all
	}
	p.needs, p.peers = to(d.takeover.needs[node]), to(d.takeover.peers[node])
	return n
}
