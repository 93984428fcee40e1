package plan

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// outcome asks every part that has an opinion whether a goal can be reached.
func outcome(t *testing.T, source universe.Source, app project.Application,
	goal project.Goal) (assessed, planned, ways bool, found []conflict.WayOut) {
	t.Helper()
	ctx := context.Background()
	got, err := assess.Assess(ctx, source, app, goal)
	if err != nil {
		t.Fatal(err)
	}
	p, err := NewPlan(ctx, source, app, []project.Goal{goal}, Cut{Leap: true})
	if err != nil {
		t.Fatal(err)
	}
	r, _, _, err := conflict.Reach(ctx, source, app, []project.Goal{goal})
	if err != nil {
		t.Fatal(err)
	}
	if r == nil {
		if found, err = conflict.GoalWays(ctx, source, app, []project.Goal{goal}, got.Tangle); err != nil {
			t.Fatal(err)
		}
	}
	return got.Reachable, p.Reachable, r != nil, found
}

func TestHoldInTheWay(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: fw@^1 p@^1 q@*
		fw@1
		fw@2
		p@1: peer:fw@^1
		p@2: peer:fw@^2
		q@1: peer:fw@^1
		q@2: peer:fw@^2 peer:p@^2`)
	app.Held = []string{"p"}
	assessed, planned, ways, found := outcome(t, source, app, project.Goal{Name: "fw", Constraint: "2"})
	if assessed || planned || ways {
		t.Errorf("reachable: assess %v, plan %v, untangle %v", assessed, planned, ways)
	}
	if len(found) == 0 || found[0].Kind != conflict.HoldWay || !found[0].Title.Equal(fact.New(conflict.LiftHold, "p")) {
		t.Errorf("the ways out are %+v", found)
	}
}

// A way out that takes one of two blocked packages out is none.
func TestAbandonedPackageBlocks(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: fw@^1 a@^1 b@^1
		fw@1
		fw@2
		a@1: peer:fw@^1 # no longer maintained
		b@1: peer:fw@^1`)
	_, _, _, found := outcome(t, source, app, project.Goal{Name: "fw", Constraint: "2"})
	if len(found) != 2 || found[1].Kind != conflict.WaiveWay ||
		found[0].Title.String() != "all of these(way: take out(a), way: take out(b))" {
		t.Errorf("the ways out are %+v", found)
	}
}

// A goal's stage holds one release of the framework, also where somebody needs it and does not ask for it as a peer.
func TestOneFrameworkInTheGoalStage(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: fw@^1 x@^1
		fw@1
		fw@2
		x@1: tt@*
		tt@1: fw@^1
		tt@2: fw@^2`)
	p, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: "2"}}, Cut{})
	if err != nil || !p.Reachable {
		t.Fatalf("%+v, %v", p, err)
	}
	for _, st := range p.Stages {
		if v := st.After.Versions()["fw"]; len(v) != 1 {
			t.Errorf("stage %s locks fw %v", st.ID, v)
		}
	}
}

// randomApplication is an application with some decisions of people: a hold, a given release, a
// rule, a deployed runtime, and with what maintainers gave up.
func randomApplication(t *testing.T, random *rand.Rand) (universe.Table, project.Application, string) {
	t.Helper()
	text := strings.Builder{}
	text.WriteString("app: fw@^1")
	n := 2 + random.IntN(4)
	for i := range n {
		fmt.Fprintf(&text, " p%d@^1", i)
	}
	text.WriteString("\nfw@1\nfw@1.1\nfw@2\nfw@2.1\n")
	peers := []string{"", " peer:fw@^1", " peer:fw@^1", " peer:fw@^2", " peer:fw@^1||^2", " fw@^1", " peer:fw@>=1"}
	for i := range n + 2 {
		for v := range 1 + random.IntN(3) {
			fmt.Fprintf(&text, "p%d@%d:", i, v+1)
			switch peer := peers[random.IntN(len(peers))]; {
			case v == 0 && random.IntN(2) > 0:
				text.WriteString(" peer:fw@^1||^2")
			case v > 0 && random.IntN(2) > 0:
				text.WriteString(" peer:fw@^2")
			default:
				text.WriteString(peer)
			}
			for range random.IntN(2) {
				if other := random.IntN(n + 2); other != i &&
					!strings.Contains(text.String()[strings.LastIndex(text.String(), "\n"):], fmt.Sprintf("p%d@", other)) {
					fmt.Fprintf(&text, " %sp%d@%s", []string{"", "peer:", "peer?:"}[random.IntN(3)],
						other, []string{"*", "^1", "^2", ">=1"}[random.IntN(4)])
				}
			}
			if random.IntN(12) == 0 {
				text.WriteString(" # no longer maintained")
			}
			text.WriteString("\n")
		}
	}
	source, app := projecttest.Sketch(t, text.String())
	said := text.String()
	if random.IntN(3) == 0 {
		app.Held = []string{fmt.Sprintf("p%d", random.IntN(n))}
		said += fmt.Sprintln("held", app.Held)
	}
	if random.IntN(4) == 0 {
		app.Fixed = map[string]string{fmt.Sprintf("p%d", random.IntN(n+2)): "1.0.0"}
		said += fmt.Sprintln("fixed", app.Fixed)
	}
	if random.IntN(4) == 0 {
		app.Rules.Refuse = []string{fmt.Sprintf("p%d", n+random.IntN(2))}
		said += fmt.Sprintln("refused", app.Rules.Refuse)
	}
	if random.IntN(3) == 0 {
		app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
		p := source[fmt.Sprintf("p%d", random.IntN(n))]
		last := p.At(p.Len() - 1)
		last.Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}}
		said += fmt.Sprintln("node 20;", p.Name, last.Version, "needs 22")
	}
	return source, app, said
}

// Assess, the gate, plan and untangle answer one question, and so they give one answer; and every
// way out of it leads out.
func TestOneAnswer(t *testing.T) {
	reachable, ways, taken := 0, 0, 0
	count := seeds(150)
	for seed := range count {
		source, app, text := randomApplication(t, rand.New(rand.NewPCG(uint64(seed), 5)))
		if app.Locked == nil {
			continue
		}
		goal := project.Goal{Name: "fw", Constraint: "2"}
		if _, err := assess.AskOne(context.Background(), source, app, goal); err != nil {
			continue // nothing locked that holds, or no such goal
		}
		assessed, planned, untangle, found := outcome(t, source, app, goal)
		if assessed != planned || assessed != untangle {
			t.Fatalf("universe %d: reachable says assess %v, plan %v, untangle %v\n%s", seed, assessed, planned, untangle, text)
		}
		if assessed {
			reachable++
		}
		for _, way := range found {
			ways++
			after, to := afterWay(t, source, app, way, goal)
			if after == nil {
				continue
			}
			taken++
			if got, err := assess.Assess(context.Background(), source, *after, to); err != nil || !got.Reachable {
				t.Fatalf("universe %d: after %q it is not reachable: %+v, %v\n%s", seed, way.Title, got, err, text)
			}
		}
	}
	if reachable < count/20 || taken < count/20 {
		t.Errorf("%d are reachable, %d ways were taken: the universes are too tame", reachable, taken)
	}
	t.Logf("%d of %d are reachable, %d ways, %d taken", reachable, count, ways, taken)
}

// afterWay is the application after a way out was taken; nil for one that nobody can take.
func afterWay(t *testing.T, source universe.Source, app project.Application, way conflict.WayOut,
	goal project.Goal) (*project.Application, project.Goal) {
	t.Helper()
	switch {
	case way.Kind == conflict.WaitWay || way.Raise != nil:
		return nil, goal
	case way.Goals != nil:
		return &app, way.Goals[0]
	}
	app.Previews, app.Waived = slices.Concat(app.Previews, way.Preview), way.Waive
	app.Held = slices.DeleteFunc(slices.Clone(app.Held), func(n string) bool { return slices.Contains(way.Unhold, n) })
	app.Declared = slices.DeleteFunc(slices.Clone(app.Declared), func(d project.Declared) bool {
		return slices.ContainsFunc(way.Changes,
			func(c project.Change) bool { return c.Name == d.As && c.To == (project.Point{}) })
	})
	if !app.Current() {
		r, err := project.Relock(context.Background(), source, app)
		var tangle *solve.Tangle
		if errors.As(err, &tangle) {
			t.Fatalf("%q cannot be taken: %v", way.Title, err)
		}
		if err != nil {
			t.Fatal(err)
		}
		app.Locked = r
	}
	return &app, goal
}

// A family moves in one stage, a member that says nothing of the framework too; where one cannot, the stage says so.
func TestFamilyInOneStage(t *testing.T) {
	const text = `
		app: fw@^1 sail@^1 sail-tools@^1
		fw@1
		fw@2
		sail@1: peer:fw@^1
		sail@2: peer:fw@^2
		sail-tools@1
		sail-tools@2`
	for _, test := range []struct {
		more, stages string
		says         fact.Kind
	}{
		{"", "goal-2: fw sail sail-tools", assess.DeclaredFamily},
		{": peer:fw@^1", "goal-2: fw sail", StaysBehindKin},
	} {
		source, app := projecttest.Sketch(t, text+test.more)
		app.Families, app.Trusted = [][]string{{"sail", "sail-tools"}}, []string{"sail-tools"}
		p, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: "2"}}, Cut{})
		if err != nil || !p.Reachable {
			t.Fatalf("%+v, %v", p, err)
		}
		st := p.Stages[len(p.Stages)-1]
		got := st.ID + ":"
		for _, c := range st.Changes {
			got += " " + c.Name
		}
		if len(p.Stages) != 1 || got != test.stages || !st.Family.Is(test.says) {
			t.Errorf("%d stages, the last %s, %s", len(p.Stages), got, st.Family)
		}
	}
}
