package solve

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// A case is a universe, what the application asks for, and the packages of the resolution, or the tangle's demands.
// The application stands in the same notation, in the line that begins with "app:".
var cases = []struct {
	name, universe string
	packages       string
	tangle         []string
}{
	{name: "newest that is admitted", universe: `
		app: keel@^1 mast@*
		keel@1.0
		keel@1.4
		keel@2.0
		mast@3.0
		mast@4.0-beta`,
		packages: "keel@1.4.0 mast@3.0.0"},
	{name: "a chain of needs", universe: `
		app: keel@^1
		keel@1: rib@^2
		rib@2.1: nail@~3.1
		nail@3.1.4
		nail@3.2`,
		packages: "keel@1.0.0 nail@3.1.4 rib@2.1.0"},
	{name: "a second copy where none serves both", universe: `
		app: keel@1 mast@1
		keel@1: nail@^1
		mast@1: nail@^2
		nail@1
		nail@2`,
		packages: "keel@1.0.0 mast@1.0.0 nail@1.0.0 nail@2.0.0"},
	{name: "one copy where one serves both", universe: `
		app: keel@1 mast@1
		keel@1: nail@*
		mast@1: nail@^1
		nail@1
		nail@2`,
		packages: "keel@1.0.0 mast@1.0.0 nail@1.0.0"},
	{name: "peers choose the plugin's release", universe: `
		app: hulk@^3 rudder@*
		hulk@3
		hulk@4
		rudder@1: peer:hulk@^3
		rudder@2: peer:hulk@^4`,
		packages: "hulk@3.0.0 rudder@1.0.0"},
	{name: "a peer nobody provides is provided", universe: `
		app: rudder@*
		rudder@1: peer:hulk@^3
		hulk@3.1
		hulk@4`,
		packages: "hulk@3.1.0 rudder@1.0.0"},
	{name: "an optional peer stays absent", universe: `
		app: rudder@*
		rudder@1: peer?:hulk@^3
		hulk@3.1`,
		packages: "rudder@1.0.0"},
	{name: "an optional peer that is there must fit", universe: `
		app: rudder@* hulk@*
		rudder@1: peer?:hulk@^3
		hulk@3.1
		hulk@4`,
		packages: "hulk@3.1.0 rudder@1.0.0"},
	{name: "a peer comes from the nearest provider", universe: `
		app: deck@1 hulk@4
		deck@1: rudder@1 hulk@^3
		rudder@1: peer:hulk@^3
		hulk@3
		hulk@4`,
		packages: "deck@1.0.0 hulk@3.0.0 hulk@4.0.0 rudder@1.0.0"},
	{name: "a peer is passed up through a package without it", universe: `
		app: deck@1 hulk@*
		deck@1: rudder@1
		rudder@1: peer:hulk@^3
		hulk@3
		hulk@4`,
		packages: "deck@1.0.0 hulk@3.0.0 rudder@1.0.0"},
	{name: "one release in two peer contexts", universe: `
		app: deck@1 cabin@1
		deck@1: rudder@1 hulk@^3
		cabin@1: rudder@1 hulk@^4
		rudder@1: peer:hulk@*
		hulk@3
		hulk@4`,
		packages: "cabin@1.0.0 deck@1.0.0 hulk@3.0.0 hulk@4.0.0 rudder@1.0.0 beside hulk@3.0.0, rudder@1.0.0 beside " +
			"hulk@4.0.0"},
	{name: "different choices in two contexts", universe: `
		app: deck@1 cabin@1
		deck@1: rope@1 hulk@^3
		cabin@1: rope@1 hulk@^4
		rope@1: rudder@*
		rudder@1: peer:hulk@3
		rudder@2: peer:hulk@4
		hulk@3
		hulk@4`,
		packages: "cabin@1.0.0 deck@1.0.0 hulk@3.0.0 hulk@4.0.0 rope@1.0.0 beside hulk@3.0.0, rope@1.0.0 beside " +
			"hulk@4.0.0, rudder@1.0.0 rudder@2.0.0"},
	{name: "cycles", universe: `
		app: keel@1
		keel@1: mast@1
		mast@1: keel@1 peer:flag@1
		flag@1: peer:keel@1`,
		packages: "flag@1.0.0 keel@1.0.0 mast@1.0.0"},
	{name: "peers of each other", universe: `
		app: keel@* mast@*
		keel@1: peer:mast@1
		keel@2: peer:mast@1
		mast@1: peer:keel@1
		mast@2: peer:keel@1`,
		packages: "keel@1.0.0 mast@1.0.0"},
	{name: "an alias beside its original", universe: `
		app: nail@^2 oldnail=nail@^1
		nail@1
		nail@2`,
		packages: "nail@1.0.0 nail@2.0.0"},
	{name: "an optional need that cannot be met", universe: `
		app: keel@1
		keel@1: opt:lamp@^2 nail@1
		nail@1
		lamp@1`,
		packages: "keel@1.0.0 nail@1.0.0"},
	{name: "an optional need that can", universe: `
		app: keel@1
		keel@1: opt:lamp@^1
		lamp@1`,
		packages: "keel@1.0.0 lamp@1.0.0"},
	{name: "back to an older release", universe: `
		app: keel@*
		keel@1: nail@1
		keel@2: nail@7
		nail@1`,
		packages: "keel@1.0.0 nail@1.0.0"},
	{name: "no release", universe: `
		app: keel@^2
		keel@1`,
		tangle: []string{"the application needs keel ^2"}},
	{name: "an unknown package below", universe: `
		app: keel@*
		keel@1: ghost@*`,
		tangle: []string{"the application needs keel *", "keel needs ghost *"}},
	{name: "a peer conflict", universe: `
		app: hulk@4 rudder@* nail@*
		nail@1
		hulk@3
		hulk@4
		rudder@1: peer:hulk@^2 nail@1
		rudder@1.1: peer:hulk@^2 nail@1
		rudder@2: peer:hulk@^3`,
		tangle: []string{"the application needs hulk 4", "the application needs rudder *", "rudder has the peer hulk ^2",
			"rudder has the peer hulk ^3"}},
	{name: "a peer conflict below", universe: `
		app: deck@1 hulk@4
		deck@1: rudder@1
		rudder@1: peer:hulk@^3
		hulk@3
		hulk@4`,
		tangle: []string{"the application needs deck 1", "the application needs hulk 4", "deck needs rudder 1",
			"rudder has the peer hulk ^3"}},
}

func TestResolve(t *testing.T) {
	for _, test := range cases {
		t.Run(test.name, func(t *testing.T) {
			source, p := sketch(t, test.universe)
			r, err := Resolve(context.Background(), source, p)
			var tangle *Tangle
			if errors.As(err, &tangle) {
				var got []string
				for _, d := range tangle.Demands {
					got = append(got, d.String())
				}
				if !slices.Equal(got, test.tangle) {
					t.Fatalf("tangle %q, want %q", got, test.tangle)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			if err := Verify(context.Background(), source, p, r); err != nil {
				t.Error(err)
			}
			var ids []string
			for _, n := range r.Packages {
				ids = append(ids, n.ID)
			}
			want := strings.NewReplacer(", ", ",", " beside ", "_beside_", " ", ",").Replace(test.packages)
			if got := strings.NewReplacer(" beside ", "_beside_").Replace(strings.Join(ids, ",")); got != want {
				t.Errorf("packages %q, want %q", got, want)
			}
		})
	}
}

func TestSingle(t *testing.T) {
	const two = `
		app: keel@1 mast@1
		keel@1: nail@^1
		mast@1: nail@^2
		nail@1
		nail@2`
	source, p := sketch(t, two)
	p.Strategy = Single
	var tangle *Tangle
	if _, err := Resolve(context.Background(), source, p); !errors.As(err, &tangle) || len(tangle.Demands) != 4 {
		t.Errorf("single tenancy: %v, want a tangle of four demands", err)
	}
	p.Strategy, p.Single = Nested, []string{"nail"}
	if _, err := Resolve(context.Background(), source, p); !errors.As(err, &tangle) || len(tangle.Demands) != 4 {
		t.Errorf("a single name: %v, want a tangle of four demands", err)
	}
}

func TestKeepAndRefuse(t *testing.T) {
	source, p := sketch(t, `
		app: keel@^1
		keel@1.1
		keel@1.2
		keel@1.3`)
	p.Keep = map[string][]string{"keel": {"1.1.0"}}
	if r, err := Resolve(context.Background(), source, p); err != nil || r.Root("keel").Version != "1.1.0" {
		t.Errorf("kept: %v, %v", r, err)
	}
	p.Keep, p.Refuse = nil, map[string][]string{"keel": {"1.3.0"}}
	if r, err := Resolve(context.Background(), source, p); err != nil || r.Root("keel").Version != "1.2.0" {
		t.Errorf("refused: %v, %v", r, err)
	}
}

func TestCancel(t *testing.T) {
	source, p := sketch(t, cases[0].universe)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Resolve(ctx, source, p); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled search ended with %v", err)
	}
}

// sketch reads a universe with the application's line in it.
func sketch(t testing.TB, text string) (universe.Table, Problem) {
	t.Helper()
	source, p, err := sketched(text)
	if err != nil {
		t.Fatal(err)
	}
	return source, p
}

// sketched reads a universe with the line of its application.
func sketched(text string) (source universe.Table, p Problem, err error) {
	var rest []string
	for _, line := range strings.Split(text, "\n") {
		app, found := strings.CutPrefix(strings.TrimSpace(line), "app:")
		if !found {
			rest = append(rest, line)
			continue
		}
		for _, word := range strings.Fields(app) {
			d, _, err := universe.SketchDemand(word)
			if err != nil {
				return nil, p, err
			}
			p.Roots = append(p.Roots, Root{Demand: d, Group: "dependencies"})
		}
	}
	source, err = universe.Sketch(ranges.Scheme, strings.Join(rest, "\n"))
	return source, p, err
}

// Tangles that share no demand are all found, and their number is said.
func TestDisjointTangles(t *testing.T) {
	source, p := sketch(t, `
		app: a@1 b@1 c@* d@1 e@*
		a@1: peer:b@2
		b@1
		b@2
		c@1: ghost@1
		d@1
		e@1: peer:d@7`)
	_, err := Resolve(context.Background(), source, p)
	var tangle *Tangle
	if !errors.As(err, &tangle) || len(tangle.Others) != 2 {
		t.Fatalf("%v, want three tangles", err)
	}
	seen := map[Demand]bool{}
	for _, one := range append([]*Tangle{tangle}, tangle.Others...) {
		for _, d := range one.Demands {
			if seen[d] {
				t.Errorf("%s is in two tangles", d)
			}
			seen[d] = true
		}
	}
	if len(seen) != 7 {
		t.Errorf("%d demands in all", len(seen))
	}
}
