package solve

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"molt/core/universe"
)

// Kind tells how a demand is made.
type Kind int

// The kinds of demand: by the application's manifest, as a need of a package, as a peer of a package.
const (
	Declared Kind = iota
	Need
	Peer
)

// A Demand is a constraint together with who asks. One of a package stands for all its releases that ask the same.
type Demand struct {
	Kind       Kind
	By         string // the package that asks, "" for the application
	As         string // the name it uses
	Package    string
	Constraint string
	Group      string // of a declared demand
	Optional   bool
}

func (d Demand) String() string {
	by := d.By
	if by == "" {
		by = "the application"
	}
	if says, hinders := universe.Hinders(d.Package); hinders {
		return by + " " + says
	}
	verb := "needs"
	if d.Kind == Peer {
		verb = "has the peer"
	}
	return strings.TrimRight(fmt.Sprintf("%s %s %s %s", by, verb, d.As, d.Constraint), " ")
}

// A Tangle is a minimal set of demands that cannot all hold: without any one of them there is a resolution.
type Tangle struct {
	Demands []Demand // sorted: declared ones first, then by who asks and for what
	// More is how many demands are left out, 0 for none: where there are very many, nobody reads them, and they were not
	// tried one by one.
	More int
	// Unseen are the releases that a search was not allowed to look at, by package, where the tangle rests on that: then
	// nobody knows whether there is a resolution. Nil for none.
	Unseen map[string]string
	// Others are further tangles, found by leaving out the demands of those before: no two share one. There may be more
	// that do.
	Others []*Tangle
}

func (t *Tangle) Error() string {
	lines := []string{"these demands cannot all hold:"}
	for _, d := range t.Demands {
		lines = append(lines, "  "+d.String())
	}
	if t.More > 0 {
		lines = append(lines, fmt.Sprintf("  and %d more like these", t.More))
	}
	return strings.Join(lines, "\n")
}

// proof returns the demands that the refutation rests on.
func (s *solver) proof() []Demand {
	seen := map[int32]bool{} // clauses, and events below zero
	used := map[int32]bool{}
	stack := slices.Clone(s.refuted)
	for len(stack) > 0 {
		id := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[id] {
			continue
		}
		seen[id] = true
		if id < 0 {
			stack = append(stack, s.behind(-1-id)...)
			continue
		}
		switch c := &s.clauses[id]; {
		case c.why >= 0:
			used[c.why] = true
		case c.why < noReason:
			r := s.reasons[-2-c.why]
			for _, d := range s.numbersIn(r.demands) {
				used[d] = true
			}
			stack = append(stack, s.numbersIn(r.parents)...)
		}
	}
	var demands []Demand
	seenDemand := map[Demand]bool{}
	for id := range s.causes {
		if d := s.causes[id].demand(s); used[int32(id)] && !seenDemand[d] {
			seenDemand[d] = true
			demands = append(demands, d)
		}
	}
	return demands
}

// behind returns what stands behind an event of level 0: its clause, the events that made the other
// terms of that false, and the event before on the same variable. Such events are never unwound.
func (s *solver) behind(at int32) []int32 {
	e := &s.trail[at]
	all := []int32{e.reason}
	if e.before >= 0 {
		all = append(all, -1-e.before)
	}
	for _, t := range s.termsOf(e.reason) {
		if t.v == e.v {
			continue
		}
		if since := s.falseSince(t); since != always && since != never {
			all = append(all, int32(-1-since))
		}
	}
	return all
}

// An origin says where a demand was read: in a release of a package, or in a root of the problem.
type origin struct {
	pkg  int32 // the number of the package, -1 for a root
	w, k int32 // release and position in its list, or the number of the root
	peer bool
}

// rootOrigin is the origin of the k-th root.
func rootOrigin(k int) origin { return origin{pkg: -1, k: int32(k)} }

func (o origin) demand(s *solver) Demand {
	if o.pkg < 0 {
		return declaredBy(s.problem.Roots[o.k])
	}
	p := s.loaded.at(o.pkg)
	if o.peer {
		return peerOf(p, p.Peers(int(o.w))[o.k])
	}
	return needOf(p, s.needs(p, int(o.w))[o.k])
}

// cause notes where a demand was read, and returns its number.
func (s *solver) cause(o origin) int32 {
	push(&s.causes, o)
	return int32(len(s.causes) - 1)
}

// mostTangles is how many disjoint tangles are looked for.
const mostTangles = 5

// tangles finds the tangle in a proof, and then others that are disjoint from it.
func tangles(ctx context.Context, source universe.Source, p Problem, proof []Demand) error {
	first, err := minimize(ctx, source, p, proof)
	if err != nil {
		return err
	}
	without := map[Demand]bool{}
	for t := first; t.More == 0 && len(first.Others) < mostTangles-1; {
		for _, d := range t.Demands {
			without[d] = true
		}
		r, proof, err := search(ctx, source, p, &focus{without: without})
		if err != nil || r != nil || len(proof) == 0 {
			break // what was found so far stands, whatever else there is
		}
		if t, err = minimize(ctx, source, p, proof); err != nil {
			break
		}
		first.Others = append(first.Others, t)
	}
	return first
}

// minimize takes away from the demands of a refutation whatever it does not need, one after the other. Declared
// demands are tried last, so that what remains reaches as near to the manifest as it can. Peers make the matter
// peculiar: a need that goes can let a peer be seen that was hidden, so a demand that was needed in a larger set may
// not be in a smaller one, and after every success all are tried again.
//
// Where that takes more steps than a call may take, what is left is a tangle that may not be minimal. Nobody reads a
// tangle of very many demands, and to look at each of them again takes a search: such a one is made smaller by halves,
// as long as a half will do, and then by all that a package asks of another at once.
func minimize(ctx context.Context, source universe.Source, p Problem, proof []Demand) (*Tangle, error) {
	slices.SortStableFunc(proof, func(a, b Demand) int { return cmp.Compare(b.Kind, a.Kind) })
	for len(proof) > mostMinimized {
		half := map[Demand]bool{}
		for i, d := range proof {
			half[d] = i >= len(proof)/2 || d.Kind == Declared
		}
		r, smaller, err := search(ctx, source, p, &focus{only: half})
		if err != nil {
			return nil, err
		}
		if r != nil || strays(proof, smaller) {
			break
		}
		proof = slices.DeleteFunc(proof, func(d Demand) bool { return !half[d] || !slices.Contains(smaller, d) })
	}
	for _, unit := range []func(Demand) Demand{of, func(d Demand) Demand { return d }} {
		smaller, err := without(ctx, source, p, proof, unit)
		var undecided *UndecidedError
		if err != nil && !errors.As(err, &undecided) {
			return nil, err
		}
		proof = smaller // where it was given up, with a demand more than need be
	}
	t := p.asTangle(proof)
	if len(proof) > mostMinimized {
		t.shorten()
	}
	return t, nil
}

// of returns what all the demands of a package on another have in common.
func of(d Demand) Demand { return Demand{Kind: d.Kind, By: d.By, Package: d.Package, Group: d.Group} }

// without leaves out of a proof the demands that are one unit, as long as what is left is one; none where there are too
// many units to try each.
func without(ctx context.Context, source universe.Source, p Problem, proof []Demand,
	unit func(Demand) Demand) ([]Demand, error) {
	units := map[Demand]bool{}
	for _, d := range proof {
		units[unit(d)] = true
	}
	if len(units) > mostMinimized {
		return proof, nil
	}
	tried := map[Demand]bool{}
	for k := 0; k < len(proof); k++ {
		one := unit(proof[k])
		if tried[one] || universe.IsUnseen(proof[k].Package) { // what was not looked at cannot be left out
			continue
		}
		tried[one] = true
		only := map[Demand]bool{}
		for _, d := range proof {
			only[d] = unit(d) != one
		}
		r, smaller, err := search(ctx, source, p, &focus{only: only})
		if err != nil {
			return proof, err
		}
		if r == nil && !strays(proof, smaller) { // what the new proof does not use can go as well
			proof = slices.DeleteFunc(proof, func(d Demand) bool { return !only[d] || !slices.Contains(smaller, d) })
			k = -1
			clear(tried)
		}
	}
	return proof, nil
}

// strays reports whether a smaller proof rests on releases that were not looked at, and a proof
// does not: it was another search that ended its looks.
func strays(proof, smaller []Demand) bool {
	return slices.ContainsFunc(smaller,
		func(d Demand) bool { return universe.IsUnseen(d.Package) && !slices.Contains(proof, d) })
}

// mostMinimized is how many demands a tangle may have of which each was tried, and mostShown how many of a larger one
// are left.
const (
	mostMinimized = 100
	mostShown     = 20
)

// shorten keeps the first demand of a package on another, and of these not too many.
func (t *Tangle) shorten() {
	all, seen := len(t.Demands), map[Demand]bool{}
	t.Demands = slices.DeleteFunc(t.Demands, func(d Demand) bool {
		again := seen[of(d)] || len(seen) >= mostShown
		seen[of(d)] = true
		return again
	})
	t.More = all - len(t.Demands)
}

// asTangle makes a tangle of demands.
func (p Problem) asTangle(demands []Demand) *Tangle {
	t := &Tangle{Demands: demands}
	if slices.ContainsFunc(demands, func(d Demand) bool { return universe.IsUnseen(d.Package) }) {
		t.Unseen = p.shared.unseen
	}
	slices.SortFunc(t.Demands, func(a, b Demand) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.By, b.By), cmp.Compare(a.As, b.As),
			cmp.Compare(a.Constraint, b.Constraint))
	})
	return t
}

// A focus restricts a search to some of the demands. A nil focus takes all into account.
type focus struct {
	only    map[Demand]bool // when not nil, these and no others
	without map[Demand]bool // never these
}

// AsTangle returns the tangle in an error, or nil.
func AsTangle(err error) *Tangle {
	var t *Tangle
	if errors.As(err, &t) {
		return t
	}
	return nil
}
