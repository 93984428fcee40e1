// Package solve finds a complete set of releases for an application, or the minimal set of demands that forbids one.
//
// The search is conflict-driven with clause learning (Marques-Silva and Sakallah, "GRASP", 1999; Moskewicz et al.,
// "Chaff", 2001) over variables with finite domains instead of booleans (Ohrimenko, Stuckey and Codish, "Propagation
// via lazy clause generation", 2009). A variable is an edge of the dependency graph, "the release that this dependent
// gets under that name"; a domain is a bit set over the published releases of one package, with one bit more for
// "none". A clause is a disjunction of terms "variable is in set". Where we depart from the papers: variables and
// clauses come into being while the search reaches them, so that only metadata that matters is asked for, and a
// clause made from one release's demand is widened to all releases that make the same demand.
//
// Under nested tenancy every edge is a variable of its own, and what a package's peers are depends on where it
// stands. How that is kept finite and complete is told in instance.go. [Verify] checks a result by definition, and
// shares no code with the search.
package solve

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"molt/core/universe"
)

// A Problem is what an application asks for.
type Problem struct {
	Strategy Strategy
	Roots    []Root
	// Single names the packages of which there is one release in the whole application even under nested tenancy: the
	// goal and its family.
	Single []string
	// Outside names what the application has from elsewhere though no foreign root says so: peers on it are not checked.
	Outside []string
	// Keep names releases to prefer, by package, in no order: what is locked.
	Keep map[string][]string
	// Refuse names releases that must not be used, by package.
	Refuse map[string][]string

	// KeepEdges names releases to prefer for single edges, before Keep: what each dependent is locked to.
	KeepEdges map[EdgeKey]string

	// Base is a resolution that this one continues, nil for none. What the problem leaves of it as it is, the search need
	// not look at. Whether there is a resolution does not depend on it; nobody need have verified it.
	Base *Base

	assumptions []assumption    // what an Optimizer restricts further
	absent      map[Demand]bool // optional needs that are left out
	shared      *shared
}

// A Root is a declaration of the application's manifest. Several roots may declare the same name; all must hold.
type Root struct {
	universe.Demand
	Group string
	// Apart names a part of the application that stands apart, "" for none: under nested tenancy,
	// what it declares is seen by the packages that it declares only, under the name Own, and
	// before what the application has under that name. As is a name of its own then.
	Apart, Own string
	// Among, when it is not nil, replaces the constraint: any of these versions will do.
	Among []string
}

// A Resolution is a whole dependency graph.
type Resolution struct {
	Roots    []Edge // in the order of Problem.Roots
	Packages []Node // sorted by ID
	// Folded says that the needs form a cycle which never comes to the same context twice, so that contexts which see the
	// same releases stand for one another: a peer then leads to the right release, but not always to the right context.
	Folded bool
}

// A Node is a release at one context of the graph. The same release stands in several nodes only where its peers, or
// those of something it needs, differ.
type Node struct {
	ID      string // name@version, with a suffix where the release stands in several contexts
	Name    string
	Version string
	Needs   []Edge // sorted by Name
	Peers   []Edge // sorted by Name
}

// An Edge leads from a dependent to the node that serves it under a name.
type Edge struct {
	Name       string // the name that the dependent uses
	Package    string // the package's own name
	Constraint string
	Group      string // roots only
	Apart, Own string // the same, as Root has them
	Optional   bool
	Foreign    bool
	When       string // the condition under which it holds, as universe.Demand has it
	To         string // the ID of a node, "" for an absent optional or a foreign one
}

// Node returns the node of that ID, or nil.
func (r *Resolution) Node(id string) *Node {
	if i, found := slices.BinarySearchFunc(
		r.Packages, id, func(n Node, id string) int { return strings.Compare(n.ID, id) }); found {
		return &r.Packages[i]
	}
	for i := range r.Packages {
		if r.Packages[i].ID == id {
			return &r.Packages[i]
		}
	}
	return nil
}

// Root returns the node that serves a declared name, or nil.
func (r *Resolution) Root(name string) *Node {
	for _, e := range r.Roots {
		if e.Name == name && e.To != "" {
			return r.Node(e.To)
		}
	}
	return nil
}

// Versions returns the versions of each package in the graph, for Problem.Keep.
func (r *Resolution) Versions() map[string][]string {
	all := make(map[string][]string, len(r.Packages))
	texts := make([]string, len(r.Packages)) // one memory for all
	for from := 0; from < len(r.Packages); {
		name, to := r.Packages[from].Name, from
		for ; to < len(r.Packages) && r.Packages[to].Name == name; to++ { // the nodes of a package follow one another
			texts[to] = r.Packages[to].Version
		}
		if before, there := all[name]; there { // or nearly so
			all[name] = append(before, texts[from:to]...)
		} else {
			all[name] = texts[from:to:to]
		}
		from = to
	}
	return all
}

// An EdgeKey is an edge by who asks (name@version, "" for the application, PartName for a part of
// it) and for what name.
type EdgeKey struct{ By, Name string }

// A shared is what the searches of one call have in common.
type shared struct {
	grouped bool // one of them made too many contexts; see grouped.go
	steps   int  // that all of them took
	drawn   int  // contexts that all of them drew
	// the releases that the first of them that had to end its looks did not look at; see looks.go
	unseen map[string]string
}

// An UndecidedError reports a search that was given up: within so many steps neither a resolution was found nor a proof
// that there is none. The number of steps is the same on every machine.
type UndecidedError struct{ Steps int }

func (e *UndecidedError) Error() string {
	return fmt.Sprintf("not decided after %d steps: the packages can be combined in too many ways; an exact constraint "+
		"on some of them, or a hold, makes them fewer", e.Steps)
}

// The steps that a call may take in all: mostSteps, and stepsPerPackage for every package that it
// met. That is some seconds, and hundreds of times what applications take. Tests change them.
var mostSteps, stepsPerPackage = 1_000_000, 2_000

// Resolve finds a resolution. It is complete: a *Tangle is returned exactly when there is none. It
// is deterministic: the result depends on the problem and the source's answers only, and not on
// the order of the roots. Among the resolutions it prefers kept releases, then releases that the
// graph holds already, then those that the strategy takes; afterwards it removes every second
// release of a package that a single one could replace. Other errors are an
// *UndecidedError, ErrEndless, or come from the source or the context.
func Resolve(ctx context.Context, source universe.Source, p Problem) (*Resolution, error) {
	p = p.sharing()
	r, proof, err := search(ctx, source, p, nil)
	if err != nil {
		return nil, err
	}
	if r == nil {
		return nil, tangles(ctx, source, p, proof)
	}
	return refined(ctx, source, p, r)
}

// Refute returns a tangle of a problem; nil where it has a resolution, which is not made. It is
// Resolve for a caller who wants a reason and neither the resolution nor further tangles.
func Refute(ctx context.Context, source universe.Source, p Problem) (*Tangle, error) {
	p = p.sharing()
	r, proof, err := search(ctx, source, p, nil)
	if err != nil || r != nil {
		return nil, err
	}
	return minimize(ctx, source, p, proof)
}

// refined makes the most of a resolution that was found: without a fold, and with few copies.
func refined(ctx context.Context, source universe.Source, p Problem, r *Resolution) (*Resolution, error) {
	if r.Folded {
		r = unfolded(ctx, source, p, r)
	}
	if !p.Strategy.Single {
		r = fewer(ctx, source, p, r)
	}
	return r, ctx.Err() // interrupted, it could have become another
}

// sharing returns the problem with something that its searches have in common.
func (p Problem) sharing() Problem {
	if p.shared == nil {
		p.shared = &shared{}
	}
	return p
}

// Possible reports whether a resolution exists.
func Possible(ctx context.Context, source universe.Source, p Problem) (bool, error) {
	p = p.sharing()
	if p.Strategy.Single { // where every assignment can be drawn
		s := newSolver(ctx, source, p, nil)
		defer s.end()
		return s.finish()
	}
	r, _, err := search(ctx, source, p, nil)
	return r != nil, err
}

// ErrEndless reports that releases can be chosen, but that no finite graph of them was found.
var ErrEndless = errors.New("the packages need each other in a cycle that never comes to the same context twice")

// search runs the solver until the solution is whole: whenever it turns out that the context of a package matters
// which was taken as one, the search starts over with that knowledge. A nil resolution comes with the demands that
// the refutation used. With a focus, a resolution that is found is not drawn.
func search(ctx context.Context, source universe.Source, p Problem, f *focus) (*Resolution, []Demand, error) {
	s := newSolver(ctx, source, p, f)
	defer s.end()
	solved, err := s.finish()
	switch {
	case err != nil:
		return nil, nil, err
	case !solved:
		return nil, s.proof(), nil
	case f != nil:
		return &Resolution{}, nil, nil
	}
	r, err := s.extract()
	if errors.Is(err, errFrozen) {
		p.Base = nil
		return search(ctx, source, p, f)
	}
	return r, nil, err
}

// finish runs the search until it need not be repeated.
func (s *solver) finish() (bool, error) {
	for {
		solved, err := s.run()
		if err != nil || !solved || !s.stale {
			return solved, err
		}
		s.reset()
	}
}

// Proof is Try with all the demands that the refutation used, of which some may not be needed.
func Proof(ctx context.Context, source universe.Source, p Problem) (*Resolution, []Demand, error) {
	return search(ctx, source, p.sharing(), nil)
}

// Try is Resolve without the tangle: when there is no resolution it returns nil and the declared names whose demands
// the refutation used, sorted. That is cheaper, and enough for a caller who gives way in one of them and tries again.
func Try(ctx context.Context, source universe.Source, p Problem) (*Resolution, []string, error) {
	p = p.sharing()
	r, proof, err := search(ctx, source, p, nil)
	if err != nil || r != nil {
		return r, nil, err
	}
	var names []string
	for _, d := range proof {
		if d.Kind == Declared {
			names = append(names, d.As)
		}
	}
	slices.Sort(names)
	return nil, slices.Compact(names), nil
}
