package solve

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// Verify checks a resolution against its problem, edge by edge and by definition. It knows nothing of the search. The
// error names the first thing that does not hold:
//
//   - every root, need and peer that the metadata states is there, and nothing else;
//   - each is served by a package of the right name at a release that its constraint admits; an optional one may be
//     absent, a foreign one is;
//   - every peer is the node that each dependent of the package sees under that name: what the dependent needs, else
//     what the dependents of the dependent see, up to the application; what the application does not declare is one
//     node for all who look there; in a folded resolution any node of the release that is seen will do;
//   - what a part of the application declares apart is what its packages see;
//   - every node is reached from the application;
//   - a package that must be single has one release, and stands below the application only.
func Verify(ctx context.Context, source universe.Source, p Problem, r *Resolution) error {
	v := newVerifier(p, r)
	for i := range r.Packages {
		n := &r.Packages[i]
		if v.nodes[n.ID] != nil {
			return fmt.Errorf("%s stands twice", n.ID)
		}
		v.nodes[n.ID] = n
	}
	if err := v.allRoots(ctx, source, p); err != nil {
		return err
	}
	for i := range r.Packages {
		if err := v.stated(ctx, source, p, &r.Packages[i]); err != nil {
			return err
		}
	}
	if err := v.singles(p); err != nil {
		return err
	}
	if slices.ContainsFunc(r.Packages, func(n Node) bool { return len(n.Peers) > 0 }) {
		if err := v.allPeers(ctx, source, p); err != nil {
			return err
		}
	}
	return v.reached()
}

// allPeers looks at the peers of every node.
func (v *verifier) allPeers(ctx context.Context, source universe.Source, p Problem) error {
	v.dependents = make(map[string][]*Node, len(v.nodes))
	for i := range v.r.Packages {
		n := &v.r.Packages[i]
		if p.Strategy.Single && v.named[n.Name] == nil {
			v.named[n.Name] = n
		}
		for _, need := range n.Needs {
			v.dependents[need.To] = append(v.dependents[need.To], n)
		}
	}
	for _, root := range v.r.Roots {
		by := v.parts[root.Apart]
		if root.Foreign {
			by = nil
		}
		v.dependents[root.To] = append(v.dependents[root.To], by)
	}
	for _, part := range v.parts {
		v.dependents[part.ID] = []*Node{nil}
	}
	if !p.Strategy.Single {
		if err := v.provisions(ctx); err != nil {
			return err
		}
	}
	for i := range v.r.Packages {
		err := ctx.Err()
		switch {
		case err != nil:
		case p.Strategy.Single:
			err = v.peersOfOne(ctx, source, &v.r.Packages[i])
		default:
			err = v.peers(&v.r.Packages[i])
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// A verifier looks at one resolution. A nil *Node stands for the application.
type verifier struct {
	r           *Resolution
	nodes       map[string]*Node
	roots       map[string]string // the application's names, with their nodes
	parts       map[string]*Node  // what stands for parts of the application that stand apart
	foreign     map[string]bool   // the names of foreign roots
	named       map[string]*Node  // the first node of each package
	dependents  map[string][]*Node
	provided    map[string]string              // names the application provides undeclared, with their nodes
	providedID  map[string]bool                // those nodes
	places      map[*Node]place                // as far as they were looked up
	constraints map[reading]version.Constraint // nil for what is none
	needs       map[*Node]map[string]*Edge     // by name, of nodes with many
	seen        map[lookup][]string            // what was found so far, for what is provided now
	single      func(string) bool
}

// A place is where a node's release stands in its package, from 0; -1 where it does not.
type place struct {
	pkg *universe.Package
	at  int
}

// A reading is a text that a scheme reads.
type reading struct {
	scheme version.Scheme
	text   string
}

// A lookup is a name that a node looks up.
type lookup struct {
	by   *Node
	name string
}

func newVerifier(p Problem, r *Resolution) *verifier {
	v := &verifier{r: r, nodes: make(map[string]*Node, len(r.Packages)), roots: map[string]string{},
		parts: map[string]*Node{}, foreign: map[string]bool{},
		named: map[string]*Node{}, dependents: map[string][]*Node{}, provided: map[string]string{},
		providedID: map[string]bool{},
		needs:      map[*Node]map[string]*Edge{}, places: make(map[*Node]place, len(r.Packages)),
		constraints: map[reading]version.Constraint{}, seen: map[lookup][]string{}}
	for _, root := range r.Roots {
		if root.Apart != "" && !root.Foreign && !p.Strategy.Single {
			part := v.parts[root.Apart]
			if part == nil {
				part = &Node{ID: "the part " + root.Apart}
				v.parts[root.Apart] = part
			}
			part.Needs = append(part.Needs, Edge{Name: root.Own, Package: root.Package, To: root.To})
			continue
		}
		if _, there := v.roots[root.Name]; !there {
			v.roots[root.Name] = root.To
		}
		if root.Foreign {
			v.foreign[root.Name] = true
		}
	}
	for _, name := range p.Outside {
		v.foreign[name] = true
	}
	v.single = func(name string) bool { return p.Strategy.Single || slices.Contains(p.Single, name) }
	return v
}

func (v *verifier) allRoots(ctx context.Context, source universe.Source, p Problem) error {
	if len(v.r.Roots) != len(p.Roots) {
		return fmt.Errorf("%d roots are asked for, %d are given", len(p.Roots), len(v.r.Roots))
	}
	byName := map[string]string{}
	for i, want := range p.Roots {
		got := v.r.Roots[i]
		if got.Apart != want.Apart || got.Own != want.Own {
			return fmt.Errorf("root %d stands in %q, not in %q", i, got.Apart, want.Apart)
		}
		if got.Name != want.As || got.Package != want.Package || got.Constraint != want.Text {
			return fmt.Errorf("root %d is %s, not %s", i, got.Name, want.As)
		}
		if to, ok := byName[got.Name]; ok && to != got.To {
			return fmt.Errorf("the application gets %s and %s under the name %s", to, got.To, got.Name)
		}
		byName[got.Name] = got.To
		if want.Among != nil && got.To != "" {
			n := v.nodes[got.To]
			if n == nil || n.Name != want.Package || !slices.Contains(want.Among, n.Version) {
				return fmt.Errorf("root %s is served by %s, which is not among %v", got.Name, got.To, want.Among)
			}
			continue
		}
		if err := v.serves(ctx, source, p, "the application", got, want.Demand); err != nil {
			return err
		}
	}
	return nil
}

// serves checks one edge against the demand it stands for.
func (v *verifier) serves(ctx context.Context, source universe.Source, p Problem, by string, e Edge,
	d universe.Demand) error {
	if e.To == "" {
		if d.Optional || d.Foreign {
			return nil
		}
		return fmt.Errorf("%s gets nothing for %s", by, d.As)
	}
	n := v.nodes[e.To]
	if n == nil {
		return fmt.Errorf("%s gets %s, which is not in the graph", by, e.To)
	}
	of, err := v.place(ctx, source, n)
	if err != nil {
		return err
	}
	if of.at < 0 || slices.Contains(p.Refuse[n.Name], n.Version) {
		return fmt.Errorf("%s gets %s, which may not be used", by, e.To)
	}
	if !v.admits(of.pkg, d.Text, of.at) {
		return fmt.Errorf("%s asks for %s %s and gets %s", by, d.As, d.Text, e.To)
	}
	return nil
}

// place looks a node's release up, once.
func (v *verifier) place(ctx context.Context, source universe.Source, n *Node) (place, error) {
	if known, ok := v.places[n]; ok {
		return known, nil
	}
	pkg, err := source.Package(ctx, n.Name)
	if err != nil {
		return place{}, err
	}
	v.places[n] = place{pkg, pkg.Index(n.Version)}
	return v.places[n], nil
}

// admits reports whether a constraint, or a tag, admits a release of a package. Each constraint is read once.
func (v *verifier) admits(pkg *universe.Package, text string, at int) bool {
	key := reading{pkg.Scheme, text}
	c, known := v.constraints[key]
	if !known {
		c, _ = pkg.Scheme.Constrain(text) // nil for a tag
		v.constraints[key] = c
	}
	if c == nil {
		return pkg.Tags[text] == pkg.Version(at).String()
	}
	if _, pointwise := pkg.Scheme.(version.Pointwise); pointwise {
		return version.Admits(c, pkg.Version(at))
	}
	return c.Admit(pkg.Versions()).Has(at)
}

// stated compares a node with the metadata of its release.
func (v *verifier) stated(ctx context.Context, source universe.Source, p Problem, n *Node) error {
	of, err := v.place(ctx, source, n)
	if err != nil {
		return err
	}
	if of.at < 0 {
		return fmt.Errorf("%s was never published", n.ID)
	}
	needs, peers := of.pkg.Needs(of.at), of.pkg.Peers(of.at)
	for _, both := range []struct {
		kind    string
		edges   []Edge
		demands []universe.Demand
	}{{"needs", n.Needs, needs}, {"peers", n.Peers, peers}} {
		if len(both.edges) != len(both.demands) {
			return fmt.Errorf("%s has %d %s, not %d", n.ID, len(both.edges), both.kind, len(both.demands))
		}
		for i, d := range both.demands {
			e := both.edges[i]
			if e.Name != d.As || e.Constraint != d.Text || e.Optional != d.Optional {
				return fmt.Errorf("%s: the edge %s %s stands for %s %s", n.ID, e.Name, e.Constraint, d.As, d.Text)
			}
			if t := v.nodes[e.To]; t != nil && both.kind == "needs" && t.Name != d.Package {
				return fmt.Errorf("%s: %s is served by %s", n.ID, d.Package, e.To)
			}
			if both.kind == "peers" && e.To == "" {
				continue // whether it may be absent is looked at with what its dependents see
			}
			if err := v.serves(ctx, source, p, n.ID, e, d); err != nil {
				return err
			}
		}
	}
	return nil
}

func (v *verifier) singles(p Problem) error {
	release := map[string]string{}
	for _, n := range v.r.Packages {
		if !p.Strategy.Single && !slices.Contains(p.Single, n.Name) {
			continue
		}
		if other, ok := release[n.Name]; ok && other != n.Version {
			return fmt.Errorf("there is a second release of %s: %s and %s", n.Name, other, n.Version)
		}
		release[n.Name] = n.Version
	}
	return nil
}

// sees returns the nodes that serve a name below a dependent, over all ways to it; "" stands for nobody.
func (v *verifier) sees(n *Node, name string, into map[string]bool, visited map[*Node]bool) {
	if n == nil || v.single(name) {
		into[v.application(name)] = true
		return
	}
	if visited[n] {
		return
	}
	visited[n] = true
	if need := v.need(n, name); need != nil && (need.To != "" || need.Foreign) {
		into[need.To] = true
		return
	}
	if v.single(n.Name) || v.providedID[n.ID] {
		v.sees(nil, name, into, visited)
	}
	if v.single(n.Name) {
		return
	}
	for _, d := range v.dependents[n.ID] {
		v.sees(d, name, into, visited)
	}
}

// need returns what a node needs under a name, or nil.
func (v *verifier) need(n *Node, name string) *Edge {
	if len(n.Needs) <= 16 { // fewer than a map is worth
		i := slices.IndexFunc(n.Needs, func(e Edge) bool { return e.Name == name })
		if i < 0 {
			return nil
		}
		return &n.Needs[i]
	}
	if v.needs[n] == nil {
		v.needs[n] = make(map[string]*Edge, len(n.Needs))
		for i := range n.Needs {
			v.needs[n][n.Needs[i].Name] = &n.Needs[i]
		}
	}
	return v.needs[n][name]
}

func (v *verifier) application(name string) string {
	if to, declared := v.roots[name]; declared {
		return to
	}
	return v.provided[name]
}

// provisions finds what the application provides undeclared: what somebody peers on and no one on the way up needs.
// Provided nodes stand below the application themselves, so this goes on until nothing new is found.
func (v *verifier) provisions(ctx context.Context) error {
	nodes := slices.Collect(maps.Values(v.parts))
	for i := range v.r.Packages {
		nodes = append(nodes, &v.r.Packages[i])
	}
	for grew := true; grew; {
		grew = false
		for _, n := range nodes {
			if err := ctx.Err(); err != nil {
				return err
			}
			for _, e := range append(slices.Clone(n.Peers), n.Needs...) {
				isNeed := !slices.ContainsFunc(n.Peers, func(p Edge) bool { return p.Name == e.Name })
				_, declared := v.roots[e.Name]
				if e.To == "" || declared || v.provided[e.Name] != "" || isNeed && !v.single(e.Name) {
					continue
				}
				for _, seen := range v.seenBy(n, e.Name) {
					if seen == "" {
						v.provided[e.Name] = e.To
						v.providedID[e.To] = true
						v.seen = map[lookup][]string{}
						grew = true
						break
					}
				}
			}
		}
	}
	return nil
}

// seenBy returns what the dependents of a node see under a name.
func (v *verifier) seenBy(n *Node, name string) []string {
	look := func(by *Node) []string {
		at := lookup{by, name}
		if _, known := v.seen[at]; !known {
			into := map[string]bool{}
			v.sees(by, name, into, map[*Node]bool{})
			v.seen[at] = slices.Sorted(maps.Keys(into))
		}
		return v.seen[at]
	}
	var from []*Node
	if single := v.single(n.Name); single || v.providedID[n.ID] {
		from = append(from, nil)
		if !single {
			from = append(from, v.dependents[n.ID]...)
		}
	} else {
		from = v.dependents[n.ID]
	}
	if len(from) == 1 {
		return look(from[0])
	}
	var all []string
	for _, by := range from {
		all = append(all, look(by)...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func (v *verifier) peers(n *Node) error {
	for _, peer := range n.Peers {
		if v.foreign[peer.Name] {
			continue
		}
		for _, seen := range v.seenBy(n, peer.Name) {
			if seen != peer.To && !(v.r.Folded && v.sameRelease(seen, peer.To)) {
				return fmt.Errorf("%s has the peer %s as %q, but a dependent sees %q", n.ID, peer.Name, peer.To, seen)
			}
			if seen == "" && !peer.Optional {
				return fmt.Errorf("nobody provides %s to %s", peer.Name, n.ID)
			}
		}
	}
	return nil
}

// peersOfOne checks peers under single tenancy: each is the one node of its package, and an optional one is absent only
// where the whole graph has none.
func (v *verifier) peersOfOne(ctx context.Context, source universe.Source, n *Node) error {
	pkg, err := source.Package(ctx, n.Name)
	if err != nil {
		return err
	}
	for k, d := range pkg.Release(n.Version).Peers {
		e := n.Peers[k]
		one := v.named[d.Package]
		foreign := d.Foreign || v.foreign[d.As]
		switch {
		case foreign:
		case one != nil && one.ID != e.To:
			return fmt.Errorf("%s has the peer %s as %q, and the graph has %s", n.ID, d.As, e.To, one.ID)
		case one == nil && !d.Optional:
			return fmt.Errorf("nobody provides %s to %s", d.As, n.ID)
		}
	}
	return nil
}

func (v *verifier) sameRelease(a, b string) bool {
	x, y := v.nodes[a], v.nodes[b]
	return x != nil && y != nil && x.Name == y.Name && x.Version == y.Version
}

func (v *verifier) reached() error {
	seen := make(map[*Node]bool, len(v.nodes))
	var walk func(edges []Edge)
	walk = func(edges []Edge) {
		for _, e := range edges {
			if n := v.nodes[e.To]; n != nil && !seen[n] {
				seen[n] = true
				walk(n.Needs)
				walk(n.Peers)
			}
		}
	}
	walk(v.r.Roots)
	for i := range v.r.Packages {
		if n := &v.r.Packages[i]; !seen[n] {
			return fmt.Errorf("nothing reaches %s", n.ID)
		}
	}
	return nil
}
