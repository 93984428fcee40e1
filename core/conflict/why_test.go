package conflict

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/samples/projecttest"
)

// TestWhy asks why packages are not at releases: of declared ones and others, of what a runtime, a
// peer, a policy or what is given from outside excludes.
func TestWhy(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 lamp@^1 fixme@^1 free@^1
		hull@1.0
		hull@2.0
		lamp@1.0: oar@^1
		lamp@1.1
		oar@1.0
		oar@1.1: peer:hull@2
		fixme@1.0: inv@1.0.0
		fixme@2.0: inv@2.0.0
		inv@1.0
		inv@2.0
		free@1.0
		free@2.0`)
	projecttest.Requires(source, "lamp", "1.1.0", ">=99")
	app.InferredRuntimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	given := app
	given.Fixed = map[string]string{"inv": "1.0.0"}
	strict := app
	strict.Rules.Refuse = []string{"free"}
	for _, test := range []struct {
		app           project.Application
		name, release string
		want          fact.Fact
		sides         string // what the explanation is about, with who asks
	}{
		{app, "lamp", "1.1.0", fact.New(project.NeedsRuntime, "1.1.0", "node", ">=99", "20.0.0"), "node (runtime): >=99 by lamp"},
		{app, "oar", "1.1.0", fact.New(project.AsksForDeclared, "1.1.0", "hull 2", "^1"), "hull: ^1 by , 2 by oar"},
		{app, "hull", "2.0.0", fact.Fact{}, ""},
		{app, "free", "2.0.0", fact.Fact{}, ""},
		{given, "fixme", "2.0.0", fact.New(project.AsksForGiven, "2.0.0", "inv 2.0.0", "1.0.0"),
			"inv: 1.0.0 by , 2.0.0 by fixme"},
		{given, "inv", "2.0.0", fact.Fact{}, ""},
		{strict, "free", "2.0.0", fact.New(RuledOut, "2.0.0", "the policy refuses free"), ""},
	} {
		q, err := NewReasons(context.Background(), source, test.app, test.name, source[test.name])
		if err != nil {
			t.Fatal(err)
		}
		i := source[test.name].Index(test.release)
		o, err := q.Why(i)
		if err != nil {
			t.Fatal(err)
		}
		says, sides := fact.Fact{}, ""
		if o != nil {
			says = o.Says
			k, err := o.Explain()
			if err != nil {
				t.Fatal(err)
			}
			if k != nil {
				if len(k.Contested) == 0 {
					t.Fatalf("%s %s: nothing is contested in %v", test.name, test.release, o.Tangle)
				}
				c := k.Contested[0]
				var all []string
				for _, s := range c.Sides {
					all = append(all, fmt.Sprintf("%s by %s", s.Demand.Constraint, s.Demand.By))
				}
				sides = c.Name + ": " + strings.Join(all, ", ")
			}
		}
		if !says.Equal(test.want) || sides != test.sides {
			t.Errorf("%s %s: %s, %q\nwant %s, %q", test.name, test.release, says, sides, test.want, test.sides)
		}
		if fits, err := q.Resolves(i); err != nil || fits != test.want.None() {
			t.Errorf("%s %s resolves: %v, %v", test.name, test.release, fits, err)
		}
	}
}

// A package that has no part in what is wrong is not blamed.
func TestWhyApart(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 keel@^1 lamp@^1
		hull@1.0
		keel@1.0: peer:hull@2
		lamp@1.0
		lamp@2.0`)
	q, err := NewReasons(context.Background(), source, app, "lamp", source["lamp"])
	if err != nil {
		t.Fatal(err)
	}
	o, err := q.Why(source["lamp"].Index("2.0.0"))
	if err != nil || o == nil || !o.Apart || !o.Says.Is(NothingFits) {
		t.Errorf("%+v, %v", o, err)
	}
	if i, err := q.Newest([]int{0, 1}); err != nil || i != -1 {
		t.Errorf("the newest is %d, %v", i, err)
	}
}

// TestTogether tries several releases at once.
func TestTogether(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@* keel@* lamp@*
		hull@1.0
		hull@2.0
		keel@1.0: peer:hull@1
		keel@2.0: peer:hull@2
		lamp@1.0
		lamp@2.0: peer:keel@1`)
	for _, test := range []struct {
		at   map[string]string
		want bool
	}{
		{map[string]string{"hull": "2.0.0", "keel": "2.0.0"}, true},
		{map[string]string{"hull": "2.0.0"}, true},
		{map[string]string{"hull": "2.0.0", "lamp": "2.0.0"}, false},
		{map[string]string{"lamp": "2.0.0"}, true},
		{nil, true},
	} {
		if got, err := Together(context.Background(), source, app, test.at); err != nil || got != test.want {
			t.Errorf("%v together: %v, %v", test.at, got, err)
		}
	}
}
