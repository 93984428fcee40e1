package inspect

import (
	"context"
	"slices"
	"strings"

	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// A Link is one step of a chain in a locked graph: who asks for what, and what serves it.
type Link struct {
	By         string // the ID of the dependent, "" for the application
	Group      string // of a declaration
	Name       string
	Constraint string
	Peer       bool
	To         string // an ID
}

// A Trace tells why a release is in a locked graph.
type Trace struct {
	ID, Version string
	// every shortest chain from each declaration that leads to it, the shortest first, up to mostChains
	Chains  [][]Link
	More    int    // how many there are beyond these
	Askers  int    // how many links lead to it in all
	Keepers []Link // the links that exclude the next newer release, so that it stays where it is
	Next    string // that release, "" when there is none
	// Obstacle is what else keeps it from that release, where no link excludes it; nil for nothing,
	// or where Unsure says why nobody can tell.
	Obstacle *conflict.Obstacle
	Unsure   error
}

// mostChains is how many chains are told.
const mostChains = 100

// TraceLocked tells why each release of a package is in the lock of an application, the newest first.
func TraceLocked(ctx context.Context, source universe.Source, app project.Application, name string) ([]Trace, error) {
	p, err := universe.LookUp(ctx, source, name)
	if err != nil {
		return nil, err
	}
	g := newLinks(app.Locked)
	var all []Trace
	for i := range app.Locked.Packages {
		n := &app.Locked.Packages[i]
		if n.Name != name && (universe.NameOf(n.Name).Extra != "" || universe.Plain(n.Name) != name) {
			continue
		}
		t := Trace{ID: n.ID, Version: n.Version, Askers: len(g.to[n.ID])}
		g.chains(n.ID, &t)
		if p != nil {
			t.keptBy(p, g.to[n.ID])
		}
		if t.Next != "" && len(t.Keepers) == 0 && n.Name == p.Name {
			t.Obstacle, t.Unsure = obstacle(ctx, source, app, g.declaredAs(n), p, t.Next)
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		all = append(all, t)
	}
	slices.SortStableFunc(all, func(a, b Trace) int {
		if p == nil {
			return strings.Compare(b.Version, a.Version)
		}
		return p.Index(b.Version) - p.Index(a.Version)
	})
	return all, nil
}

// obstacle asks what keeps a package from a release.
func obstacle(ctx context.Context, source universe.Source, app project.Application, name string, p *universe.Package,
	v string) (*conflict.Obstacle, error) {
	q, err := conflict.NewReasons(ctx, source, app, name, p)
	if err != nil {
		return nil, err
	}
	return q.Why(p.Index(v))
}

// declaredAs returns the name under which the manifest declares a node, else its own.
func (g *links) declaredAs(n *solve.Node) string {
	for _, l := range g.roots {
		if l.To == n.ID {
			return l.Name
		}
	}
	return n.Name
}

// keptBy finds the next newer stable release, and the links that exclude it.
func (t *Trace) keptBy(p *universe.Package, links []Link) {
	for i := p.Index(t.Version) + 1; i > 0 && i < p.Len(); i++ {
		if r := p.About(i); r.Version.Prerelease() || r.Deprecated != "" || p.Withdrawn(i) {
			continue
		}
		t.Next = p.Version(i).String()
		for _, l := range links {
			if set, err := p.Admit(l.Constraint); err == nil && !set.Has(i) {
				t.Keepers = append(t.Keepers, l)
			}
		}
		return
	}
}

// links is a locked graph looked at from below.
type links struct {
	roots []Link
	to    map[string][]Link   // by the ID that they lead to
	below map[string][]string // IDs by dependent
}

func newLinks(r *solve.Resolution) *links {
	g := &links{to: map[string][]Link{}, below: map[string][]string{}}
	add := func(by string, peer bool, edges []solve.Edge) {
		for _, e := range edges {
			if e.To != "" {
				l := Link{by, e.Group, e.Name, e.Constraint, peer, e.To}
				g.to[e.To] = append(g.to[e.To], l)
				g.below[by] = append(g.below[by], e.To)
				if by == "" {
					g.roots = append(g.roots, l)
				}
			}
		}
	}
	add("", false, r.Roots)
	for i := range r.Packages {
		n := &r.Packages[i]
		add(n.ID, false, n.Needs)
		add(n.ID, true, n.Peers)
	}
	return g
}

// depths returns the length of the shortest way from a node to every node below it.
func (g *links) depths(from string) map[string]int {
	depth := map[string]int{from: 0}
	for queue := []string{from}; len(queue) > 0; queue = queue[1:] {
		for _, id := range g.below[queue[0]] {
			if _, seen := depth[id]; !seen {
				depth[id] = depth[queue[0]] + 1
				queue = append(queue, id)
			}
		}
	}
	return depth
}

// chains finds every shortest chain to a node from each declaration that leads to it: the shortest of all first.
func (g *links) chains(id string, t *Trace) {
	type way struct {
		root  Link
		depth map[string]int
	}
	var ways []way
	for _, root := range g.roots {
		if depth := g.depths(root.To); root.To == id || depth[id] > 0 {
			ways = append(ways, way{root, depth})
		}
	}
	slices.SortStableFunc(ways, func(a, b way) int { return a.depth[id] - b.depth[id] })
	for _, w := range ways {
		var up func(at string, below []Link)
		up = func(at string, below []Link) {
			if at == w.root.To {
				if len(t.Chains) == mostChains {
					t.More++
				} else {
					t.Chains = append(t.Chains, append([]Link{w.root}, below...))
				}
				return
			}
			for _, l := range g.to[at] {
				if d, reached := w.depth[l.By]; l.By != "" && reached && d == w.depth[at]-1 && t.More < mostMore {
					up(l.By, append([]Link{l}, below...))
				}
			}
		}
		up(id, nil)
	}
}

// mostMore is how many chains are counted beyond those that are told.
const mostMore = 1000
