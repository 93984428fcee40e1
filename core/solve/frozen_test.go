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
)

// wrapped is a table that can be compared, so that a base remembers what it looks like there.
type wrapped struct{ universe.Table }

// anotherProblem changes what an application asks for, and now and then what packages say.
func anotherProblem(random *rand.Rand, source universe.Table, p Problem) (universe.Table, Problem) {
	q := p
	q.Roots = nil
	for _, r := range p.Roots {
		switch random.IntN(6) {
		case 0: // dropped
			continue
		case 5:
			r.Foreign = !r.Foreign && !slices.Contains(p.Single, r.As)
		case 1, 2:
			r.Among = []string{}
			for _, v := range source[r.Package].Versions() {
				if random.IntN(3) > 0 {
					r.Among = append(r.Among, v.String())
				}
			}
		}
		q.Roots = append(q.Roots, r)
	}
	for _, name := range slices.Sorted(maps.Keys(source)) {
		if random.IntN(4) == 0 && !slices.ContainsFunc(p.Roots, func(r Root) bool { return r.As == name }) {
			r := Root{Group: "dependencies"}
			r.As, r.Package, r.Text, r.Optional = name, name, "*", random.IntN(4) == 0
			q.Roots = append(q.Roots, r)
		}
	}
	changed := maps.Clone(source)
	if random.IntN(3) == 0 {
		names := slices.Sorted(maps.Keys(source))
		name := names[random.IntN(len(names))]
		releases := source[name].Copies()
		k := random.IntN(len(releases))
		if r := &releases[k]; random.IntN(2) == 0 && len(r.Peers) > 0 {
			r.Peers = slices.Clone(r.Peers)
			r.Peers[0].Text = "2"
		} else {
			releases = slices.Delete(releases, k, k+1)
		}
		changed[name] = source[name].With(releases)
	}
	if random.IntN(6) == 0 && source["a"].Len() > 0 {
		q.Refuse = map[string][]string{"a": {source["a"].Version(0).String()}}
	}
	return changed, q
}

// tampered leads some edge of a resolution to another node of the same package.
func tampered(random *rand.Rand, r *Resolution) *Resolution {
	other := &Resolution{Roots: slices.Clone(r.Roots)}
	for _, n := range r.Packages {
		n.Needs, n.Peers = slices.Clone(n.Needs), slices.Clone(n.Peers)
		other.Packages = append(other.Packages, n)
	}
	for range 20 {
		n := &other.Packages[random.IntN(len(other.Packages))]
		edges := n.Peers
		if random.IntN(3) == 0 {
			edges = n.Needs
		}
		if len(edges) == 0 {
			continue
		}
		e := &edges[random.IntN(len(edges))]
		for _, to := range r.Packages {
			if to.Name == e.Package && to.ID != e.To {
				e.To = to.ID
				return other
			}
		}
	}
	return other
}

// What a search takes over from a base changes nothing but how long it takes: there is a resolution
// with it exactly when there is one without, it holds, and the fewest packages that have to move
// are as many.
func TestFrozenAsFresh(t *testing.T) {
	ctx := context.Background()
	solved, refuted, taken := 0, 0, 0
	count := seeds(750)
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 11))
		text := randomUniverse(random)
		table, p := sketch(t, text)
		if seed%4 == 1 {
			p.Single = []string{p.Roots[0].As}
		}
		if seed%5 == 2 && p.Single == nil {
			p.Roots[len(p.Roots)-1].Foreign = true
		}
		before, err := Resolve(ctx, table, p)
		if err != nil || len(before.Packages) == 0 {
			continue
		}
		base := NewBase(before)
		if seed%3 == 2 {
			base = NewBase(tampered(random, before))
		}
		for range 3 {
			changed, fresh := anotherProblem(random, table, p)
			source := &wrapped{changed}
			fresh.Keep, fresh.KeepEdges = before.Versions(), nil
			frozen := fresh
			frozen.Base = base
			want, _, err := Try(ctx, source, fresh)
			if errors.Is(err, ErrEndless) {
				continue
			}
			got, _, gotErr := Try(ctx, source, frozen)
			if err != nil || gotErr != nil || (got == nil) != (want == nil) {
				t.Fatalf("seed %d: %v (%v) with a base, %v (%v) without\n%v\n%s", seed, got != nil, gotErr, want != nil,
					err, fresh.Roots, text)
			}
			if got == nil {
				refuted++
				continue
			}
			solved++
			taken += takenOver(ctx, source, frozen)
			again, err := Resolve(ctx, source, frozen)
			if err != nil {
				t.Fatalf("seed %d: %v\n%s", seed, err, text)
			}
			for _, r := range []*Resolution{got, again} {
				if err := Verify(ctx, source, fresh, r); err != nil {
					t.Fatalf("seed %d: %v\n%v\n%s", seed, err, fresh.Roots, text)
				}
			}
			if err := sameCost(ctx, source, fresh, frozen, before); err != nil {
				t.Fatalf("seed %d: %v\n%v\n%s", seed, err, fresh.Roots, text)
			}
		}
	}
	if solved < count || refuted < count/20 || taken < solved/2 {
		t.Errorf("%d solved, %d refuted, %d packages taken over: the universes are too tame", solved, refuted, taken)
	}
	t.Log(solved, "solved,", refuted, "refuted,", taken, "packages taken over")
}

// takenOver counts the packages of a resolution that were not searched.
func takenOver(ctx context.Context, source universe.Source, p Problem) int {
	s := newSolver(ctx, source, p.sharing(), nil)
	if solved, err := s.finish(); err != nil || !solved || s.takeover == nil {
		return 0
	}
	d := s.drawing(1)
	d.draw()
	return len(d.frozenAt)
}

// sameCost compares how many packages have to move at least.
func sameCost(ctx context.Context, source universe.Source, fresh, frozen Problem, before *Resolution) error {
	keep := Objective{Name: "moved"}
	for _, name := range slices.Sorted(maps.Keys(before.Versions())) {
		keep.Soft = append(keep.Soft, SoftConstraint{Package: name, Among: before.Versions()[name]})
	}
	newer := Objective{Name: "roots that are not the newest"}
	for _, r := range fresh.Roots {
		if p, _ := source.Package(ctx, r.Package); p.Len() > 0 {
			newer.Soft = append(newer.Soft,
				SoftConstraint{As: r.As, Package: r.Package, Among: []string{p.Version(p.Len() - 1).String()}})
		}
	}
	var costs [2]string
	for k, p := range []Problem{fresh, frozen} {
		o := NewOptimizer(ctx, source, p)
		for _, objective := range []Objective{keep, newer} { // one after the other: the search goes on with more
			best, err := o.Minimize(objective)
			if errors.Is(err, ErrEndless) {
				return nil
			}
			if err != nil || best == nil {
				return fmt.Errorf("%s: %v, %v", objective.Name, best, err)
			}
			if err := Verify(ctx, source, p, best.Resolution); err != nil {
				return fmt.Errorf("%s: %w", objective.Name, err)
			}
			costs[k] = fmt.Sprint(best.Cost, best.Proven())
		}
	}
	if costs[0] != costs[1] {
		return fmt.Errorf("costs %s with a base, %s without", costs[1], costs[0])
	}
	return nil
}

// The same on larger universes, of many cycles.
func TestFrozenPlanted(t *testing.T) {
	ctx := context.Background()
	for seed := range seeds(12) {
		random := rand.New(rand.NewPCG(uint64(seed), 7))
		table, p := planted(random, 8+random.IntN(30))
		before, err := Resolve(ctx, table, p)
		if err != nil {
			t.Fatal(err)
		}
		base := NewBase(before)
		for range 3 {
			q := p
			q.Keep, q.Base = before.Versions(), base
			q.Roots = slices.Clone(p.Roots)
			r := &q.Roots[random.IntN(len(q.Roots))]
			at := before.Root(r.As)
			r.Among = []string{}
			for _, v := range table[r.Package].Versions() {
				if at == nil || v.String() != at.Version {
					r.Among = append(r.Among, v.String())
				}
			}
			got, _, err := Try(ctx, &wrapped{table}, q)
			if err != nil && !errors.Is(err, ErrEndless) {
				t.Fatalf("seed %d: %v", seed, err)
			}
			if got != nil {
				if err := Verify(ctx, table, q, got); err != nil {
					t.Errorf("seed %d: %v", seed, err)
				}
			}
		}
	}
}
