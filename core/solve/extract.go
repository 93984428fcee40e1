package solve

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/universe"
)

// A vertex is a context of the graph while it is drawn from the assignment: an instance, and the
// contexts where it finds the names that matter to it.
type vertex struct {
	pkg      int32     // the number of the package: that of the search, or beyond those where only the base has it
	w        int32     // its release
	inst     *instance // nil where frozen
	frozen   int32     // the node of the base that is taken over, or none
	parent   int32     // the context that it was first reached from, -1 for the application
	tied     int32     // the context that stands for this one, or none
	class    int32
	peerless bool
	env      map[string]int
	needs    []int // as the release's; none for an absent one
	peers    []int // as the release's, once all is drawn
}

// releaseOf returns the release of a context.
func (d *drawing) releaseOf(p *vertex) *universe.Release {
	if p.frozen != none {
		return d.takeover.releases[p.frozen]
	}
	return d.loaded.at(p.pkg).At(int(p.w))
}

// packageName returns the name of the package of a context.
func (d *drawing) packageName(p *vertex) string {
	if p.frozen != none {
		return d.takeover.Packages[p.frozen].Name
	}
	return d.loaded.at(p.pkg).Name
}

// textOf returns the release of a context as text: name@version.
func (d *drawing) textOf(p *vertex) string {
	return d.packageName(p) + "@" + d.releaseOf(p).Version.String()
}

// none stands for no context.
const none = -1

// A drawing turns the assignment of a solver into a graph.
type drawing struct {
	*solver
	drawn []*vertex
	byKey map[string]int // contexts that depend on nothing but their instance and what they see
	// the same for those that see nothing, by the number of the instance: from 1, 0 where there is none yet
	plain []int32
	// contexts at the application's level, by variable: from 1, 0 where nobody has asked yet, absent for none
	top []int32
	// Contexts of nodes that are taken over from the base.
	frozenAt map[int32]int
	todo     []int

	packages int32   // how many numbers of packages there are
	groups   []int32 // the numbers of the base's packages, from 1; 0 where they are not known yet
	vertices pages[vertex]
	places   []int       // memory for where needs lead
	reached  []*instance // memory for unfold
	most     int         // how many contexts there may be, when contexts are folded farther down
	depth    int         // how far to look before a context is tied to one above
	ties     int
	compared map[[3]int]bool        // what alike found
	numbers  map[string]int         // of what looks alike to a depth
	looks    map[[2]int]int         // the numbers of contexts, by depth
	states   map[string]int         // when contexts are folded, the first of each state
	wanted   map[*instance][]string // then, the names that are looked up through an instance under the assignment
}

// extract draws the graph that the assignment describes. Places at which everything that matters is equal become one
// node, so that a release stands twice only where its peers, or those below it, differ.
//
// A cycle through peers unfolds forever and has to be tied somewhere: a context is tied to one
// above it that looks the same. How far one has to look, at what it sees and what that sees in
// turn, depends on the cycle, so farther and farther is tried and the result verified. Where it
// never comes to the same context twice, the graph is folded: contexts that see the same releases
// are one, though these releases may stand in different contexts.
func (s *solver) extract() (*Resolution, error) {
	for depth := 1; depth < 8 && !s.grouped; depth++ {
		d := s.drawing(depth)
		if !d.draw() {
			break
		}
		d.classify()
		r := d.resolution()
		if d.ties == 0 || Verify(s.ctx, s.source, s.problem, r) == nil {
			return r, nil
		}
	}
	if s.takeover != nil {
		return nil, errFrozen
	}
	var folded *Resolution
	var lookups map[*instance][]string
	drawn := 0
	for depth := 0; depth < 6; depth++ {
		if err := s.ctx.Err(); err != nil {
			return nil, err
		}
		d := s.drawing(depth)
		d.states = map[string]int{}
		if lookups == nil {
			lookups = d.wantedNames()
		}
		d.wanted, d.most = lookups, 4*drawn+200
		if !d.draw() {
			break
		}
		d.classify()
		r := d.resolution()
		if Verify(s.ctx, s.source, s.problem, r) == nil {
			return r, nil
		}
		if depth == 1 {
			drawn = len(d.drawn)
		}
		if depth != 1 {
			continue
		}
		d.classifyStates()
		r = d.resolution()
		r.Folded = true
		if Verify(s.ctx, s.source, s.problem, r) == nil {
			folded = r
		}
	}
	switch {
	case s.ctx.Err() != nil: // what was begun may have been given up for that
		return nil, s.ctx.Err()
	case folded != nil:
		return folded, nil
	}
	return nil, ErrEndless
}

// errFrozen reports that a graph with frozen subtrees could not be drawn: the search is repeated without them.
var errFrozen = errors.New("not drawn with frozen subtrees")

func (s *solver) drawing(depth int) *drawing {
	return &drawing{solver: s, byKey: map[string]int{}, plain: make([]int32, s.contexts.n),
		top: make([]int32, len(s.vars)), packages: s.loaded.n, frozenAt: map[int32]int{}, depth: depth,
		compared: map[[3]int]bool{},
		numbers:  map[string]int{}, looks: map[[2]int]int{}}
}

// draw unfolds everything that the application reaches. It reports whether that came to an end.
func (d *drawing) draw() bool {
	for _, k := range d.rootOrder() { // contexts that fold are those that were drawn first
		if r := &d.problem.Roots[k]; !r.Foreign {
			d.atTop(d.keyOf(&r.Demand))
		}
	}
	for _, name := range d.parts {
		d.atTop(name)
	}
	for len(d.todo) > 0 {
		n := d.todo[0]
		d.todo = d.todo[1:]
		if !d.unfold(n) {
			return false
		}
	}
	for _, p := range d.drawn {
		if p.tied == none && p.frozen == none && !p.peerless {
			peers := d.releaseOf(p).Peers
			p.peers = make([]int, len(peers))
			for k := range p.peers {
				p.peers[k] = d.peer(p, d.keyOf(&peers[k]))
			}
		}
	}
	return true
}

// atTop returns the context that serves a name at the application's level, or none.
func (d *drawing) atTop(name string) int {
	v, ok := d.topVar(name)
	if !ok {
		return none
	}
	return d.atTopOf(v)
}

// absent stands for no context in drawing.top.
const absent = -1

// atTopOf is atTop by the variable of the name.
func (d *drawing) atTopOf(v int32) int {
	switch n := d.top[v]; n {
	case 0:
	case absent:
		return none
	default:
		return int(n - 1)
	}
	d.top[v] = absent
	t := d.target(d.edgeOf(v))
	if t == nil {
		return none
	}
	var n int
	if t.frozen {
		n = d.taken(t.node)
	} else {
		n = d.add(t, none)
	}
	d.top[v] = int32(n + 1)
	return n
}

// drawnAtTop is atTop for names that nothing more is drawn for.
func (d *drawing) drawnAtTop(name string) int {
	if v, ok := d.topVar(name); ok && d.top[v] > 0 {
		return int(d.top[v] - 1)
	}
	return none
}

func (d *drawing) add(i *instance, parent int) int {
	p, _ := d.vertices.add()
	*p = vertex{pkg: i.pkg, w: i.w, inst: i, frozen: none, parent: int32(parent), tied: none,
		peerless: d.pkgOfInst(i).peerless}
	d.drawn = append(d.drawn, p)
	d.todo = append(d.todo, len(d.drawn)-1)
	return len(d.drawn) - 1
}

// target returns the instance that an edge leads to under the assignment, or nil.
func (d *drawing) target(e *edge) *instance {
	if e.v < 0 {
		return nil
	}
	w := d.solver.release(e.v)
	if w < 0 || w == int(d.vars[e.v].n) {
		return nil
	}
	e = d.edgeOf(e.v) // the application's, where they share the variable
	at := d.targetOf(e, w)
	if at < 0 {
		return nil
	}
	switch to := d.targets[at].inst; {
	case to <= frozenContext:
		return d.takeover.insts[frozenContext-to]
	case to != deferredContext:
		return d.contexts.at(to)
	}
	sees := map[string][]provider{}
	p := d.pkgOf(e.v)
	given, _ := d.view(e, p, w)
	for name, c := range given {
		sees[name], _, _ = d.decideChain(name, c)
	}
	_, key := d.find(p, w, sees)
	if to := d.delayed[delayedKey{e.id, key}]; to != 0 {
		return d.contexts.at(to)
	}
	return nil
}

// unfold makes the contexts below one. It reports false when there are too many to come to an end.
func (d *drawing) unfold(n int) bool {
	d.problem.shared.drawn++
	p := d.drawn[n]
	most := 4*int(d.contexts.n) + 1000
	if d.states != nil {
		most = 100*int(d.contexts.n) + 10000
		if d.depth > 1 { // where it grows so much, it is not likely to come to an end farther down
			most = d.most
		}
	}
	if len(d.drawn)-len(d.frozenAt) > most || d.ctx.Err() != nil {
		return false
	}
	if p.env == nil {
		p.env = d.envOf(p.inst, d.atTop)
	}
	from, to := p.inst.edges()
	count := int(to - from)
	if cap(d.reached) < count {
		d.reached = make([]*instance, 2*count)
	}
	targets := d.reached[:count]
	for k := range targets {
		targets[k] = d.target(d.edges.at(from + int32(k)))
	}
	p.needs = d.placesFor(count)
	open, apart := 0, false // how many stand below this one, and whether it matters where to some of them
	for k, t := range targets {
		switch v := d.edges.at(from + int32(k)).v; {
		case t == nil:
			p.needs[k] = none
		case t.frozen:
			p.needs[k] = d.taken(t.node)
		case d.edgeOf(v).owner == application: // all edges to the name share its variable
			p.needs[k] = d.atTopOf(v)
		default:
			p.needs[k] = below
			open++
			apart = apart || t.sees >= 0
		}
	}
	if apart {
		d.unfoldApart(n, p, targets)
	} else if open > 0 {
		for k, t := range targets {
			if p.needs[k] == below {
				p.needs[k] = d.shared(t, p, n)
			}
		}
	}
	if apart || d.states != nil { // of an instance that sees nothing there is one context, with none above it
		d.tie(n, p)
	}
	if !p.peerless {
		peers := d.releaseOf(p).Peers
		for k := range peers {
			d.peer(p, d.keyOf(&peers[k])) // what the application provides comes into being where it is first seen
		}
	}
	return true
}

// below stands for a context that stands below another and is not made yet.
const below = -2

// unfoldApart makes the contexts below one where it matters to some of them what their siblings are.
func (d *drawing) unfoldApart(n int, p *vertex, targets []*instance) {
	own := func(name string) (int, bool) { // what it needs itself under a name
		if e := d.edge(p.inst, name); e != nil {
			return int(e.need), targets[e.need] != nil
		}
		return none, false
	}
	for pass := range 2 { // first those that see a sibling, whose contexts the others may need
		for k, t := range targets {
			if p.needs[k] != below {
				continue
			}
			local := slices.ContainsFunc(d.namesOf(t), func(name string) bool {
				_, provided := own(name)
				return provided
			})
			switch {
			case pass == 1:
				p.needs[k] = d.shared(t, p, n)
			case local:
				p.needs[k] = d.add(t, n)
			}
		}
	}
	for _, k := range p.needs {
		if k == none || d.drawn[k].env != nil || int(d.drawn[k].parent) != n {
			continue
		}
		c := d.drawn[k]
		c.env = d.envOf(c.inst, func(name string) int {
			if k, ok := own(name); ok {
				return p.needs[k]
			}
			return d.seen(p, name)
		})
	}
}

// placesFor returns a list of n places.
func (d *drawing) placesFor(n int) []int {
	if len(d.places) < n {
		d.places = make([]int, max(n, min(4096, 4*len(d.drawn))))
	}
	all := d.places[:n:n]
	d.places = d.places[n:]
	return all
}

// nothingSeen is the environment of the many contexts that see nothing.
var nothingSeen = map[string]int{}

// envOf makes the environment of a context of an instance from where it finds each name.
func (d *drawing) envOf(i *instance, find func(name string) int) map[string]int {
	sees := d.sees(i)
	if len(sees) == 0 {
		return nothingSeen
	}
	if d.wanted != nil {
		env := make(map[string]int, len(d.wanted[i]))
		for _, name := range d.wanted[i] {
			env[name] = find(name)
		}
		return env
	}
	env := make(map[string]int, len(sees))
	for _, name := range slices.Sorted(maps.Keys(sees)) {
		env[name] = find(name)
	}
	return env
}

// seen returns the context that p sees under a name it does not need itself.
func (d *drawing) seen(p *vertex, name string) int {
	if at, ok := p.env[name]; ok {
		return at
	}
	return d.atTop(name)
}

// shared returns the context of an instance that sees nothing which its dependent provides.
func (d *drawing) shared(t *instance, p *vertex, n int) int {
	if len(d.sees(t)) == 0 {
		if d.plain[t.id] == 0 {
			at := d.add(t, n)
			d.drawn[at].env = nothingSeen
			d.plain[t.id] = int32(at + 1)
		}
		return int(d.plain[t.id] - 1)
	}
	key := strings.Builder{}
	fmt.Fprintf(&key, "%p", t)
	env := d.envOf(t, func(name string) int {
		at := d.seen(p, name)
		fmt.Fprintf(&key, "|%s=%d", name, at)
		return at
	})
	if at, ok := d.byKey[key.String()]; ok {
		return at
	}
	at := d.add(t, n)
	d.drawn[at].env = env
	d.byKey[key.String()] = at
	return at
}

// tie lets a context above stand for a need of p that holds the same release and sees the same releases: a cycle that
// would unfold forever.
func (d *drawing) tie(n int, p *vertex) {
	for _, at := range p.needs {
		if at == none || int(d.drawn[at].parent) != n {
			continue
		}
		c := d.drawn[at]
		if d.states != nil {
			d.fold(at)
			continue
		}
		for up := n; up != none; up = int(d.drawn[up].parent) {
			if up != at && d.alike(up, at, d.depth) {
				c.tied = int32(up)
				d.ties++
				d.todo = slices.DeleteFunc(d.todo, func(x int) bool { return x == at })
				break
			}
		}
	}
}
