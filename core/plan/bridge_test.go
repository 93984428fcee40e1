package plan

import (
	"context"
	"testing"
	"time"

	"molt/core/project"
	"molt/core/solve"
	"molt/samples/projecttest"
)

// A package that the optimum moves and that has two releases which go with both sides is not bridged from one to the
// other for ever.
func TestBridgesEnd(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 winch@~1.0.1 keel@^1.1.1 sail@^1.0.1
		tar@1.1.1: peer:sail@^1 peer?:keel@^1.1.1
		tar@2.0.1: peer:hull@>=2 peer:sail@* peer:winch@*
		tar@3.0.1: peer:hull@2
		hull@1.0.1
		hull@1.1.1
		hull@2.1.1
		keel@1.1.1: peer:hull@1
		rope@1.1.1: tar@^1.1.1
		rope@2.1.1: tar@>=1.1.1 peer:hull@^2 peer?:sail@>=2.1.0 peer?:keel@*
		sail@1.0.1: rope@^1.1.1 peer:hull@^1
		sail@1.2.1: opt:rope@^1 peer:winch@>=3.1.0
		sail@2.1.0: rope@1
		sail@3.1.0: tar@^2
		winch@1.0.1: rope@>=1.1.1 peer:hull@^1||^2
		winch@1.1.0: peer:hull@^1||^2
		winch@2.1.1: peer:hull@2
		winch@3.1.0: rope@^2 peer:hull@>=2
		winch@3.1.1: peer:hull@^2`)
	app.Strategy = solve.Nested
	app.Uncapped = true
	for _, leap := range []bool{false, true} {
		ctx, stop := context.WithTimeout(context.Background(), 10*time.Second)
		plan, err := NewPlan(ctx, source, app, []project.Goal{{Name: "hull", Constraint: "2"}}, Cut{Leap: leap})
		stop()
		if err != nil {
			t.Fatal(err)
		}
		if plan.Reachable {
			t.Error("keel has no way")
		}
		for _, st := range append(plan.Stages, plan.Sketch...) {
			if st.Kind == BridgeStage {
				t.Errorf("%s bridges nothing", st.ID)
			}
		}
		t.Log(changes(plan), len(plan.Sketch))
	}
}

// What goes ahead of the framework goes in one stage, unless people want each apart; what it comes to is the same.
func TestBridgesTogether(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 a@^1 b@^1
		hull@1
		hull@2
		a@1: peer:hull@1
		a@2: peer:hull@1||2
		b@1: peer:hull@1
		b@2: peer:hull@1||2`)
	for _, test := range []struct {
		cut  Cut
		want string
	}{
		{Cut{}, "bridge-2: a 1.0.0>2.0.0, b 1.0.0>2.0.0; goal-2: hull 1.0.0>2.0.0"},
		{Cut{Apart: true}, "bridge-a: a 1.0.0>2.0.0; bridge-b: b 1.0.0>2.0.0; goal-2: hull 1.0.0>2.0.0"},
	} {
		p, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}}, test.cut)
		if err != nil || changes(p) != test.want {
			t.Errorf("apart is %v: %s, %v, want %s", test.cut.Apart, changes(p), err, test.want)
		}
		if first := p.Stages[0]; first.After == nil || !test.cut.Apart && first.Locked.Moved != 2 {
			t.Errorf("the first stage moves %+v", first.Locked)
		}
	}
}
