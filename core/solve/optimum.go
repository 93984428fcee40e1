package solve

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"molt/core/universe"
)

// A SoftConstraint asks that a package keeps to some of its releases: what serves a declared name,
// or every release of the package in the whole graph. Doing without the package fulfils it too.
type SoftConstraint struct {
	As      string // a declared name; "" when the soft constraint holds wherever the package stands
	Package string
	Among   []string // versions
}

// An Objective counts the soft constraints that a resolution does not fulfil: the fewer, the better.
type Objective struct {
	Name string
	Soft []SoftConstraint
}

// A Best is the best resolution that was found.
type Best struct {
	Resolution *Resolution
	Cost       []int // what it costs, by objective
	Bound      []int // no resolution costs less, compared objective by objective, the first difference deciding
}

// Proven reports whether no resolution is better.
func (b *Best) Proven() bool { return slices.Equal(b.Cost, b.Bound) }

// An Optimizer finds the best resolution of a problem for a list of objectives, the first of which matters most.
//
// It keeps a list of cores, sets of soft constraints that were refuted together. The cheapest set
// of soft constraints that meets every core (a hitting set) is a lower bound on what a resolution
// costs; giving these up is tried next, and either it resolves, which proves the optimum, or there
// is a new core (Moreno-Centeno and Karp, "The implicit hitting set approach to solve combinatorial
// optimization problems", 2013; Davies and Bacchus, "Solving MAXSAT by solving a sequence of
// simpler SAT instances", 2011). Where we depart from the papers: costs are vectors, and giving up
// a soft constraint gives up every stricter one about the same package with it.
type Optimizer struct {
	// Effort bounds how many times a call of Minimize may narrow a domain once it has a resolution; 0 is no bound. Unlike
	// the context's deadline it gives the same result on every machine.
	Effort int
	// Draft leaves second copies in the result that another release could replace, for a caller who
	// goes on from it or looks only at what is declared. It is much faster.
	Draft bool

	ctx        context.Context
	source     universe.Source
	problem    Problem
	objectives int
	soft       []soft
	solver     *solver // with the soft constraints as assumptions
	cores      [][]int32
	best       *Resolution
	cost       []int
}

// A soft is a SoftConstraint with its assumption. Entails lists the soft constraints, itself among
// them, that are not fulfilled when it is not.
type soft struct {
	SoftConstraint
	objective  int
	assumption assumption
	entails    []int
}

// NewOptimizer makes an optimizer for a problem.
func NewOptimizer(ctx context.Context, source universe.Source, p Problem) *Optimizer {
	return &Optimizer{ctx: ctx, source: source, problem: p.sharing()}
}

// Minimize adds objectives, of less weight than all before, and returns the best resolution for all of them; nil when
// there is no resolution at all. When Effort or the context's time runs out after a resolution was found, that is no
// error: the best so far is returned with the bound reached.
func (o *Optimizer) Minimize(objectives ...Objective) (*Best, error) {
	for _, objective := range objectives {
		for _, w := range objective.Soft {
			if err := o.add(w); err != nil {
				return nil, err
			}
		}
		o.objectives++
	}
	if o.best != nil {
		o.cost = o.costOf(o.best)
	}
	var all []assumption
	for k := range o.soft {
		all = append(all, o.soft[k].assumption)
	}
	if o.solver == nil || !o.solver.extend(all) {
		assumed := o.problem
		assumed.assumptions = all
		o.solver = newSolver(o.ctx, o.source, assumed, nil)
	}
	bound := make([]int, o.objectives)
	for {
		given, err := o.hit()
		if err == nil {
			bound = o.price(given)
			if o.best != nil && slices.Compare(bound, o.cost) >= 0 {
				return o.finish(bound)
			}
			var none bool
			if none, err = o.improve(given); none {
				return nil, nil
			}
		}
		switch {
		case o.best != nil && (errors.Is(err, errSpent) || errors.Is(err, context.DeadlineExceeded)):
			return o.finish(bound)
		case err != nil:
			return nil, err
		}
	}
}

// errSpent ends a run whose effort is used up.
var errSpent = errors.New("the effort allowed is spent")

// add puts a soft constraint among the others, with what it entails.
func (o *Optimizer) add(w SoftConstraint) error {
	p, err := o.source.Package(o.ctx, w.Package)
	var unknown *universe.UnknownError
	if errors.As(err, &unknown) { // nothing of it can be chosen, which fulfils the soft constraint
		return nil
	}
	if err != nil {
		return fmt.Errorf("soft constraint about %s: %w", w.Package, err)
	}
	l := assumption{as: w.As, set: newDomain(p.Len())}
	if w.As == "" {
		l.pkg = w.Package
	}
	for _, text := range w.Among {
		if i := p.Index(text); i >= 0 {
			l.set.add(i)
		}
	}
	l.set.add(p.Len())
	k := len(o.soft)
	next := soft{w, o.objectives, l, []int{k}}
	for i := range o.soft {
		other := &o.soft[i]
		if other.Package != w.Package {
			continue
		}
		if entails(next, *other) {
			next.entails = append(next.entails, i)
		}
		if entails(*other, next) {
			other.entails = append(other.entails, k)
		}
	}
	o.soft = append(o.soft, next)
	return nil
}

// entails reports whether a, about the same package, is not fulfilled without b being not fulfilled either.
func entails(a, b soft) bool {
	return (b.As == "" || a.As == b.As) && within(b.assumption.set, a.assumption.set)
}

// improve gives up some soft constraints, and more as long as that does not resolve, each time
// those of a new core. It reports that there is no resolution whatever is given up.
func (o *Optimizer) improve(given []bool) (none bool, err error) {
	for {
		var asked []int32
		for k := range o.soft {
			if !given[k] {
				asked = append(asked, int32(k))
			}
		}
		solved, core, err := o.try(asked)
		if err != nil || solved {
			return false, err
		}
		if core, err = o.shrink(core); err != nil {
			return false, err
		}
		if len(core) == 0 {
			return true, nil
		}
		o.cores = append(o.cores, core)
		for _, k := range core {
			o.give(given, int(k))
		}
	}
}

// try solves with some of the soft constraints; when that cannot be, it returns those that were refuted together.
func (o *Optimizer) try(asked []int32) (solved bool, core []int32, err error) {
	s := o.solver
	for again := true; again; { // as in solver.finish, but a reset forgets what is asked for
		s.asked = asked
		s.most = 0
		if o.best != nil {
			s.most = o.Effort
		}
		if solved, err = s.run(); err != nil {
			return false, nil, err
		}
		if again = solved && s.stale; again {
			s.reset()
		}
	}
	if !solved {
		return false, s.core, nil
	}
	r, err := s.extract()
	if errors.Is(err, errFrozen) {
		s.melt()
		s.reset()
		return o.try(asked)
	}
	if errors.Is(err, ErrEndless) {
		return false, asked, nil
	}
	if err != nil {
		return false, nil, err
	}
	if cost := o.costOf(r); o.best == nil || slices.Compare(cost, o.cost) < 0 {
		o.best, o.cost = r, cost
	}
	return true, nil, nil
}

// mostShrunk is the size of the largest core that is looked through for soft constraints to leave out.
const mostShrunk = 64

// shrink leaves out of a core what it does not need: a smaller one says more.
func (o *Optimizer) shrink(core []int32) ([]int32, error) {
	if len(core) < 4 && o.best != nil || len(core) > mostShrunk { // hardly worth the runs
		return core, nil
	}
	for i := 0; i < len(core); {
		solved, smaller, err := o.try(slices.Delete(slices.Clone(core), i, i+1))
		switch {
		case err != nil:
			return nil, err
		case solved:
			i++
		default: // what stood before i stays needed: it was in every core so far
			core = smaller
			i = min(i, len(core))
		}
	}
	return core, nil
}

// costOf counts the soft constraints that a resolution does not fulfil.
func (o *Optimizer) costOf(r *Resolution) []int {
	cost := make([]int, o.objectives)
	versions := r.Versions()
	for i := range o.soft {
		if !o.soft[i].fulfilled(r, versions) {
			cost[o.soft[i].objective]++
		}
	}
	return cost
}

func (w *soft) fulfilled(r *Resolution, versions map[string][]string) bool {
	if w.As != "" {
		n := r.Root(w.As)
		return n == nil || slices.Contains(w.Among, n.Version)
	}
	return !slices.ContainsFunc(versions[w.Package], func(v string) bool { return !slices.Contains(w.Among, v) })
}

// give marks a soft constraint as given up, and what it entails.
func (o *Optimizer) give(given []bool, k int) {
	for _, e := range o.soft[k].entails {
		given[e] = true
	}
}

// price adds up what giving up some soft constraints costs.
func (o *Optimizer) price(given []bool) []int {
	cost := make([]int, o.objectives)
	for k, g := range given {
		if g {
			cost[o.soft[k].objective]++
		}
	}
	return cost
}

// last solves the problem of the result, in which the numbered soft constraints hold: with what the
// searches so far have learned.
func (o *Optimizer) last(p Problem, fulfilled []int32) (*Resolution, error) {
	s := o.solver
	s.prefer(p.Keep)
	defer s.prefer(o.problem.Keep)
	s.most = 0
	var r *Resolution
	for r == nil {
		s.asked = fulfilled
		solved, err := s.run()
		switch {
		case err != nil:
			return nil, err
		case !solved:
			return nil, errors.New("a resolution that was found is not found again") // cannot be
		case s.stale:
			s.reset()
			continue
		}
		r, err = s.extract()
		switch {
		case errors.Is(err, errFrozen):
			s.melt()
			s.reset()
		case err != nil:
			return nil, err
		}
	}
	if o.Draft {
		return r, nil
	}
	return refined(o.ctx, o.source, p, r)
}

// finish solves once more with what the best resolution fulfils, so that the rest is as new, and the copies as few, as
// the optimum allows.
func (o *Optimizer) finish(bound []int) (*Best, error) {
	assumed := o.problem
	assumed.Keep = maps.Clone(o.problem.Keep)
	versions := o.best.Versions()
	var fulfilled []int32
	for k := range o.soft {
		if o.soft[k].fulfilled(o.best, versions) {
			assumed.assumptions = append(assumed.assumptions, o.soft[k].assumption)
			fulfilled = append(fulfilled, int32(k))
		} else {
			delete(assumed.Keep, o.soft[k].Package)
		}
	}
	r, err := o.last(assumed, fulfilled)
	switch {
	case err == nil:
		o.best, o.cost = r, o.costOf(r)
	case !errors.Is(err, context.DeadlineExceeded): // otherwise what is there is as good by all that was asked for
		return nil, err
	}
	return &Best{o.best, o.cost, bound}, nil
}
