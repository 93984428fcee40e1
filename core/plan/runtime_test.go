package plan

import (
	"context"
	"strings"
	"testing"

	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/samples/projecttest"
)

func TestRuntimeInTheWay(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^2
		hulk@1.0
		hulk@2.0: keel@^1
		keel@1.0`)
	app.Locked = nil
	projecttest.Requires(source, "keel", "1.0.0", ">=22.3 <23 || >=24.1")
	projecttest.Requires(source, "hulk", "2.0.0", ">=20")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.11.1")}
	_, err := project.Relock(context.Background(), source, app)
	tangle := solve.AsTangle(err)
	if tangle == nil {
		t.Fatalf("the result is %v, want a tangle", err)
	}
	knot, err := conflict.Explain(context.Background(), source, app, tangle)
	if err != nil {
		t.Fatal(err)
	}
	if len(knot.Contested) != 1 || len(knot.Contested[0].Sides) != 2 || knot.Contested[0].Name != "node (runtime)" {
		t.Fatalf("contested %+v", knot.Contested)
	}
	mine, theirs := knot.Contested[0].Sides[0], knot.Contested[0].Sides[1]
	if mine.Demand.Group != project.RuntimeGroup || mine.Demand.Constraint != "20.11.1" || theirs.Releases != "1.0.0" ||
		len(theirs.Chain) != 3 {
		t.Errorf("the sides are %+v and %+v", mine, theirs)
	}
	ways, err := conflict.WaysOut(context.Background(), source, app, tangle)
	if err != nil {
		t.Fatal(err)
	}
	want := "move a line becomes(hulk, ^2, ^1); raise way: raise(node, 20.11.1, 22.3.0); drop way: take out(hulk)"
	var all []string
	for _, w := range ways {
		all = append(all, string(w.Kind)+" "+w.Title.String())
	}
	if got := strings.Join(all, "; "); got != want {
		t.Errorf("the ways are %s\nwant %s", got, want)
	}
}

// A plan moves nothing to a release that needs a newer runtime before its stage raises it, and nothing beyond it after.
func TestPlanKeepsToTheRuntime(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: f@^1 deck@^1 rudder@^1
		f@1.0
		f@2.0
		deck@1.0: peer:f@1||2
		deck@1.1: peer:f@1||2
		deck@1.2: peer:f@1||2
		rudder@1.0
		rudder@2.0
		rudder@3.0`)
	projecttest.Requires(source, "f", "2.0.0", ">=22")
	projecttest.Requires(source, "deck", "1.2.0", ">=22")
	projecttest.Requires(source, "rudder", "2.0.0", ">=22")
	projecttest.Requires(source, "rudder", "3.0.0", ">=24")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	plan := mustPlan(t, source, app, project.Goal{Name: "f", Constraint: "2"})
	want := "minor: deck 1.0.0>1.1.0; runtime-2: ; goal-2: f 1.0.0>2.0.0; after-minor: deck 1.1.0>1.2.0; after-rudder: " +
		"rudder 1.0.0>2.0.0"
	if got := changes(plan); got != want {
		t.Errorf("the plan is\n%s\nwant\n%s", got, want)
	}
}

// A locked package that the registry no longer has does not keep a plan from being made.
func TestPlanWithoutWhatIsGone(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: f@^1 deck@^1
		f@1.0: rope@*
		f@1.1: sail@*
		f@2.0: sail@*
		deck@1.0: peer:f@1||2
		rope@1.0
		sail@1.0`)
	delete(source, "rope")
	plan := mustPlan(t, source, app, project.Goal{Name: "f", Constraint: "2"})
	if !plan.Reachable {
		t.Errorf("the plan is %s", changes(plan))
	}
}
