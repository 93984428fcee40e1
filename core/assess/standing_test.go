package assess

import (
	"context"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// exhaustive tries every combination of some releases of declared packages; what nobody declares is
// left to the resolver, which has an exhaustive test of its own.
func exhaustive(t *testing.T, source universe.Source, app project.Application, scope map[string][]string) bool {
	t.Helper()
	names := slices.Sorted(maps.Keys(scope))
	at := map[string]string{}
	var try func(k int) bool
	try = func(k int) bool {
		if k < len(names) {
			return slices.ContainsFunc(scope[names[k]], func(v string) bool {
				at[names[k]] = v
				return try(k + 1)
			})
		}
		p := solve.Problem{Strategy: app.Strategy, Single: []string{"f"}}
		for _, d := range app.Declared {
			if v, in := at[d.As]; in {
				p.Roots = append(p.Roots, solve.Root{Demand: d.Demand, Group: d.Group, Among: []string{v}})
			}
		}
		ok, err := solve.Possible(context.Background(), source, p)
		if err != nil {
			t.Fatal(err)
		}
		return ok
	}
	return try(0)
}

// What an assessment says is what trying everything says: a package is blocked when no release of it goes with the goal
// beside what else can go, and a bridge's release goes with both majors.
func TestStandingsAgainstExhaustiveSearch(t *testing.T) {
	blocked, bridges, first := 0, 0, 0
	for seed := range 250 {
		text := projecttest.RandomHarbour(rand.New(rand.NewPCG(uint64(seed), 11)))
		source, app := projecttest.Sketch(t, text)
		if app.Locked == nil || app.Locked.Root("f").Version >= "3" {
			continue
		}
		if seed%2 == 1 {
			app.Strategy = solve.Nested
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "f", Constraint: "3"})
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		all := map[string][]string{}
		for _, d := range app.Declared {
			p := source[d.As]
			all[d.As] = Texts(p, p.Stable())
		}
		with := func(framework []string, others map[string][]string, name string, releases ...string) bool {
			scope := maps.Clone(others)
			scope["f"], scope[name] = framework, releases
			return exhaustive(t, source, app, scope)
		}
		company := map[string][]string{} // what can go at all, each alone
		for name := range all {
			if name != "f" && with([]string{"3.0.0"}, map[string][]string{}, name, all[name]...) {
				company[name] = all[name]
			}
		}
		whole := maps.Clone(company)
		whole["f"] = []string{"3.0.0"}
		if !exhaustive(t, source, app, whole) {
			company = map[string][]string{}
		}
		old := []string{app.Locked.Root("f").Version}
		if old[0] == "1.0.0" {
			old = append(old, "1.1.0")
		}
		for _, p := range got.Packages {
			if p.Group == transitive {
				continue
			}
			goes := with([]string{"3.0.0"}, company, p.Name, all[p.Name]...)
			if (p.Standing == project.Blocked) == goes {
				t.Fatalf("seed %d: %s is %s, and trying everything says that it goes: %v\n%s", seed, p.Name, p.Standing, goes, text)
			}
			switch p.Standing {
			case project.Blocked:
				blocked++
			case project.Bridge:
				bridges++
				if !with(old, company, p.Name, p.To) || !with([]string{"3.0.0"}, company, p.Name, p.To) {
					t.Fatalf("seed %d: %s at %s is no bridge\n%s", seed, p.Name, p.To, text)
				}
			}
			if p.First != "" {
				first++
				for _, v := range []string{p.First, p.Newest} {
					if !with([]string{"3.0.0"}, company, p.Name, v) {
						t.Fatalf("seed %d: %s %s does not go with the goal\n%s", seed, p.Name, v, text)
					}
				}
			}
		}
	}
	if blocked < 20 || bridges < 20 || first < 50 {
		t.Errorf("%d packages are blocked, %d bridge, %d name a first release: the universes are too tame", blocked,
			bridges, first)
	}
}

// Only a release that names majors is a bridge; but what has nothing to do with the framework moves
// for the sake of others, before it or with it.
func TestBridgesSpeak(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 deck@^1 lib@~1.3 open@^1
		hull@1
		hull@2
		deck@1: peer:hull@^1 peer:lib@*
		deck@2: peer:hull@^2 peer:lib@>=1.4
		lib@1.3
		lib@1.4
		open@1: peer:hull@1
		open@2: peer:hull@>=1`)
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []project.Standing{project.Together, project.Bridge, project.Together} {
		if p := got.Packages[i]; p.Standing != want {
			t.Errorf("%s is %s, want %s", p.Name, p.Standing, want)
		}
	}
}
