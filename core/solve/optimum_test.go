package solve

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
)

// randomWishes makes up to seven soft constraints in three objectives, about names of the
// application and about whole packages.
func randomWishes(random *rand.Rand, source universe.Table, p Problem) []Objective {
	var names []string
	for _, name := range []string{"a", "b", "c", "d", "e"} {
		if source[name] != nil {
			names = append(names, name)
		}
	}
	all := make([]Objective, 3)
	for n := range 3 + random.IntN(5) {
		w := SoftConstraint{Package: names[random.IntN(len(names))]}
		if root := p.Roots[random.IntN(len(p.Roots))]; random.IntN(3) == 0 {
			w.As, w.Package = root.As, root.Package
		}
		for _, v := range source[w.Package].Versions() {
			if random.IntN(3) > 0 {
				w.Among = append(w.Among, v.String())
			}
		}
		o := &all[n%len(all)]
		o.Soft = append(o.Soft, w)
	}
	return all
}

// cheapestByForce tries every set of soft constraints by definition: a soft constraint about a
// whole package takes its other releases out of the universe, one about a name is one more
// declaration. It returns nil when there is no resolution.
func cheapestByForce(source universe.Table, p Problem, objectives []Objective) []int {
	var soft []SoftConstraint
	var weight []int
	for k, o := range objectives {
		for _, w := range o.Soft {
			soft, weight = append(soft, w), append(weight, k)
		}
	}
	var best []int
	for set := range 1 << len(soft) {
		cost := make([]int, len(objectives))
		only, assumed := universe.Table{}, p
		for name, pkg := range source {
			only[name] = pkg
		}
		assumed.Roots = slices.Clone(p.Roots)
		for k, w := range soft {
			switch {
			case set&(1<<k) == 0:
				cost[weight[k]]++
			case w.As != "":
				text := strings.Join(w.Among, " || ")
				if text == "" {
					text = "9"
				}
				assumed.Roots = append(assumed.Roots, Root{Demand: universe.Demand{As: w.As, Package: w.Package, Text: text}})
			default:
				releases := slices.DeleteFunc(
					only[w.Package].Copies(), func(r universe.Release) bool { return !slices.Contains(w.Among, r.Version.String()) })
				only[w.Package] = universe.NewPackage(w.Package, source[w.Package].Scheme, releases)
			}
		}
		if (best == nil || slices.Compare(cost, best) < 0) && possible(only, assumed) {
			best = cost
		}
	}
	return best
}

func TestOptimumAgainstBruteForce(t *testing.T) {
	count := 600
	if testing.Short() {
		count = 150
	}
	costly, impossible := 0, 0
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 11))
		source, p := sketch(t, randomUniverse(random))
		if seed%2 == 0 {
			p.Strategy = Single
		}
		objectives := randomWishes(random, source, p)
		want := cheapestByForce(source, p, objectives)
		best, err := NewOptimizer(context.Background(), source, p).Minimize(objectives...)
		switch {
		case errors.Is(err, ErrEndless):
			continue
		case err != nil:
			t.Fatal(err)
		case best == nil:
			impossible++
			if want != nil {
				t.Fatalf("seed %d: brute force finds a resolution at %v", seed, want)
			}
			continue
		case !slices.Equal(best.Cost, want) || !best.Proven():
			t.Fatalf("seed %d: the optimum costs %v (bound %v), by force %v", seed, best.Cost, best.Bound, want)
		}
		if err := Verify(context.Background(), source, p, best.Resolution); err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if slices.Max(best.Cost) > 0 {
			costly++
		}
	}
	if costly < count/10 || impossible < count/20 {
		t.Errorf("%d cases cost something and %d are impossible: too tame", costly, impossible)
	}
}

// Objectives that come later weigh less, and leave what was reached before as it is.
func TestObjectivesInOrder(t *testing.T) {
	source, p := sketch(t, `
		app: keel@* deck@*
		keel@1:
		keel@2: deck@2
		deck@1:
		deck@2:`)
	p.Strategy = Single
	o := NewOptimizer(context.Background(), source, p)
	for _, step := range []struct {
		soft SoftConstraint
		want string
	}{
		{SoftConstraint{As: "deck", Package: "deck", Among: []string{"1.0.0"}}, "deck@1.0.0 keel@1.0.0 cost [0]"},
		{SoftConstraint{As: "keel", Package: "keel", Among: []string{"2.0.0"}}, "deck@1.0.0 keel@1.0.0 cost [0 1]"},
	} {
		best, err := o.Minimize(Objective{Soft: []SoftConstraint{step.soft}})
		if err != nil {
			t.Fatal(err)
		}
		var ids []string
		for _, n := range best.Resolution.Packages {
			ids = append(ids, n.ID)
		}
		if got := fmt.Sprintf("%s cost %v", strings.Join(ids, " "), best.Cost); got != step.want {
			t.Errorf("%s, want %s", got, step.want)
		}
	}
}

// impatient lets a context run out after a number of questions.
type impatient struct {
	context.Context
	left *int
}

func (c impatient) Err() error {
	if *c.left--; *c.left < 0 {
		return context.DeadlineExceeded
	}
	return nil
}

// Out of time, the best so far comes with a bound that the true cost keeps.
func TestOptimumOutOfTime(t *testing.T) {
	unproven := 0
	for seed := range 60 {
		random := rand.New(rand.NewPCG(uint64(seed), 11))
		source, p := sketch(t, randomUniverse(random))
		objectives := randomWishes(random, source, p)
		want, err := NewOptimizer(context.Background(), source, p).Minimize(objectives...)
		if err != nil || want == nil {
			continue
		}
		for patience := 2; patience < 200; patience += 7 {
			left := patience
			got, err := NewOptimizer(impatient{context.Background(), &left}, source, p).Minimize(objectives...)
			switch {
			case errors.Is(err, context.DeadlineExceeded):
				continue // not even one resolution
			case err != nil:
				t.Fatal(err)
			case slices.Compare(got.Bound, want.Cost) > 0 || slices.Compare(got.Cost, want.Cost) < 0:
				t.Fatalf("seed %d: cost %v, bound %v; the optimum costs %v", seed, got.Cost, got.Bound, want.Cost)
			case !got.Proven():
				unproven++
			}
		}
	}
	if unproven == 0 {
		t.Error("time never ran out on the way")
	}
}

// A soft constraint about a package that is no longer there asks for nothing.
func TestWishAboutNothing(t *testing.T) {
	source, p := sketch(t, "app: keel@*\nkeel@1:")
	best, err := NewOptimizer(context.Background(), source, p).Minimize(
		Objective{Soft: []SoftConstraint{
			{Package: "ghost", Among: []string{"1.0.0"}}, {Package: "keel", Among: []string{"1.0.0"}}}})
	if err != nil || !best.Proven() || !slices.Equal(best.Cost, []int{0}) {
		t.Errorf("got %+v, %v", best, err)
	}
}
