package solve

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// Sets of one word and of several do what sets of numbers do.
func TestBitsets(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		n := []int32{1, 5, 62, 63, 64, 65, 127, 128, 200}[random.IntN(9)]
		var r rows
		model := func() (bitset, []int) {
			var b bitset
			var members []int
			for i := range int(n) + 1 {
				if random.IntN(int(n)/2+1) < 2 {
					before := b
					b = r.with(n, b, i)
					r.give(n, before)
					members = append(members, i)
				}
			}
			return b, members
		}
		same := func(what string, got bitset, want []int) {
			t.Helper()
			var all []int
			for i := range int(n) + 1 {
				if r.has(n, got, i) {
					all = append(all, i)
				}
			}
			if !slices.Equal(all, want) {
				t.Fatalf("%d positions, %s: %v, want %v", n, what, all, want)
			}
			first, last := -1, -1
			if len(want) > 0 {
				first, last = want[0], want[len(want)-1]
			}
			if r.first(n, got) != first || r.last(n, got) != last || r.empty(n, got) != (len(want) == 0) ||
				r.single(n, got) != (len(want) == 1) {
				t.Fatalf("%d positions, %s: %v has first %d, last %d, empty %v, single %v", n, what, want, r.first(n, got),
					r.last(n, got), r.empty(n, got), r.single(n, got))
			}
		}
		in := func(all []int, of []int, wanted bool) (some []int) {
			for _, i := range all {
				if slices.Contains(of, i) == wanted {
					some = append(some, i)
				}
			}
			return some
		}
		a, x := model()
		b, y := model()
		same("a", a, x)
		both := in(x, y, true)
		same("and", r.and(n, a, b), both)
		union := append(slices.Clone(x), in(y, x, false)...)
		slices.Sort(union)
		same("or", r.or(n, a, b), union)
		i := random.IntN(int(n) + 1)
		same("without", r.without(n, a, i), in(x, []int{i}, false))
		same("only", r.only(n, i), []int{i})
		same("all but none", r.without(n, r.all(n), int(n)), slices.Collect(func(yield func(int) bool) {
			for i := range int(n) {
				if !yield(i) {
					return
				}
			}
		}))
		if got := r.meets(n, a, b); got != (len(both) > 0) {
			t.Fatalf("%d positions: %v meets %v: %v", n, x, y, got)
		}
		if got := r.within(n, a, b); got != (len(both) == len(x)) {
			t.Fatalf("%d positions: %v within %v: %v", n, x, y, got)
		}
		if got := r.common(n, a, b); len(both) > 0 && !slices.Contains(both, got) || len(both) == 0 && got >= 0 {
			t.Fatalf("%d positions: %v and %v have %d in common", n, x, y, got)
		}
		if got := r.lastCommon(n, a, b); len(both) > 0 && got != both[len(both)-1] || len(both) == 0 && got >= 0 {
			t.Fatalf("%d positions: of %v and %v, %d is the last in common", n, x, y, got)
		}
		same("a still", a, x)
		same("b still", b, y)
	}
}

// padded returns the universe with many more releases of every package, all of which the problem refuses.
func padded(source universe.Table, p Problem) (universe.Table, Problem) {
	all := universe.Table{}
	refuse := map[string][]string{}
	for name, versions := range p.Refuse {
		refuse[name] = slices.Clone(versions)
	}
	for name, pkg := range source {
		releases := pkg.Copies()
		for k := range oneWord + len(name) {
			text := fmt.Sprintf("0.0.%d", k)
			if pkg.Index(text) < 0 {
				v, err := ranges.Scheme.Parse(text)
				if err != nil {
					panic(err) // numbers make versions
				}
				releases = append(releases, universe.Release{Version: v})
				refuse[name] = append(refuse[name], text)
			}
		}
		all[name] = universe.NewPackage(name, ranges.Scheme, releases)
	}
	p.Refuse = refuse
	return all, p
}

// A package with many releases of which none will do is as one that has not got them.
func TestLargePackages(t *testing.T) {
	solved, refuted := 0, 0
	for seed := range seeds(600) {
		text := randomUniverse(rand.New(rand.NewPCG(uint64(seed), 17)))
		source, p := sketch(t, text)
		if seed%2 == 1 {
			p.Strategy = Single
		}
		if seed%5 == 0 {
			p.Single = []string{p.Roots[0].As}
		}
		want, wantErr := Resolve(context.Background(), source, p)
		source, p = padded(source, p)
		got, err := Resolve(context.Background(), source, p)
		var tangle, wanted *Tangle
		switch {
		case errors.As(err, &tangle):
			refuted++
			if !errors.As(wantErr, &wanted) || tangle.Error() != wanted.Error() {
				t.Fatalf("seed %d: %v, without the others %v\n%s", seed, err, wantErr, text)
			}
		case err != nil:
			if wantErr == nil || err.Error() != wantErr.Error() {
				t.Fatalf("seed %d: %v, without the others %v\n%s", seed, err, wantErr, text)
			}
		case want == nil || !sameGraph(got, want):
			t.Fatalf("seed %d: %v, without the others %v\n%s", seed, got, want, text)
		default:
			solved++
		}
	}
	if solved < 100 || refuted < 20 {
		t.Errorf("%d solved and %d refuted: too tame", solved, refuted)
	}
}
