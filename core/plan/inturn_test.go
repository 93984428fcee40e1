package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/samples/projecttest"
)

// What one of several goals absorbs goes with it, and what follows the goals is judged towards the
// first, as where there is no other.
func TestEachGoalRetires(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 deck@^1 part@^1 sail@^1
		hull@1
		hull@2
		deck@1
		deck@2
		part@1
		sail@1: peer:hull@^1||^2
		sail@2
		sail@3: peer:hull@^1`)
	app.Guides = []project.Guide{{
		About: "hull", To: "2", Advice: []project.Advice{
			{Kind: project.AboutSwallowed, Name: "part", Confidence: project.Sure, Source: "the yard"}}}}
	got, err := NewPlan(context.Background(), source,
		app, []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "deck", Constraint: "2"}}, Cut{})
	if err != nil {
		t.Fatal(err)
	}
	if want := "goal-2: hull 1.0.0>2.0.0; retire-part: part 1.0.0>-; goal-2-deck: deck 1.0.0>2.0.0"; changes(
		got) != want || got.AtGoal != 3 {
		t.Errorf("%d of %s, want 3 of %s", got.AtGoal, changes(got), want)
	}
	if len(got.Touches) != 1 {
		t.Errorf("%d facts touch it", len(got.Touches))
	}
}

// twoFrameworks is an application with two packages that others have as a peer, each of them in two or three majors.
func twoFrameworks(random *rand.Rand) string {
	var text strings.Builder
	text.WriteString("app: hull@^1 deck@^1")
	n := 2 + random.IntN(4)
	for i := range n {
		fmt.Fprintf(&text, " p%d@^1", i)
	}
	text.WriteString("\nhull@1\nhull@2\n")
	for major := range 2 + random.IntN(2) {
		fmt.Fprintf(&text, "deck@%d", major+1)
		if random.IntN(4) == 0 {
			fmt.Fprintf(&text, ": peer:hull@>=%d", 1+random.IntN(2))
		}
		text.WriteString("\n")
	}
	ranges := []string{"^1", "^1", "^2", "^1||^2", "^2||^3", ">=1"}
	for i := range n {
		for v := range 1 + random.IntN(3) {
			fmt.Fprintf(&text, "p%d@%d:", i, v+1)
			for _, other := range []string{"hull", "deck"} {
				if random.IntN(3) > 0 {
					of := ranges[random.IntN(len(ranges))]
					if v == 0 { // what is in use goes with what is in use
						of = ranges[[]int{0, 3, 5}[random.IntN(3)]]
					}
					fmt.Fprintf(&text, " peer:%s@%s", other, of)
				}
			}
			text.WriteString("\n")
		}
	}
	return text.String()
}

// TestGoalsInTurn: where two goals can be reached, a plan reaches both; every stage resolves with
// what its lines say, no two have one name, nothing goes back, the first goal stays where it got,
// and it is out of reach only where assess says so.
func TestGoalsInTurn(t *testing.T) {
	ctx := context.Background()
	count, reached, apart := seeds(100), 0, 0
	for seed := range count {
		text := twoFrameworks(rand.New(rand.NewPCG(uint64(seed), 19)))
		source, app := projecttest.Sketch(t, text)
		if app.Locked == nil {
			continue
		}
		goals := []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "deck", Constraint: "2"}}
		got, err := assess.Assess(ctx, source, app, goals...)
		if err != nil {
			t.Fatalf("universe %d: %v\n%s", seed, err, text)
		}
		p, err := NewPlan(ctx, source, app, goals, Cut{})
		if err != nil {
			t.Fatalf("universe %d: %v\n%s", seed, err, text)
		}
		fault := func(format string, args ...any) {
			t.Errorf("universe %d: %s\n%s\n%s", seed, fmt.Sprintf(format, args...), changes(p), text)
		}
		if p.Reachable != got.Reachable {
			fault("reachable is %v in the plan and %v in the assessment", p.Reachable, got.Reachable)
		}
		if !p.Reachable {
			continue
		}
		reached++
		lines := map[string]string{}
		for _, d := range app.Declared {
			lines[d.As] = d.Text
		}
		var ids []string
		before, met := app.Locked, false
		for i, st := range p.Stages {
			if slices.Contains(ids, st.ID) {
				fault("two stages are called %s", st.ID)
			}
			ids = append(ids, st.ID)
			if st.After == nil {
				continue
			}
			for _, c := range st.Changes {
				if c.From.Constraint != lines[c.Name] || c.From.Version != project.VersionOf(before, c.Name) {
					fault("stage %s begins with %s %s", st.ID, c.Name, c.From)
				}
				if lines[c.Name] = c.To.Constraint; c.To == (project.Point{}) {
					delete(lines, c.Name)
				}
			}
			var problem solve.Problem
			now := app
			now.Declared = slices.DeleteFunc(
				slices.Clone(app.Declared), func(d project.Declared) bool { return lines[d.As] == "" })
			for k := range now.Declared {
				now.Declared[k].Text = lines[now.Declared[k].As]
			}
			problem = now.Problem()
			if err := solve.Verify(ctx, source, problem, st.After); err != nil {
				fault("stage %s: %v", st.ID, err)
			}
			for name := range lines {
				pkg := source[name]
				if pkg.Index(project.VersionOf(st.After, name)) < pkg.Index(project.VersionOf(before, name)) {
					fault("stage %s takes %s back", st.ID, name)
				}
			}
			if met = met || strings.HasPrefix(project.VersionOf(st.After, "hull"), "2."); met &&
				!strings.HasPrefix(project.VersionOf(st.After, "hull"), "2.") {
				fault("stage %s leaves hull at %s", st.ID, project.VersionOf(st.After, "hull"))
			}
			if i == p.AtGoal-1 && (!met || !strings.HasPrefix(project.VersionOf(st.After, "deck"), "2.")) {
				fault("the goals are not reached at %s", st.ID)
			}
			before = st.After
		}
		goalStages := 0
		for _, st := range p.Stages[:p.AtGoal] {
			if st.Kind == GoalStage {
				goalStages++
			}
		}
		if goalStages > 1 {
			apart++
		}
	}
	if reached < count/10 || apart < count/20 {
		t.Errorf("%d reach both, %d in stages of their own: the universes are too tame", reached, apart)
	}
}
