package plan

import (
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/samples/projecttest"
)

// A family that stands at one number is not torn by a patch or minor stage where the newest release
// of one member does not resolve: its members go to what their maintainers had out at one time.
func TestFamiliesStayEven(t *testing.T) {
	const parts = `
		app: hulk@^3.0.0 tool-a@^1.0.0 tool-b@^1.0.0 mast@^1.0.0
		hulk@3.0
		hulk@4.0
		mast@1.0
		mast@1.1
		tool-a@1.0
		tool-b@1.0
		tool-a@1.0.1
		tool-b@1.0.1
		tool-a@1.1
		tool-b@1.1
		tool-a@1.2
		tool-b@1.2`
	for _, test := range []struct{ name, more, want string }{
		{"the maintainers released a patch of one alone", "\n\t\ttool-a@1.0.2\n\t\ttool-a@1.2.1",
			"patch: tool-a 1.0.0>1.0.2, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.2>1.2.1, tool-b 1.0.1>1.2.0, mast 1.0.0>1.1.0; " +
				"goal-4: hulk 3.0.0>4.0.0"},
		{"the newest of one does not resolve", "\n\t\ttool-a@1.3: mast@^2\n\t\ttool-b@1.3\n\t\tmast@1.2",
			"patch: tool-a 1.0.0>1.0.1, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.1>1.2.0, tool-b 1.0.1>1.2.0, mast 1.0.0>1.2.0; " +
				"goal-4: hulk 3.0.0>4.0.0"},
		{"nor do those before", "\n\t\ttool-a@1.3: mast@^2\n\t\ttool-b@1.3\n\t\ttool-b@1.2.1: mast@^2\n\t\ttool-a@1.2.2: " +
			"mast@^2\n\t\ttool-b@1.2.2",
			"patch: tool-a 1.0.0>1.0.1, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.1>1.2.0, tool-b 1.0.1>1.2.0, mast 1.0.0>1.1.0; " +
				"goal-4: hulk 3.0.0>4.0.0"},
	} {
		source, app := projecttest.Sketch(t, parts+test.more)
		if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); got != test.want {
			t.Errorf("%s:\ngot  %s\nwant %s", test.name, got, test.want)
		}
	}
}

// A family is not torn by majors either: not ahead of the framework, nor after it; who stays behind for that says so.
func TestFamiliesStayAbreast(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 @tool/a@^6.0.0 @tool/b@^6.0.0
		hulk@3.0
		hulk@4.0
		@tool/a@6.0
		@tool/b@6.0
		@tool/a@7.0: peer:hulk@3||4
		@tool/b@7.0: peer:hulk@3||4
		@tool/a@7.1: peer:hulk@3||4
		@tool/b@7.1: peer:hulk@3||4
		@tool/a@8.0: peer:hulk@3||4
		@tool/b@8.0
		@tool/a@8.1: peer:hulk@3||4
		@tool/b@8.1
		@tool/a@9.0: peer:hulk@3||4`)
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	const want = "bridge-tool-a: @tool/a 6.0.0>7.1.0, @tool/b 6.0.0>7.1.0; goal-4: hulk 3.0.0>4.0.0; after-tool-a: " +
		"@tool/a 7.1.0>8.1.0, @tool/b 7.1.0>8.1.0"
	if got := changes(plan); got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	if len(plan.Behind) != 1 || plan.Behind[0].Name != "@tool/a" ||
		!plan.Behind[0].Why.Equal(fact.New(KinEnds, "@tool/b", "8.1.0")) {
		t.Errorf("behind: %+v", plan.Behind)
	}
	for _, name := range []string{"@tool/a", "@tool/b"} {
		if got := find(plan.Assessed, name); got.Standing != project.Bridge || got.To != "7.1.0" {
			t.Errorf("%s is %s to %s", name, got.Standing, got.To)
		}
	}
}

// The fewest breaking moves may lead to an older release of the goal; after it the framework goes
// on to the newest that it means, with what had to move for that, and never past the goal.
func TestFrameworkGoesOn(t *testing.T) {
	const text = `
		app: hulk@^3.0.0 tag@^1.0.0 mast@^1.0.0
		hulk@3.0: peer:tag@^1
		hulk@4.0: peer:tag@^1
		hulk@4.1: peer:tag@^2
		hulk@4.2: peer:tag@^2
		hulk@5.0: peer:tag@^2
		tag@1.0
		tag@2.0
		mast@1.0`
	for _, test := range []struct{ goal, more, want string }{
		{"hulk@4", "", "goal-4: hulk 3.0.0>4.0.0; after-hulk: hulk 4.0.0>4.2.0, tag 1.0.0>2.0.0"},
		{"hulk@4.0", "", "goal-4: hulk 3.0.0>4.0.0"},
		{"hulk@4", "\n\t\thulk-rig@3.0\n\t\thulk-rig@4.0\n\t\thulk-rig@4.1\n\t\thulk-rig@4.2\n\t\thulk-rig@5.0",
			"goal-4: hulk 3.0.0>4.0.0, hulk-rig 3.0.0>4.0.0"},
	} {
		universe := text + test.more
		if test.more != "" { // one of its own, which would have to come along
			universe = strings.Replace(universe, "mast@^1.0.0", "hulk-rig@^3.0.0", 1)
		}
		source, app := projecttest.Sketch(t, universe)
		if got := changes(planFor(t, source, app, Cut{}, test.goal)); got != test.want {
			t.Errorf("%s:\ngot  %s\nwant %s", test.goal, got, test.want)
		}
	}
}

// A family that people declare between packages with numbers of their own is not held at majors that they do not share.
func TestDeclaredFamilyGoesOn(t *testing.T) {
	source, app := projecttest.Sketch(
		t, "app: hulk@^3.0.0 lamp@^1.0.0 lens@^1.0.0\nhulk@3.0\nhulk@4.0\nlamp@1.0\nlamp@7.0\nlens@1.0\nlens@4.0")
	app.Families = [][]string{{"lamp", "lens"}}
	if got := changes(planFor(t, source, app, Cut{},
		"hulk@4")); got != "goal-4: hulk 3.0.0>4.0.0; after-lamp: lamp 1.0.0>7.0.0, lens 1.0.0>4.0.0" {
		t.Errorf("got %s", got)
	}
}
