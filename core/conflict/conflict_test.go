package conflict

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

func TestExplain(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3 deck@^1
		hulk@3.0
		hulk@3.1
		hulk@4.0
		deck@1.0: rudder@^2
		deck@1.1: rudder@^2
		rudder@2.0: peer:hulk@^4
		rudder@2.1: peer:hulk@^4`)
	knot := mustExplain(t, source, app)
	if len(knot.Contested) != 1 || knot.Contested[0].Name != "hulk" || len(knot.Contested[0].Sides) != 2 {
		t.Fatalf("contested %+v", knot.Contested)
	}
	near, far := knot.Contested[0].Sides[0], knot.Contested[0].Sides[1]
	if near.Demand.By != "" || near.Admits != "3.0.0 … 3.1.0" || len(near.Chain) != 1 {
		t.Errorf("the application's side is %+v", near)
	}
	var chain []string
	for _, d := range far.Chain {
		chain = append(chain, d.String())
	}
	if got := strings.Join(chain, "; "); got != "the application needs deck ^1; deck needs rudder ^2; rudder has the "+
		"peer hulk ^4" || far.Releases != "2.0.0 … 2.1.0" {
		t.Errorf("the other side comes by %s, asked by %s", got, far.Releases)
	}
}

// Several goals are asked about together: what is proposed leads to all of them, or says which is left out.
func TestWaysOfSeveralGoals(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 keel@^1 mast@^1
		hull@1.0
		hull@2.0
		keel@1.0: peer:hull@1||2
		keel@2.0: peer:hull@1
		mast@1.0
		mast@2.0: peer:keel@2`)
	goals := []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "mast", Constraint: "2"}}
	ways, err := GoalWays(context.Background(), source, app, goals, nil)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, w := range ways {
		got = append(got, w.Title.String()+": "+project.GoalTexts(w.Goals))
	}
	if want := "way: without a goal(mast@2): hull@2"; strings.Join(got, "; ") != want {
		t.Errorf("ways are %q, want %q", got, want)
	}
}

func TestExplainWhatIsNotThere(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: deck@^1\ndeck@1.0: ghost@^2")
	knot := mustExplain(t, source, app)
	if len(knot.Contested) != 1 || knot.Contested[0].Name != "ghost" || knot.Contested[0].Sides[0].Admits != "none" {
		t.Errorf("contested %+v", knot.Contested)
	}
}

func TestWaysOut(t *testing.T) {
	tests := []struct{ name, universe, want string }{
		{"one line moves", `
			app: hulk@^3 rudder@^2
			hulk@3.0
			hulk@4.0
			rudder@1.0: peer:hulk@^3
			rudder@2.0: peer:hulk@^4`,
			"move a line becomes(hulk, ^3, ^4); move a line becomes(rudder, ^2, ^1); drop way: take out(rudder); " +
				"drop way: take out(hulk)"},
		{"two lines have to", `
			app: hulk@^3 rudder@^2 sail@^2
			hulk@3.0
			rudder@1.0: peer:hulk@^3
			rudder@2.0: peer:hulk@^4
			sail@1.0: peer:hulk@^3
			sail@2.0: peer:hulk@^4 peer:rudder@^2`,
			"move all of these(a line becomes(rudder, ^2, ^1), a line becomes(sail, ^2, ^1))"},
		{"a preview", `
			app: hulk@^4 rudder@^1
			hulk@4.0
			rudder@1.0: peer:hulk@^3
			rudder@2.0-rc.1: peer:hulk@^4`,
			"preview way: with previews(rudder, a line becomes(rudder, ^1, ^2.0.0-rc.1)); drop way: take out(rudder)"},
		{"a successor", `
			app: hulk@^4 old@^1
			hulk@4.0
			old@1.0: peer:hulk@^3 # renamed to new
			new@1.0: peer:hulk@^4`,
			"replace way: replace(old, new, ^1.0.0); drop way: take out(old)"},
		{"nothing but a package less", `
			app: deck@^1
			deck@1.0: ghost@^2`,
			"drop way: take out(deck)"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			source, app := projecttest.Sketch(t, test.universe)
			app.Locked = nil
			ways, err := WaysOut(context.Background(), source, app, tangleOf(t, source, app))
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, w := range ways {
				got = append(got, string(w.Kind)+" "+w.Title.String())
			}
			for i, want := range strings.Split(test.want, "; ") {
				if i >= len(got) || got[i] != want {
					t.Fatalf("ways %q, want %q", got, test.want)
				}
			}
		})
	}
}

func TestGoalWays(t *testing.T) {
	source, app := projecttest.Sketch(
		t, strings.NewReplacer(" blocked@^1.0.0", "", "abandoned@1.0 # no longer maintained", "abandoned@1.0").Replace(
			projecttest.Harbour))
	ways, err := GoalWays(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "5"}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(ways) < 2 || ways[0].Kind != PreviewWay || !slices.Equal(ways[0].Preview, []string{"preview"}) {
		t.Errorf("ways %+v", ways)
	}
	source, app = projecttest.Sketch(t, "app: hulk@^3 keel@^1\nhulk@3.0\nhulk@4.0\nhulk@5.0\nkeel@1.0: "+
		"peer:hulk@^3\nkeel@2.0: peer:hulk@^4\nkeel@3.0: peer:hulk@^5")
	app.Held = []string{"keel"}
	if ways, err = GoalWays(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "5"}},
		nil); err != nil || len(ways) == 0 || ways[0].Kind != HoldWay {
		t.Errorf("a hold in the way: %+v, %v", ways, err)
	}
	source, app = projecttest.Sketch(
		t, "app: hulk@^3 keel@^1\nhulk@3.0\nhulk@4.0\nhulk@5.0\nkeel@1.0: peer:hulk@^3\nkeel@2.0: peer:hulk@^4")
	if ways, err = GoalWays(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "5"}},
		nil); err != nil || len(ways) != 3 || ways[0].Goals[0].String() != "hulk@4" || ways[1].Kind != DropWay ||
		!ways[2].Title.Equal(fact.New(SetAside, "keel", "hulk")) {
		t.Errorf("a lesser goal: %+v, %v", ways, err)
	}
	app.Held = nil
	if ways, err = GoalWays(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "4"}},
		nil); err != nil || len(ways) != 0 {
		t.Errorf("a goal that can be reached: %+v, %v", ways, err)
	}
}

// Every way out that is shown resolves when it is carried out, in universes of any shape.
func TestWaysOutAreReal(t *testing.T) {
	tangles, real := 0, map[WayKind]int{}
	for seed := range 700 {
		random := rand.New(rand.NewPCG(uint64(seed), 11))
		text := tangled(random)
		source, app := projecttest.Sketch(t, text)
		app.Locked = nil
		_, err := solve.Resolve(context.Background(), source, app.Problem())
		var tangle *solve.Tangle
		if !errors.As(err, &tangle) {
			continue
		}
		tangles++
		if _, err := Explain(context.Background(), source, app, tangle); err != nil {
			t.Fatal(err)
		}
		ways, err := WaysOut(context.Background(), source, app, tangle)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		for _, w := range ways {
			real[w.Kind]++
			if w.Kind == WaitWay {
				continue
			}
			after := app
			after.Declared = projecttest.Applied(app.Declared, w.Changes)
			after.Waived = w.Waive
			source := project.Waived(source, after)
			r, err := solve.Resolve(context.Background(), source, after.Problem())
			if err != nil {
				t.Fatalf("seed %d: %s does not resolve: %v\n%s", seed, w.Title, err, text)
			}
			if err := solve.Verify(context.Background(), source, after.Problem(), r); err != nil {
				t.Fatalf("seed %d: %s: %v\n%s", seed, w.Title, err, text)
			}
		}
	}
	if tangles < 300 || real[MoveWay] < 100 || real[DropWay] < 100 || real[PreviewWay] < 10 {
		t.Errorf("%d tangles, ways %v: the universes are too tame", tangles, real)
	}
	t.Logf("%d tangles, ways %v", tangles, real)
}

// tangled makes a small universe that often does not resolve.
func tangled(random *rand.Rand) string {
	names := []string{"a", "b", "c", "d"}
	var b strings.Builder
	b.WriteString("app:")
	for _, n := range names[:3] {
		fmt.Fprintf(&b, " %s@^%d", n, 1+random.IntN(3))
	}
	for _, n := range names {
		for v := 1; v <= 2+random.IntN(2); v++ {
			pre := ""
			if v > 2 && random.IntN(3) == 0 {
				pre = "-rc.1"
			}
			fmt.Fprintf(&b, "\n%s@%d.0%s:", n, v, pre)
			if other := names[random.IntN(4)]; other != n {
				fmt.Fprintf(&b, " %s%s@^%d", []string{"", "peer:", "peer:", "peer?:"}[random.IntN(4)], other, 1+random.IntN(3))
			}
		}
	}
	return b.String()
}

func tangleOf(t *testing.T, source universe.Source, app project.Application) *solve.Tangle {
	t.Helper()
	_, err := solve.Resolve(context.Background(), source, app.Problem())
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		t.Fatalf("there is no tangle: %v", err)
	}
	return tangle
}

func mustExplain(t *testing.T, source universe.Source, app project.Application) *Explanation {
	t.Helper()
	app.Locked = nil
	knot, err := Explain(context.Background(), source, app, tangleOf(t, source, app))
	if err != nil {
		t.Fatal(err)
	}
	return knot
}

// Several tangles at once have a way out when each has one.
func TestWaysOutOfSeveralTangles(t *testing.T) {
	pair := func(a, b string) string {
		return strings.NewReplacer("A", a, "B", b).Replace("\nA@1: peer:B@^1\nA@2: peer:B@^2\nB@1\nB@2")
	}
	source, app := projecttest.Sketch(
		t, "app: a@^1 b@^2 c@^1 d@^2 e@^1 f@^2 g@^1 h@^2"+pair("a", "b")+pair("c", "d")+pair("e", "f")+pair("g", "h"))
	app.Locked = nil
	ways, err := WaysOut(context.Background(), source, app, tangleOf(t, source, app))
	if err != nil || len(ways) == 0 || ways[0].Kind != MoveWay || len(ways[0].Changes) != 4 {
		t.Errorf("four tangles: %+v, %v", ways, err)
	}
	source, app = projecttest.Sketch(t, "app: a@^1 b@^1 c@^1 d@^1\na@1: ghost@^1\nb@1: ghoul@^1\nc@1: peer:d@^2\nd@1\nd@2")
	app.Locked = nil
	ways, err = WaysOut(context.Background(), source, app, tangleOf(t, source, app))
	if err != nil || len(ways) == 0 || !ways[0].Title.Equal(allOf([]fact.Fact{
		fact.New(TakeOut, "a"), fact.New(TakeOut, "b"), fact.New(LineBecomes, "d", "^1", "^2")})) {
		t.Errorf("two packages that cannot stay, and one that moves: %+v, %v", ways, err)
	}
}

// Where many packages are in the way, not every combination of what could be done about each is tried.
func TestManyInTheWay(t *testing.T) {
	text := "app: hull@^1"
	for i := range 30 {
		text += fmt.Sprintf(" p%d@^1.1", i)
	}
	text += "\nhull@1\nhull@2\n"
	for i := range 30 {
		text += fmt.Sprintf("p%d@1.0: peer:hull@1||2\np%d@1.1: peer:hull@1\np%d@2.0-rc.1: peer:hull@2\n", i, i, i)
	}
	source, app := projecttest.Sketch(t, text)
	ways, err := GoalWays(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}}, nil)
	if err != nil || len(ways) > mostWays {
		t.Fatalf("%d ways, %v", len(ways), err)
	}
}

// Of many demands people see a few, and what they hang on first.
func TestCausesFirst(t *testing.T) {
	text := "app: kit@1\nkit@1: sis@>=1\n"
	for i := range 40 {
		text += fmt.Sprintf("sis@1.%d: core@1.%d\ncore@1.%d: never@1\n", i, i, i)
	}
	source, app := projecttest.Sketch(t, text+"never@1\n")
	never := source["never"].At(0)
	never.Needs = append(never.Needs, universe.Unbuilt("has no wheel"))
	source["never"] = universe.NewPackage("never", app.Scheme, []universe.Release{*never})
	app.Locked = nil
	got := mustExplain(t, source, app)
	if len(got.Contested) == 0 || len(got.Contested) > mostShown || !universe.IsUnbuilt(got.Contested[0].Name) {
		t.Errorf("%d contests, %+v", len(got.Contested), got.Contested)
	}
	for _, c := range got.Contested {
		if len(c.Sides) > mostShown {
			t.Errorf("%s has %d sides", c.Name, len(c.Sides))
		}
	}
	if got.More < 30 {
		t.Errorf("%d more demands are counted", got.More)
	}
}
