package solve

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
)

// A search that groups contexts from the start, or begins to in the middle, answers as one that never does.
func TestGroupedAgainstBruteForce(t *testing.T) {
	alwaysGrouped = true
	defer func() { alwaysGrouped = false }()
	againstBruteForce(t, 800)
	TestAbsurdUniverses(t)
}

func TestGroupedInTheMiddle(t *testing.T) {
	each, spare := contextsPerRelease, contextsSpare
	defer func() { contextsPerRelease, contextsSpare = each, spare }()
	for contextsPerRelease, contextsSpare = 0, 1; contextsSpare < 8; contextsSpare += 4 {
		againstBruteForce(t, seeds(400))
	}
}

// A search that takes too long says so, after the same number of steps every time.
func TestUndecided(t *testing.T) {
	most, each := mostSteps, stepsPerPackage
	defer func() { mostSteps, stepsPerPackage = most, each }()
	mostSteps, stepsPerPackage = 500, 0
	table, p := planted(rand.New(rand.NewPCG(77, 7)), 43)
	steps := map[int]bool{}
	for range 3 {
		_, err := Resolve(context.Background(), table, p)
		var undecided *UndecidedError
		if !errors.As(err, &undecided) || !strings.Contains(err.Error(), "not decided after") {
			t.Fatalf("it ends with %v", err)
		}
		steps[undecided.Steps] = true
	}
	if len(steps) != 1 {
		t.Errorf("the steps were %v", steps)
	}
}

// A tangle that was found stands, when there are no steps left to make it smaller.
func TestTangleWithoutSteps(t *testing.T) {
	most, each := mostSteps, stepsPerPackage
	defer func() { mostSteps, stepsPerPackage = most, each }()
	table, p := sketch(t, `
		app: keel@1 mast@1 sail@1
		keel@1: nail@^1
		mast@1: peer:nail@^2 rope@1
		sail@1: rope@2
		rope@1: nail@^1
		rope@2: nail@^2
		nail@1
		nail@2`)
	p.Single = []string{"nail", "rope"}
	shared := p.sharing()
	if r, proof, err := search(context.Background(), table, shared, nil); err != nil || r != nil || proof == nil {
		t.Fatal(r, proof, err)
	}
	mostSteps, stepsPerPackage = shared.shared.steps+1, 0
	_, err := Resolve(context.Background(), table, p)
	if tangle := AsTangle(err); tangle == nil || len(tangle.Demands) == 0 {
		t.Errorf("it ends with %v", err)
	}
}

// A search hears at once that nobody waits for it any more, whatever it is doing: it asks again and again, and no more once
// it was told.
func TestCancelledSearch(t *testing.T) {
	r := rand.New(rand.NewPCG(77, 7))
	table, p := planted(r, 8+r.IntN(53))
	whole := &patient{Context: context.Background(), until: math.MaxInt}
	p = p.sharing()
	if _, err := Resolve(whole, table, p); err != nil {
		t.Fatal(err)
	}
	if steps := p.shared.steps; whole.asked < steps/2000 {
		t.Errorf("it asked %d times in %d steps", whole.asked, steps)
	}
	for _, part := range []int{100, 9, 3} {
		ctx := &patient{Context: context.Background(), until: whole.asked / part}
		p.shared = nil
		if _, err := Resolve(ctx, table, p); !errors.Is(err, context.Canceled) {
			t.Errorf("after %d of %d: %v", ctx.until, whole.asked, err)
		}
		if late := ctx.asked - ctx.until; late > 20 {
			t.Errorf("it asked %d times more", late)
		}
	}
}

// A patient context ends when it was asked so many times.
type patient struct {
	context.Context
	asked, until int
}

func (c *patient) Err() error {
	if c.asked++; c.asked > c.until {
		return context.Canceled
	}
	return nil
}

// Under single tenancy a name that leads to another package is served by that package, though another has the name.
func TestAliasUnderSingleTenancy(t *testing.T) {
	source, p := sketch(t, "app: a@1 b@1\na@1\nb@1: a=c@* opt:d=a@1\nc@1")
	p.Strategy = Single
	r, err := Resolve(context.Background(), source, p)
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	for _, e := range r.Node("b@1.0.0").Needs {
		got += e.Name + "=" + e.To + " "
	}
	if got != "a=c@1.0.0 d=a@1.0.0 " {
		t.Errorf("b gets %s", got)
	}
	if err := Verify(context.Background(), source, p, r); err != nil {
		t.Error(err)
	}
}

// The order in which a manifest lists its packages changes nothing, in cycles with peers neither.
func TestOrderOfRoots(t *testing.T) {
	for seed := range 200 {
		source, p := sketch(t, randomUniverse(rand.New(rand.NewPCG(uint64(seed), 3))))
		inAnyOrder(t, seed, source, p)
	}
	for seed := range seeds(50) {
		r := rand.New(rand.NewPCG(uint64(seed)+140, 29))
		source, p := planted(r, 6+r.IntN(20))
		inAnyOrder(t, seed, source, p)
	}
}

func inAnyOrder(t *testing.T, seed int, source universe.Source, p Problem) {
	t.Helper()
	one, err1 := Resolve(context.Background(), source, p)
	slices.Reverse(p.Roots)
	two, err2 := Resolve(context.Background(), source, p)
	if (err1 == nil) != (err2 == nil) {
		t.Fatalf("universe %d: %v, %v", seed, err1, err2)
	}
	if err1 == nil && !sameGraph(one, two) {
		t.Errorf("universe %d: in another order\n%v\nnot\n%v", seed, two.Packages, one.Packages)
	}
}

func sameGraph(a, b *Resolution) bool {
	if len(a.Packages) != len(b.Packages) {
		return false
	}
	for i := range a.Packages {
		x, y := a.Packages[i], b.Packages[i]
		if x.ID != y.ID || len(x.Needs) != len(y.Needs) {
			return false
		}
		for k := range x.Needs {
			if x.Needs[k] != y.Needs[k] {
				return false
			}
		}
	}
	return true
}

// What is locked for one edge stays with that edge, also where other edges to the package are
// locked to another release.
func TestKeepEdges(t *testing.T) {
	source, p := sketch(t, "app: lamp@1 flag@^1\nflag@1: rope@* lamp@*\nrope@3: opt:lamp@2\nlamp@1\nlamp@2")
	for _, v := range []string{"1.0.0", "2.0.0"} {
		p.Keep = map[string][]string{"lamp": {"1.0.0", "2.0.0"}, "flag": {"1.0.0"}, "rope": {"3.0.0"}}
		p.KeepEdges = map[EdgeKey]string{
			{By: "flag@1.0.0", Name: "lamp"}: v, {By: "rope@3.0.0", Name: "lamp"}: "2.0.0", {Name: "lamp"}: "1.0.0"}
		r, err := Resolve(context.Background(), source, p)
		if err != nil {
			t.Fatal(err)
		}
		if got := r.Node("flag@1.0.0").Needs[0].To; got != "lamp@"+v {
			t.Errorf("flag gets %s, and was locked to %s", got, v)
		}
	}
}
