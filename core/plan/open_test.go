package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/project"
	"molt/samples/projecttest"
)

// moves writes what the stages of a plan move, one after the other.
func moves(p *Plan) string {
	var stages []string
	for _, st := range p.Stages {
		var all []string
		for _, c := range st.Changes {
			all = append(all, c.Name+" "+c.To.Version)
		}
		stages = append(stages, st.ID+": "+strings.Join(all, ", "))
	}
	return fmt.Sprintf("%v; %s", p.Reachable, strings.Join(stages, "; "))
}

// TestNoStageClosesTheGoal: a later release may refuse what an earlier one accepts, and nothing goes back.
func TestNoStageClosesTheGoal(t *testing.T) {
	for _, test := range []struct{ name, goal, universe, want string }{
		{"a patch", "2", `
			app: hull@^1 a@^1
			hull@1
			hull@2
			a@1.0.0: peer:hull@1||2
			a@1.0.1: peer:hull@1`, "true; goal-2: hull 2.0.0"},
		{"some of the minor releases", "2", `
			app: hull@^1 a@^1 b@^1
			hull@1
			hull@2
			a@1.0.0: peer:hull@1||2
			a@1.1.0: peer:hull@1||2
			a@1.2.0: peer:hull@1
			b@1.0.0
			b@1.1.0`, "true; minor: a 1.1.0, b 1.1.0; goal-2: hull 2.0.0"},
		{"two that close it together", "2", `
			app: hull@^1 a@^1 b@^1
			hull@1
			hull@2
			x@1: peer:hull@1
			x@2: peer:hull@2 peer:b@1.0.0
			a@1.0.0: peer:hull@1||2
			a@1.1.0: peer:hull@1||2 x@*
			b@1.0.0: peer:hull@1||2
			b@1.1.0: peer:hull@1||2`, "true; minor: a 1.1.0; goal-2: hull 2.0.0"},
		{"a hop", "3", `
			app: hull@^1 a@^1
			hull@1
			hull@2
			hull@3
			a@1.0.0: peer:hull@1
			a@1.5.0: peer:hull@2||3
			a@1.6.0: peer:hull@2`, "true; goal-2: hull 2.0.0, a 1.5.0; goal-3: hull 3.0.0"},
		{"a bridge", "3", `
			app: hull@^1 a@^1
			hull@1
			hull@2
			hull@3
			a@1.0.0: peer:hull@1
			a@2.0.0: peer:hull@1||2||3
			a@2.1.0: peer:hull@1||2`, "true; bridge-a: a 2.0.0; goal-2: hull 2.0.0; goal-3: hull 3.0.0"},
		{"what can't be reached can't be closed", "2", `
			app: hull@^1 a@^1 b@^1
			hull@1
			hull@2
			a@1.0.0: peer:hull@1||2
			a@1.0.1: peer:hull@1
			b@1.0.0: peer:hull@1`, "false; patch: a 1.0.1"},
		{"others do not go back either", "2", `
			app: hull@^1 a@^1.1 b@^1.1
			hull@1
			hull@2
			a@1.0.0: peer:hull@1||2
			a@1.1.0: peer:hull@1||2 x@*
			b@1.0.0: peer:hull@1||2
			b@1.1.0: peer:hull@1||2 y@*
			x@1: peer:hull@1
			x@2: peer:hull@2 peer:b@1.0.0
			y@1: peer:hull@1
			y@2: peer:hull@2 peer:a@1.0.0`, "false; "},
	} {
		t.Run(test.name, func(t *testing.T) {
			source, app := projecttest.Sketch(t, test.universe)
			goal := project.Goal{Name: "hull", Constraint: test.goal}
			p, err := NewPlan(context.Background(), source, app, []project.Goal{goal}, Cut{})
			if err != nil {
				t.Fatal(err)
			}
			before := p.Stages
			p.Stages = p.Stages[:max(p.AtGoal, len(p.Stages)*btoi(!p.Reachable))]
			if got := moves(p); got != test.want {
				t.Errorf("%s\nwant %s\nwhole: %d stages", got, test.want, len(before))
			}
			if assessed, planned, untangle, _ := outcome(t, source, app, goal); assessed != untangle ||
				assessed != p.Reachable || planned != p.Reachable && test.goal == "2" {
				t.Errorf("reachable: assess %v, plan %v, in one leap %v, untangle %v", assessed, p.Reachable, planned, untangle)
			}
		})
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// unsteady makes a history in which later releases may refuse what earlier ones accept: a framework
// of three majors, and packages with patch, minor and major releases that say at random what they
// accept, of the framework and of one another.
func unsteady(random *rand.Rand, packages int) string {
	var b strings.Builder
	b.WriteString("app: hull@^1")
	for i := range packages {
		fmt.Fprintf(&b, " p%d@^1.0", i)
	}
	b.WriteString(" d-p0@^1 hull-kit@^1\nhull@1\nhull@1.1\nhull@2\nhull@2.1\nhull@3\nhull-kit@1\nhull-kit@1.1\nhull-kit@2\nhull-kit@2.1\nhull-kit@3\nd-p0@1.0\nd-p0@1.1\nd-p0@2.0\nd-p0@3.0\n")
	accepts := []string{"", "^1", "1||2", "1||2||3", "2||3", "^2", "^3", ">=1", "*", "1.0.x||2"}
	for i := range packages {
		for _, v := range []string{"1.0.0", "1.0.1", "1.1.0", "1.2.0", "2.0.0", "2.1.0"} {
			if v != "1.0.0" && random.IntN(3) == 0 {
				continue
			}
			says := accepts[random.IntN(len(accepts))]
			if v == "1.0.0" {
				says = accepts[random.IntN(4)]
			}
			fmt.Fprintf(&b, "p%d@%s:", i, v)
			if says != "" {
				fmt.Fprintf(&b, " peer:hull@%s", says)
			}
			if other := random.IntN(packages); other != i && v != "1.0.0" && random.IntN(4) == 0 {
				fmt.Fprintf(&b, " peer:p%d@%s", other, []string{"1.0.0", "^1", ">=1.1", "^2", "*"}[random.IntN(5)])
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// TestUnsteadyHistories: in such histories assess, plan (by hops and in one leap) and untangle give
// one answer, no stage moves anything back, and a plan that reaches its goal is finished there:
// made again at its end it has no stage to do.
func TestUnsteadyHistories(t *testing.T) {
	count, reachable := seeds(30), 0
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 77))
		packages := 2 + random.IntN(7)
		if seed%30 == 29 {
			packages = 15 + random.IntN(26)
		}
		text := unsteady(random, packages)
		source, app := projecttest.Sketch(t, text)
		if app.Locked == nil {
			continue
		}
		app.Kin = kinOfYard
		goal := project.Goal{Name: "hull", Constraint: []string{"2", "3"}[random.IntN(2)]}
		assessed, leap, untangle, _ := outcome(t, source, app, goal)
		p, err := NewPlan(context.Background(), source, app, []project.Goal{goal}, Cut{})
		if err != nil {
			t.Fatal(err)
		}
		if assessed != leap || assessed != untangle || assessed != p.Reachable {
			t.Fatalf("universe %d: %s can be reached says assess %v, plan in one leap %v, plan by hops %v, untangle %v\n%s\n%s",
				seed, goal, assessed, leap, p.Reachable, untangle, moves(p), text)
		}
		before := app.Locked
		for _, st := range p.Stages {
			for _, c := range st.Changes {
				pkg, _ := source.Package(context.Background(), c.Name)
				if pkg.Index(c.To.Version) < pkg.Index(project.VersionOf(before, c.Name)) {
					t.Fatalf("universe %d: stage %s moves %s back to %s\n%s", seed, st.ID, c.Name, c.To.Version, text)
				}
			}
			before = st.After
			if d, of := project.VersionOf(st.After, "d-p0"), project.VersionOf(st.After, "p0"); d[0] > of[0] {
				t.Fatalf("universe %d: after stage %s d-p0 %s passes what it describes, p0 %s\n%s", seed, st.ID, d, of, text)
			}
			if kit, hull := project.VersionOf(st.After, "hull-kit"), project.VersionOf(st.After, "hull"); kit != hull {
				t.Fatalf("universe %d: after stage %s hull-kit is at %s, and hull at %s\n%s\n%s", seed, st.ID, kit, hull,
					moves(p), text)
			}
		}
		if !p.Reachable {
			continue
		}
		reachable++
		if len(p.Stages) == 0 {
			continue
		}
		again, err := NewPlan(context.Background(), source, ended(app, p), []project.Goal{goal}, Cut{})
		if err != nil || len(again.Stages) > 0 {
			t.Fatalf("universe %d: made again at its end, the plan has %s, %v\nat first %s\n%s", seed, moves(again), err,
				moves(p), text)
		}
		for _, b := range p.Behind {
			if b.Why.Is(CouldGo) || b.Why.Is(CouldGoWith) {
				t.Fatalf("universe %d: %+v\n%s\n%s", seed, b, moves(p), text)
			}
		}
	}
	if reachable < count/8 {
		t.Errorf("%d of %d are reachable: the universes are too tame", reachable, count)
	}
}

// ended is the application as the last stage of a plan leaves it.
func ended(app project.Application, p *Plan) project.Application {
	app.Declared = slices.Clone(app.Declared)
	for _, st := range p.Stages {
		for _, c := range st.Changes {
			app.Declared = slices.DeleteFunc(
				app.Declared, func(d project.Declared) bool { return d.As == c.Name && c.To == (project.Point{}) })
			for i := range app.Declared {
				if d := &app.Declared[i]; d.As == c.Name && d.Group == c.Group {
					d.Text = c.To.Constraint
				}
			}
		}
		app.Locked = st.After
	}
	return app
}

// TestTailLeavesNothingBehind: what has no later major moves within its own where another needs
// that, and a line that admits the newest is no reason to stay.
func TestTailLeavesNothingBehind(t *testing.T) {
	for _, test := range []struct{ universe, want string }{
		{`
			app: hull@^1 lamp@^1 keel@^1
			hull@1
			hull@2
			lamp@1
			lamp@2
			keel@1.0: peer:lamp@1
			keel@1.1: peer:lamp@2`, "true; goal-2: hull 2.0.0; after-lamp: lamp 2.0.0, keel 1.1.0"},
		{`
			app: hull@^1 x@>=1 y@^1
			hull@1
			hull@2
			x@1
			x@2
			y@1
			y@2: peer:x@2`, "true; goal-2: hull 2.0.0; after-x: x 2.0.0; after-y: y 2.0.0"},
	} {
		source, app := projecttest.Sketch(t, test.universe)
		p, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}}, Cut{})
		if err != nil {
			t.Fatal(err)
		}
		if got := moves(p); got != test.want || len(p.Behind) > 0 {
			t.Errorf("%s, behind %+v\nwant %s", got, p.Behind, test.want)
		}
	}
}
