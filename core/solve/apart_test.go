package solve

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// withParts gives an application parts that stand apart, with a few declarations each.
func withParts(random *rand.Rand, source universe.Table, p Problem) Problem {
	names := slices.Sorted(maps.Keys(source))
	for _, part := range []string{"x", "y"}[:1+random.IntN(2)] {
		for _, k := range random.Perm(len(names))[:1+random.IntN(3)] {
			r := Root{Group: part, Apart: part, Own: names[k]}
			r.As, r.Package, r.Text = names[k]+" in "+part, names[k], []string{"*", "1", "2", "^1", "<3", "1||3"}[random.IntN(6)]
			p.Roots = append(p.Roots, r)
		}
	}
	return p
}

// explicit states a problem without parts: each is a package that the application needs.
func explicit(source universe.Table, p Problem) (universe.Table, Problem) {
	all, q := maps.Clone(source), p
	q.Roots = nil
	needs := map[string][]universe.Demand{}
	for _, r := range p.Roots {
		if r.Apart == "" {
			q.Roots = append(q.Roots, r)
			continue
		}
		needs[r.Apart] = append(needs[r.Apart], universe.Demand{As: r.Own, Package: r.Package, Text: r.Text})
	}
	v, _ := ranges.Scheme.Parse("1.0.0")
	for part, demands := range needs {
		all[part] = universe.NewPackage(part, ranges.Scheme, []universe.Release{{Version: v, Needs: demands}})
		q.Roots = append(q.Roots, Root{Demand: universe.Demand{As: part, Package: part, Text: "*"}})
	}
	return all, q
}

// A part that stands apart is as a package that the application needs. What is solved verifies,
// what is refuted has a minimal tangle of the lines as they are declared, and an optimum is no
// worse than that of the package.
func TestPartsAreAsPackages(t *testing.T) {
	ctx := context.Background()
	found := map[string]int{}
	for seed := range uint64(seeds(300)) {
		random := rand.New(rand.NewPCG(seed, 23))
		text := randomUniverse(random)
		source, p := sketch(t, text)
		p = withParts(random, source, p)
		if random.IntN(3) == 0 && slices.ContainsFunc(p.Roots, func(r Root) bool { return r.As == "b" }) {
			p.Single = []string{"b"}
		}
		fail := func(says string, args ...any) {
			t.Helper()
			t.Fatalf("seed %d: %s\n%s\n%+v", seed, fmt.Sprintf(says, args...), text, p.Roots)
		}
		want := possible(explicit(source, p))
		r, err := Resolve(ctx, source, p)
		var tangle *Tangle
		switch {
		case errors.Is(err, ErrEndless):
			continue
		case errors.As(err, &tangle):
			if want {
				fail("brute force finds a resolution; %v", err)
			}
			found["refuted"]++
			for k := -1; k < len(tangle.Demands); k++ {
				kept := slices.Clone(tangle.Demands)
				if k >= 0 {
					kept = slices.Delete(kept, k, k+1)
				}
				if got := possible(explicit(restrict(source, p, kept))); got != (k >= 0) {
					fail("%v\nwithout number %d it resolves: %v", tangle, k, got)
				}
			}
			continue
		case err != nil || !want:
			fail("brute force finds no resolution; %v", err)
		}
		found["solved"]++
		if err := Verify(ctx, source, p, r); err != nil {
			fail("%v", err)
		}
		if apart(r) {
			found["two releases"]++
		}
		// The edges of parts are not led to something else unnoticed.
		for i, e := range r.Roots {
			for _, n := range r.Packages {
				if e.Apart != "" && n.Name == e.Package && n.ID != e.To {
					other := *r
					other.Roots = slices.Clone(r.Roots)
					other.Roots[i].To = n.ID
					if Verify(ctx, source, p, &other) == nil && n.Version != r.Node(e.To).Version {
						found["another will do"]++
					}
				}
			}
		}
		if i := slices.IndexFunc(p.Roots, func(r Root) bool { return r.As == "a in x" }); i >= 0 {
			best, err := NewOptimizer(ctx, source, p).Minimize(
				Objective{Soft: []SoftConstraint{{As: "a in x", Package: "a", Among: []string{"1.0.0"}}}})
			if err != nil || best == nil || Verify(ctx, source, p, best.Resolution) != nil {
				fail("no optimum: %v, %+v", err, best)
			}
			first := p
			first.Roots = slices.Clone(p.Roots)
			first.Roots[i].Text = "1"
			can := possible(explicit(source, first))
			if admitted, _ := source["a"].Admit(p.Roots[i].Text); !admitted.Has(0) {
				can = false
			}
			if can != (best.Cost[0] == 0) || can != (best.Resolution.Root("a in x").Version == "1.0.0") {
				fail("the first release of a in x: possible %v, costs %v", can, best.Cost)
			}
			found["optima"]++
		}
	}
	t.Log(found)
	for _, what := range []string{"solved", "refuted", "two releases", "optima"} {
		if found[what] < seeds(300)/50 {
			t.Errorf("only %d of %q", found[what], what)
		}
	}
}

// apart reports whether a part and the application have different releases under one name.
func apart(r *Resolution) bool {
	for _, e := range r.Roots {
		if top := r.Root(e.Own); e.Apart != "" && top != nil && top.ID != e.To {
			return true
		}
	}
	return false
}

// What a part declares is assumed, kept and preferred like what the application declares.
func TestPartsAreDeclarations(t *testing.T) {
	source, p := sketch(t, "app: a@1\na@1:\na@2:\na@3: c@*\nb@1: peer:a@*\nc@1: peer:b@*\nc@2:")
	for _, word := range []string{"a", "b"} {
		r := Root{Group: "g", Apart: "x", Own: word}
		r.As, r.Package, r.Text = word+" in x", word, "*"
		p.Roots = append(p.Roots, r)
	}
	ctx := context.Background()
	check := func(what, want string, r *Resolution, err error) {
		t.Helper()
		if err != nil || Verify(ctx, source, p, r) != nil {
			t.Fatalf("%s: %v, %v", what, err, Verify(ctx, source, p, r))
		}
		if got := r.Root("a").ID + " " + r.Root("a in x").ID + " sees " + r.Root("b in x").Peers[0].To; got != want {
			t.Errorf("%s: %s, want %s", what, got, want)
		}
	}
	r, err := Resolve(ctx, source, p)
	check("the release that is there already", "a@1.0.0 a@1.0.0 sees a@1.0.0", r, err)
	p.KeepEdges, p.Keep = map[EdgeKey]string{{PartName("x"), "a"}: "2.0.0"}, map[string][]string{"a": {"1.0.0", "2.0.0"}}
	r, err = Resolve(ctx, source, p)
	check("kept", "a@1.0.0 a@2.0.0 sees a@2.0.0", r, err)
	p.KeepEdges, p.Keep = nil, nil
	p.Roots[1].Among = []string{"3.0.0"}
	r, err = Resolve(ctx, source, p)
	check("among", "a@1.0.0 a@3.0.0 sees a@3.0.0", r, err)
	p.Roots[1].Among = nil
	o := NewOptimizer(ctx, source, p)
	best, err := o.Minimize(Objective{
		Soft: []SoftConstraint{{As: "a in x", Package: "a", Among: []string{"2.0.0", "3.0.0"}}}})
	if err != nil {
		t.Fatal(err)
	}
	if best.Cost[0] != 0 || best.Resolution.Root("a in x").Version == "1.0.0" ||
		best.Resolution.Root("a").Version != "1.0.0" {
		t.Errorf("costs %v: %+v", best.Cost, best.Resolution.Roots)
	}
	if best, err = o.Minimize(Objective{
		Soft: []SoftConstraint{{As: "a in x", Package: "a", Among: []string{"3.0.0"}}}}); err != nil || best.Cost[1] != 0 {
		t.Fatalf("added later: %+v, %v", best, err)
	}
	check("an assumption", "a@1.0.0 a@3.0.0 sees a@3.0.0", best.Resolution, nil)
}
