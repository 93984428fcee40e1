package assess

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// A house that wants a bounded range does not take an open one for an answer.
func TestEvidenceThatTheHouseWants(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: "+
		"peer:hulk@>=3\nkeel@2.0: peer:hulk@^3||^4\nmast@1.0: peer:hulk@>=3")
	for _, test := range []struct {
		grade      project.Grade
		keel, mast project.Standing
	}{{"", project.Ready, project.Ready}, {project.Open, project.Ready, project.Ready},
		{project.Stated, project.Bridge, project.Blocked}} {
		app.Rules.Evidence = test.grade
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"})
		if err != nil || find(got, "keel").Standing != test.keel || find(got, "mast").Standing != test.mast {
			t.Errorf("with %q: %s and %s, %v", test.grade, find(got, "keel").Standing, find(got, "mast").Standing, err)
		}
	}
}

// Packages that nobody declares are named when something has to happen to them, and waited for when they block.
func TestTransitivesAndWaits(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0
		hulk@3.0
		hulk@4.0
		keel@1.0: bolt@^1 nut@^1
		bolt@1.0: peer:hulk@^3
		bolt@1.1: peer:hulk@^3||^4
		nut@1.0: peer:hulk@^3
		mast@1.0`)
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if err != nil {
		t.Fatal(err)
	}
	if nut := find(got, "nut"); nut.Standing != project.Blocked || nut.Group != transitive || nut.By != "keel" ||
		nut.Evidence[0].Grade != project.Refused {
		t.Errorf("nut: %+v", nut)
	}
	if got.Reachable || len(got.Waits) != 1 ||
		!slices.ContainsFunc(got.Waits, func(w Wait) bool { return w.Package == "nut" }) {
		t.Errorf("it waits for %+v", got.Waits)
	}
	source, app = projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: bolt@^1\nbolt@1.0: "+
		"peer:hulk@^3\nbolt@1.1: peer:hulk@^3||^4\nbolt@1.2: peer:hulk@^4")
	if got, err = Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"}); err != nil {
		t.Fatal(err)
	}
	if bolt := find(got, "bolt"); !got.Reachable || bolt.To != "1.2.0" || bolt.First != "1.1.0" || bolt.Newest != "1.2.0" {
		t.Errorf("bolt: %+v", bolt)
	}
}

// What the framework is going to swallow in a later major does not retire at an earlier one.
func TestSwallowedLater(t *testing.T) {
	source, app := projecttest.Sketch(
		t, "app: hulk@^3.0.0 part@^1.0.0\nhulk@3.0\nhulk@4.0\nhulk@5.0\npart@1.0 # part of hulk since 5.0")
	for goal, want := range map[string]project.Standing{"4": project.Silent, "5": project.Retires} {
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: goal})
		if err != nil || find(got, "part").Standing != want {
			t.Errorf("towards %s it is %s, %v", goal, find(got, "part").Standing, err)
		}
	}
}

// What is done side by side fails with the first of its errors, whichever comes first in time.
func TestSideBySide(t *testing.T) {
	first, second := errors.New("first"), errors.New("second")
	err := SideBySide(50, func(i int) error {
		switch i {
		case 20:
			time.Sleep(time.Millisecond)
			return first
		case 40:
			return second
		}
		return nil
	})
	if err != first {
		t.Errorf("%v", err)
	}
}

func TestStandings(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Harbour)
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{
		"ready": "ready", "silent": "silent", "bridge": "bridge 2.0.0", "with": "together 3.0.0", "blocked": "blocked",
		"preview": "blocked (2.0.0-rc.1)", "renamed": "retiring reborn", "swallowed": "retiring", "abandoned": "retiring",
	}
	for _, p := range got.Packages {
		is := strings.TrimSpace(string(p.Standing) + " " + p.To)
		if p.Preview != "" {
			is += " (" + p.Preview + ")"
		}
		if is != want[p.Name] {
			t.Errorf("%s is %s, want %s", p.Name, is, want[p.Name])
		}
	}
	if got.Reachable || got.Tangle != nil || got.Release != "5.1.0" {
		t.Errorf("reachable %v, tangle %v, release %s", got.Reachable, got.Tangle, got.Release)
	}
}

// A preview counts when someone said so, and only for the package of which it was said.
func TestPreviewAllowed(t *testing.T) {
	source, app := projecttest.Sketch(t, strings.NewReplacer(" blocked@^1.0.0", "").Replace(projecttest.Harbour))
	app.Previews = []string{"preview"}
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if p := find(got, "preview"); p.Standing != project.Together || p.To != "2.0.0-rc.1" || !got.Reachable {
		t.Errorf("preview is %s at %s, reachable %v", p.Standing, p.To, got.Reachable)
	}
}

func TestEvidence(t *testing.T) {
	day := func(text string) time.Time {
		d, err := time.Parse(time.DateOnly, text)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	days := func(n int) fact.Counted { return fact.Counted{N: n, Of: "day"} }
	tests := []struct {
		name, peer, published string
		locked                string
		grade                 project.Grade
		says                  fact.Fact
	}{
		{"bounded and younger", "^4||^5", "2025-06-01", "1.0.0", project.Stated,
			fact.New(DaysAfter, fact.New(Asks, "hulk ^4||^5"), "2025-06-01", days(31), "hulk", "5.0.0")},
		{"bounded and older", "^4||^5", "2025-04-01", "1.0.0", project.Early,
			fact.New(DaysBefore, fact.New(Asks, "hulk ^4||^5"), "2025-04-01", days(30), "hulk", "5.0.0")},
		{"unbounded", ">=3", "2025-06-01", "1.0.0", project.Open,
			fact.New(AsksOpenly, fact.New(Asks, "hulk >=3"))},
		{"excluded", "^3", "2025-06-01", "1.0.0", project.Refused, fact.New(Asks, "hulk ^3")},
		{"without a date", "^5", "", "1.0.0", project.Stated, fact.New(Asks, "hulk ^5")},
		{"silent", "", "2025-06-01", "1.0.0", project.None,
			fact.New(ReleaseSilent, "plug", "1.0.0", "hulk")},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			demand := ""
			if test.peer != "" {
				demand = ": peer:hulk@" + test.peer
			}
			source, app := projecttest.Sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0"+demand)
			app.Locked = nil
			source["hulk"].At(0).Published, source["hulk"].At(1).Published = day("2022-01-01"), day("2025-05-01")
			if test.published != "" {
				source["plug"].At(0).Published = day(test.published)
			}
			got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
			if err != nil {
				t.Fatal(err)
			}
			e := find(got, "plug").Evidence
			if len(e) != 1 || e[0].Grade != test.grade || !e[0].Says.Equal(test.says) ||
				e[0].Where.Of[0] != "plug" || e[0].Where.Of[1] != "1.0.0" {
				t.Errorf("evidence %+v, want %s that says %s", e, test.grade, test.says)
			}
		})
	}
}

// Publication times that contradict the order of versions prove nothing, and the assessment says so once.
func TestEvidenceWithoutOrder(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0: peer:hulk@^5")
	app.Locked = nil
	source["hulk"].At(0).Published = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	source["hulk"].At(1).Published = time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC)
	source["plug"].At(0).Published = time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if e := find(got, "plug").Evidence; len(e) != 1 || e[0].Grade != project.Stated ||
		!e[0].Says.Equal(fact.New(Asks, "hulk ^5")) {
		t.Errorf("evidence %+v", e)
	}
	if len(got.Remarks) != 1 || !got.Remarks[0].Is(DatesInDisorder) {
		t.Errorf("remarks %s", got.Remarks)
	}
}

// A package that needs the framework instead of peering on it could bring a second copy, and that is said.
func TestNeedOfFramework(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0: hulk@^5")
	app.Locked = nil
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if e := find(got, "plug").Evidence; len(e) != 1 || !e[0].Says.Is(SecondCopy) ||
		!e[0].Where.Equal(fact.New(AtDemands, "plug", "1.0.0", "needs")) {
		t.Errorf("evidence %+v", e)
	}
}

func TestRetirement(t *testing.T) {
	tests := []struct {
		says string
		want Retirement
	}{
		{"", Retirement{}},
		{"renamed to lantern-words", Retirement{Kind: project.Renamed, Successor: "lantern-words"}},
		{"This package has moved to @quay/words.", Retirement{Kind: project.Renamed, Successor: "@quay/words"}},
		{"Deprecated, please use `lantern-words` instead", Retirement{Kind: project.Renamed, Successor: "lantern-words"}},
		{"part of hulk since 5.0", Retirement{Kind: project.Swallowed}},
		{"now built into hulk; remove it", Retirement{Kind: project.Swallowed}},
		{"no longer maintained", Retirement{Kind: project.Abandoned}},
		{"please use the new one", Retirement{Kind: project.Abandoned}},
		{"use plug@2", Retirement{Kind: project.Abandoned}},
	}
	for _, test := range tests {
		source, _ := projecttest.Sketch(t, "app: plug@*\nplug@1.0\nplug@1.1\nplug@2.0-rc.1")
		source["plug"].At(1).Deprecated = test.says
		got := RetirementOf(source["plug"], "hulk")
		switch {
		case test.says == "":
			if got != nil {
				t.Errorf("nothing was said, and read as %+v", got)
			}
		case got == nil || got.Kind != test.want.Kind || got.Successor != test.want.Successor || !got.Says.Equal(fact.Quote(test.says)):
			t.Errorf("%q was read as %+v", test.says, got)
		}
	}
}

func TestRuntimes(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@5.0")
	source["hulk"].At(1).Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}, {Name: "toolchain", Text: ">=9"}}
	for deployed, want := range map[string]bool{"20.1.0": false, "22.4.0": true, "": false} {
		app.Runtimes = nil
		if deployed != "" {
			app.Runtimes = project.Runtimes{"node": project.Everywhere(deployed)}
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
		if err != nil {
			t.Fatal(err)
		}
		if len(got.Runtimes) != 1 || got.Runtimes[0].Met != want || got.Runtimes[0].By != "hulk 5.0.0" {
			t.Errorf("with %q deployed: %+v", deployed, got.Runtimes)
		}
	}
}

func TestGoals(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@5.0\nhulk@6.0-preview.1\nkeel@1.0")
	for goal, says := range map[string]string{
		"hull@5": "no declared package has this name", "hluk@5": "did you mean hulk?",
		"hulk@7": "published majors: 3, 5, 6 (previews only)",
		"hulk@6": "published majors", "hulk@five": "expected a number",
	} {
		_, err := Assess(context.Background(), source, app, project.ParseGoal(goal))
		var wrong *project.GoalError
		if !errors.As(err, &wrong) || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want an error that says %q", goal, err, says)
		}
	}
	got, err := Assess(context.Background(), source, app, project.ParseGoal("hulk"))
	if err != nil || got.Goal.Constraint != "5" {
		t.Errorf("without a constraint the goal is %v: %v", got, err)
	}
	app.Previews = []string{"hulk"}
	if got, err := Assess(context.Background(), source, app, project.ParseGoal("hulk@6")); err != nil ||
		got.Release != "6.0.0-preview.1" {
		t.Errorf("a preview that was allowed: %v, %v", got, err)
	}
}

func find(a *Assessment, name string) Assessed {
	i := slices.IndexFunc(a.Packages, func(p Assessed) bool { return p.Name == name })
	return a.Packages[i]
}
