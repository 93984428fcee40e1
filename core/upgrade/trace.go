package upgrade

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
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
	Chains      [][]Link // every shortest chain from each declaration that leads to it, the shortest first, up to mostChains
	More        int      // how many there are beyond these
	Askers      int      // how many links lead to it in all
	Keepers     []Link   // the links that exclude the next newer release, so that it stays where it is
	Next        string   // that release, "" when there is none
}

// mostChains is how many chains are told.
const mostChains = 100

// TraceLocked tells why each release of a package is in a locked graph, the newest first.
func TraceLocked(ctx context.Context, source universe.Source, r *solve.Resolution, name string) ([]Trace, error) {
	p, err := lookUp(ctx, source, name)
	if err != nil {
		return nil, err
	}
	g := newLinks(r)
	var all []Trace
	for i := range r.Packages {
		n := &r.Packages[i]
		if n.Name != name {
			continue
		}
		t := Trace{ID: n.ID, Version: n.Version, Askers: len(g.to[n.ID])}
		g.chains(n.ID, &t)
		if p != nil {
			t.keptBy(p, g.to[n.ID])
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

// keptBy finds the next newer stable release, and the links that exclude it.
func (t *Trace) keptBy(p *universe.Package, links []Link) {
	for i := p.Index(t.Version) + 1; i > 0 && i < len(p.Releases); i++ {
		if r := &p.Releases[i]; r.Version.Prerelease() || r.Deprecated != "" {
			continue
		}
		t.Next = p.Releases[i].Version.String()
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

// A Fit is a release with whether it resolves with an application.
type Fit struct {
	Release *universe.Release
	Fits    bool
}

// Fits lists the releases of a package that come into question, the newest first, and which of them resolve together
// with an application as it stands, or, with a fixed set, with these releases and none other of their packages. The
// package need not be declared. At most so many releases are looked at, 0 for all. The tangle is that of the newest
// release that does not fit.
func Fits(ctx context.Context, source universe.Source, app Application, name string, most int) ([]Fit, *solve.Tangle, error) {
	p, err := lookUp(ctx, source, name)
	a := &advisor{ctx: ctx, source: source, full: source, app: app, base: app.Locked}
	if d := a.declaration(name); d.As != "" && d.Package != name {
		p, err = lookUp(ctx, source, d.Package)
	}
	switch {
	case err != nil:
		return nil, nil, err
	case p == nil:
		return nil, nil, &WantError{name, notAmong("the registry has no such package", name, app.known())}
	}
	var all []Fit
	var tangle *solve.Tangle
	usable := slices.Collect(a.usable(p, a.locked(name)).All())
	for _, i := range slices.Backward(usable) {
		if most > 0 && len(all) == most {
			break
		}
		problem, err := fitProblem(ctx, source, app, p, name, i)
		if err != nil {
			return nil, nil, err
		}
		r, err := resolveFit(ctx, source, app, problem, tangle == nil)
		if err != nil && asTangle(err) == nil {
			return nil, nil, err
		}
		if tangle == nil {
			tangle = asTangle(err)
		}
		all = append(all, Fit{&p.Releases[i], r != nil})
	}
	return all, tangle, nil
}

func resolveFit(ctx context.Context, source universe.Source, app Application, p solve.Problem, explain bool) (*solve.Resolution, error) {
	app.Fixed = nil // the problem has it
	if explain {
		return resolveRunnable(ctx, source, app, p)
	}
	r, _, err := solve.Try(ctx, Runnable(source, app), p)
	return r, err
}

// fitProblem states an application with a package at one release, beside its fixed set.
func fitProblem(ctx context.Context, source universe.Source, app Application, p *universe.Package, name string, w int) (solve.Problem, error) {
	problem := app.Problem()
	v := p.Releases[w].Version.String()
	declared := false
	for i := range problem.Roots {
		if r := &problem.Roots[i]; r.As == name {
			r.Among, r.Text, declared = []string{v}, v, true
		}
	}
	if !declared {
		problem.Roots = append(problem.Roots, solve.Root{Demand: universe.Demand{As: name, Package: p.Name, Text: v}, Group: "", Among: []string{v}})
	}
	problem.Refuse = map[string][]string{}
	for fixed, version := range app.Fixed {
		if fixed == p.Name {
			continue
		}
		other, err := lookUp(ctx, source, fixed)
		if err != nil {
			return problem, err
		}
		if other == nil || other.Index(version) < 0 {
			continue // nothing that the registry knows needs it at a release that is not there
		}
		for _, r := range other.Versions() {
			if r.String() != version {
				problem.Refuse[fixed] = append(problem.Refuse[fixed], r.String())
			}
		}
	}
	return problem, nil
}

// Advice is a better constraint for a package, with the reason.
type Advice struct {
	Constraint, Reason string
	Breaking           bool // following it is a breaking move from what is locked
}

// Advise looks for the nearest constraint that admits the newest release which resolves with an application, or that
// narrows one which admits everything. It returns nil when the constraint can stay.
func Advise(ctx context.Context, source universe.Source, app Application, name, constraint string) (*Advice, error) {
	fits, _, err := Fits(ctx, source, app, name, 0)
	if err != nil {
		return nil, err
	}
	newest := slices.IndexFunc(fits, func(f Fit) bool { return f.Fits && f.Release.Deprecated == "" })
	if newest < 0 {
		return nil, nil
	}
	v := fits[newest].Release.Version
	c, err := app.Scheme.Constrain(constraint)
	if err != nil {
		return nil, err
	}
	locked := versionOf(app.Locked, name)
	switch {
	case !c.Bounded():
		at, why := v, "the newest release that resolves with the rest"
		if here, err := app.Scheme.Parse(locked); err == nil {
			at, why = here, "what is locked"
		}
		return &Advice{app.Scheme.Styled(version.NextMinor, at), fmt.Sprintf("%s admits every major that will ever come; this keeps to %s, %s, and what is compatible with it", constraint, at, why), false}, nil
	}
	if here, err := app.Scheme.Parse(locked); err == nil {
		compatible := slices.IndexFunc(fits, func(f Fit) bool {
			return f.Fits && f.Release.Deprecated == "" && f.Release.Version.Compare(here) >= 0 && !app.Scheme.Breaking(here, f.Release.Version)
		})
		if compatible >= 0 && !version.Admits(c, fits[compatible].Release.Version) {
			w := fits[compatible].Release.Version
			return &Advice{app.Scheme.Restyle(constraint, w), fmt.Sprintf("%s refuses %s, the newest release that resolves with the rest and does not break with %s, which is locked", constraint, w, here), false}, nil
		}
		if !version.Admits(c, v) && app.Scheme.Breaking(here, v) {
			return &Advice{app.Scheme.Restyle(constraint, v), fmt.Sprintf("%s refuses %s, the newest release that resolves with the rest; that is a breaking move from %s, which is locked", constraint, v, here), true}, nil
		}
	}
	if !version.Admits(c, v) {
		return &Advice{app.Scheme.Restyle(constraint, v), fmt.Sprintf("%s refuses %s, the newest release that resolves with the rest", constraint, v), false}, nil
	}
	return nil, nil
}
