package plan

import (
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem/js/ranges"
	"molt/samples/projecttest"
)

func planFor(t *testing.T, source universe.Table, app project.Application, cut Cut, goals ...string) *Plan {
	t.Helper()
	var all []project.Goal
	for _, g := range goals {
		all = append(all, project.ParseGoal(g))
	}
	plan, err := NewPlan(context.Background(), source, app, all, cut)
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

func TestFreshAndLeap(t *testing.T) {
	for _, test := range []struct {
		cut  Cut
		want string
	}{
		{Cut{}, "patch: hulk 3.0.0>3.0.1; minor: keel 1.0.0>1.2.0; goal-4: hulk 3.0.1>4.0.0; goal-5: hulk 4.0.0>5.0.0; " +
			"after-keel: keel 1.2.0>2.0.0; after-mast: mast 1.0.0>2.0.0"},
		{Cut{Fresh: FreshMinor}, "patch: hulk 3.0.0>3.0.1; minor: keel 1.0.0>1.2.0; goal-4: hulk 3.0.1>4.0.0; goal-5: hulk " +
			"4.0.0>5.0.0"},
		{Cut{Fresh: FreshPatch, Leap: true}, "patch: hulk 3.0.0>3.0.1; goal-5: hulk 3.0.1>5.0.0"},
		{Cut{Fresh: FreshNone, Leap: true}, "goal-5: hulk 3.0.0>5.0.0"},
	} {
		source, app := projecttest.Sketch(t, projecttest.Jetty)
		if got := changes(planFor(t, source, app, test.cut, "hulk@5")); got != test.want {
			t.Errorf("%+v:\ngot  %s\nwant %s", test.cut, got, test.want)
		}
	}
}

func TestFurtherGoals(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Jetty)
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.1.0")}
	plan := planFor(t, source, app, Cut{Fresh: FreshNone}, "hulk@4", "keel@2", "node@22")
	if got := changes(plan); got != "runtime-4: ; goal-4: hulk 3.0.0>4.0.0; goal-2: keel 1.0.0>2.0.0" || !plan.Reachable ||
		plan.AtGoal != 3 {
		t.Errorf("the plan is %s", got)
	}
	// On the way the further goal need not be reached yet.
	source, app = projecttest.Sketch(
		t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nhulk@5.0\nkeel@1.0: peer:hulk@3||4\nkeel@2.0: peer:hulk@5")
	if got := changes(planFor(t, source, app, Cut{},
		"hulk@5", "keel@2")); got != "goal-4: hulk 3.0.0>4.0.0; goal-5: hulk 4.0.0>5.0.0, keel 1.0.0>2.0.0" {
		t.Errorf("the plan is %s", got)
	}
	// With the goal reached, a runtime alone is raised, and nothing moves for it.
	source, app = projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@3.1")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	app.Locked.Packages[0].Version, app.Locked.Packages[0].ID, app.Locked.Roots[0].To = "3.0.0", "hulk@3.0.0", "hulk@3.0.0"
	if got := changes(planFor(t, source, app, Cut{Fresh: FreshNone}, "hulk@3", "node@22")); got != "runtime-3: " {
		t.Errorf("the plan is %s", got)
	}
	// The goal is there already, and the other one is not.
	source, app = projecttest.Sketch(t, strings.Replace(projecttest.Jetty, "hulk@^3.0.0", "hulk@^4.0.0", 1))
	if got := changes(planFor(t, source, app, Cut{Fresh: FreshNone}, "hulk@4", "mast@2")); !strings.Contains(
		got, "mast 1.0.0>2.0.0") {
		t.Errorf("the plan is %s", got)
	}
	// Two that exclude each other.
	source, app = projecttest.Sketch(
		t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0\nkeel@2.0: peer:hulk@^3")
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"},
		project.Goal{Name: "keel", Constraint: "2"})
	if err != nil || got.Reachable {
		t.Errorf("%+v, %v", got, err)
	}
	for _, goals := range [][]project.Goal{
		{{Name: "hulk", Constraint: "4"}, {Name: "ghost", Constraint: "1"}},
		{{Name: "hulk", Constraint: "4"}, {Name: "hulk", Constraint: "3"}},
		{{Name: "hulk", Constraint: "4"}, {Name: "node", Constraint: "new"}},
		{{Name: "hulk", Constraint: "4"}, {Name: "keel", Constraint: "9"}}} {
		var wrong *project.GoalError
		if _, err := assess.Assess(context.Background(), source, app, goals...); !errors.As(err, &wrong) {
			t.Errorf("%v: %v", goals, err)
		}
	}
}

// A guide's facts change standings, and what is only guessed does not.
func TestGuides(t *testing.T) {
	text := "app: hulk@^3.0.0 keel@^1.0.0 old@^1.0.0 " +
		"part@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0\nkeel@2.0\nkeel@3.0\nold@1.0\nnew@1.0\npart@1.0"
	for _, confidence := range []project.Confidence{project.Sure, project.Reported, project.Guessed} {
		source, app := projecttest.Sketch(t, text)
		app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
		facts := []project.Advice{{Kind: project.AboutCompanion, Name: "keel", Needs: "^2.0.0"},
			{Kind: project.AboutRenamed, Name: "old", Becomes: "new"},
			{Kind: project.AboutSwallowed, Name: "part"}, {Kind: project.AboutRuntime, Name: "node", Needs: ">=22"},
			{Kind: project.AboutCompanion, Name: "elsewhere", Needs: "1"},
			{Kind: project.AboutSymbol, Name: "launch", In: "hulk"}, {Kind: project.AboutLink, Link: "https://hulk.example/4"}}
		for i := range facts {
			facts[i].Confidence, facts[i].Source = confidence, "the yard"
		}
		app.Guides = []project.Guide{{About: "hulk", To: "4", Advice: facts}, {About: "hulk", To: "9", Advice: facts},
			{About: "other", To: "4", Advice: facts}}
		got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"})
		if err != nil {
			t.Fatal(err)
		}
		standings := string(find(got, "keel").Standing + " " + find(got, "old").Standing + " " + find(got, "part").Standing)
		plan := changes(planFor(t, source, app, Cut{Fresh: FreshNone}, "hulk@4"))
		want, wantPlan := "together retiring retiring",
			"runtime-4: ; goal-4: hulk 3.0.0>4.0.0, keel 1.0.0>2.0.0; retire-part: part 1.0.0>"
		if confidence == project.Guessed {
			want, wantPlan = "silent silent silent", "goal-4: hulk 3.0.0>4.0.0"
		}
		if standings != want || strings.ReplaceAll(plan, "-,", ",") == "" {
			t.Errorf("%s: the standings are %s, not %s", confidence, standings, want)
		}
		if normal := strings.NewReplacer("1.0.0>-", "1.0.0>", "new ->", "new >").Replace(plan); normal != wantPlan {
			t.Errorf("%s:\ngot  %s\nwant %s", confidence, normal, wantPlan)
		}
		// Facts about packages that are not here, and symbols that nobody uses, do not touch the application.
		if len(got.Touches) != 5 {
			t.Errorf("%d facts touch it: %+v", len(got.Touches), got.Touches)
		}
		if e := find(got, "keel").Evidence; confidence != project.Guessed &&
			!slices.ContainsFunc(e, func(e assess.Evidence) bool { return e.Grade == project.Advised }) {
			t.Errorf("the evidence is %+v", e)
		}
	}
}

// What advice wants to move together with a major is not reached by a minor stage before it.
func TestTogetherByAdvice(t *testing.T) {
	for _, test := range []struct {
		together bool
		want     string
	}{
		{false, "minor: keel 1.0.0>1.5.0; goal-4: hulk 3.0.0>4.0.0"},
		{true, "minor: keel 1.0.0>1.4.0; goal-4: hulk 3.0.0>4.0.0, keel 1.4.0>1.5.0"},
	} {
		source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0\nkeel@1.4\nkeel@1.5")
		app.Guides = []project.Guide{{
			About: "hulk", To: "4", Advice: []project.Advice{
				{Kind: project.AboutCompanion, Name: "keel", Needs: ">=1.5", Together: test.together,
					Confidence: project.Sure, Source: "the yard"}}}}
		if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); got != test.want {
			t.Errorf("together %v:\ngot  %s\nwant %s", test.together, got, test.want)
		}
	}
}

func TestHouseRules(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Jetty)
	for name, licence := range map[string]string{"keel": "MIT OR GPL-3.0-only", "mast": "GPL-3.0-only", "hulk": "MIT"} {
		for i := range source[name].Len() {
			source[name].At(i).Licence = licence
		}
	}
	app.Rules = project.Policy{AllowLicences: []string{"MIT"}, Refuse: []string{"bilge*"}}
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	if got := changes(plan); strings.Contains(got, "mast") || !strings.Contains(got, "keel 1.2.0>2.0.0") {
		t.Errorf("the plan is %s", got)
	}
	costs, err := plan.Costs(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "4"}}, Cut{})
	if err != nil || len(costs) != 1 || !costs[0].Equal(fact.New(Without, fact.New(PolicyRule), fact.Joined(
		fact.New(MoreStages, fact.Counted{N: 1, Of: "stage"}), fact.New(EndsAt, "mast 2.0.0")))) {
		t.Errorf("it costs %s, %v", costs, err)
	}
	old := project.Policy{Oldest: 24 * time.Hour, Now: time.Date(2026, 1, 3, 0, 0, 0, 0, time.UTC)}
	if old.Breach("x", &universe.Release{Published: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)}) == "" ||
		old.Breach("x", &universe.Release{}) != "" {
		t.Error("the age of a release is not looked at")
	}
	for name, want := range map[string]string{
		"mast": "the policy hides 1 of 2 releases of mast; 2.0.0: the policy does not allow the licence GPL-3.0-only",
		"keel": "", "ghost": ""} {
		if says, err := project.Hidden(context.Background(), source, app, name); err != nil || says != want {
			t.Errorf("hidden of %s: %q, %v", name, says, err)
		}
	}
	fixed := app
	fixed.Fixed = map[string]string{"keel": "1.0.0"}
	if says, err := project.Hidden(context.Background(), source, fixed, "keel"); err != nil ||
		says != "keel is given from outside, at 1.0.0" {
		t.Errorf("hidden of what is given: %q, %v", says, err)
	}
	if app.Rules.Breach("bilgepump", source["hulk"].Release("3.0.0")) != "the policy refuses bilgepump" {
		t.Error("a pattern does not match")
	}
}

func TestFixedIsKept(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Jetty)
	app.Fixed = map[string]string{"keel": "1.2.0", "mast": "7.0.0"}
	var missing *project.FixedError
	if _, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "4"}},
		Cut{}); !errors.As(err, &missing) || missing.Name != "mast" {
		t.Errorf("what is given and does not exist: %v", err)
	}
	app.Fixed = map[string]string{"keel": "1.2.0"}
	if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); strings.Contains(got, "keel 1.2.0>") ||
		!strings.Contains(got, "mast 1.0.0>2.0.0") {
		t.Errorf("the plan is %s", got)
	}
}

func TestWaitsThatAreEnough(t *testing.T) {
	source, app := projecttest.Sketch(
		t, "app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: peer:hulk@^3\nmast@1.0: peer:hulk@^3")
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if err != nil || len(got.Waits) != 2 || !got.Enough {
		t.Errorf("%+v, %v", got, err)
	}
}

// Out of reach, a plan sketches what comes after the wall.
func TestBeyondTheWall(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: "+
		"peer:hulk@^3\nkeel@2.0: peer:hulk@^4\nmast@1.0: peer:hulk@^3")
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	if plan.Reachable || len(plan.Stages) != 0 || len(plan.Sketch) != 1 || plan.Sketch[0].ID != "goal-4" ||
		len(plan.Sketch[0].Changes) != 2 {
		t.Errorf("stages %+v, beyond %+v", plan.Stages, plan.Sketch)
	}
}

// Families are found by scope, stem or repository, together with equal release numbers; the ground is told.
func TestFamiliesAreFound(t *testing.T) {
	text := "app: hulk@^3.0.0 @yard/a@^1.0.0 @yard/b@^1.0.0 rope@^1.0.0 line@^1.0.0 rope-x@^1.0.0\nhulk@3.0\nhulk@4.0\n"
	for _, name := range []string{"@yard/a", "@yard/b", "rope", "line"} {
		text += name + "@1.0\n" + name + "@2.0\n" + name + "@3.0\n"
	}
	source, app := projecttest.Sketch(t, text+"rope-x@1.0\nrope-x@5.0\n")
	source["rope"].Notes.Repository, source["line"].Notes.Repository = "https://code.example/ropes.git",
		"https://code.example/ropes"
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	grounds := map[string]fact.Fact{}
	for _, st := range plan.Stages {
		grounds[st.ID] = st.Family
	}
	if !grounds["after-yard-a"].Equal(fact.New(assess.SameNumbers, fact.New(project.OneScope))) ||
		!grounds["after-rope"].Equal(fact.New(assess.SameNumbers, fact.New(assess.OneRepository))) ||
		!grounds["after-rope-x"].None() {
		t.Errorf("the grounds are %s in %s", grounds, changes(plan))
	}
}

func TestRuntimesOfSeveralEnvironments(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@4.0")
	source["hulk"].At(1).Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}}
	app.Runtimes = project.Runtimes{"node": {"production": "20.1.0", "staging": "22.3.0"}}
	app.Pins = []project.Pin{{Name: "node", Version: "20", Where: ".node-version:1"}}
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if err != nil || len(got.Runtimes) != 1 || got.Runtimes[0].Met {
		t.Fatalf("%+v, %v", got, err)
	}
	need := got.Runtimes[0]
	if e := need.Environments(); len(e) != 2 || e[0].Met || !e[1].Met || len(need.Pins) != 1 || need.Pins[0].Met {
		t.Errorf("environments %+v, pins %+v", e, need.Pins)
	}
	if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); got != "runtime-4: ; goal-4: hulk 3.0.0>4.0.0" {
		t.Errorf("the plan is %s", got)
	}
	app.Declared[0].Text = "^4.0.0"
	app.Locked = nil
	_, err = project.Relock(context.Background(), source, app)
	if tangle := solve.AsTangle(err); tangle == nil || !strings.Contains(err.Error(), "node (runtime, production)") ||
		strings.Contains(err.Error(), "staging") {
		t.Errorf("the tangle is %v", err)
	}
}

func TestOwnJump(t *testing.T) {
	change := func(group, from, to string) project.Change {
		c := project.Change{Name: "keel", Group: group}
		if from != "" {
			c.From = project.Point{Constraint: "^" + from, Version: from}
		}
		if to != "" {
			c.To = project.Point{Constraint: "^" + to, Version: to}
		}
		return c
	}
	for _, test := range []struct {
		raised  bool
		changes []project.Change
		want    version.Jump
	}{
		{false, nil, version.Same},
		{false, []project.Change{change("main", "1.0.0", "1.1.0")}, version.Patch},
		{false, []project.Change{change("tools", "1.0.0", "2.0.0")}, version.Patch},
		{false, []project.Change{change("main", "1.0.0", "2.0.0")}, version.Minor},
		{false, []project.Change{change("main", "", "2.0.0")}, version.Minor},
		{false, []project.Change{change("main", "1.0.0", "")}, version.Minor},
		{true, []project.Change{change("main", "1.0.0", "1.0.1")}, version.Major},
	} {
		if got, why := OwnJump(ranges.Scheme, "main", test.raised, test.changes); got != test.want ||
			why.None() != (got == version.Same) {
			t.Errorf("%+v: %s, %s", test.changes, got, why)
		}
	}
}

// The reason for a move names who asks for it, as far as somebody does.
func TestReasonsNameWhoAsks(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 tongue@~4.9.0 rig@^1.0.0
		hulk@3.0
		hulk@4.0
		rig@1.0: peer:hulk@^3 peer:tongue@<5
		rig@2.0: peer:hulk@^4 peer:tongue@^5
		tongue@4.9
		tongue@5.4`)
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	reasons := map[string]fact.Fact{}
	for _, c := range plan.Stages[0].Changes {
		reasons[c.Name] = c.Reason
	}
	if !reasons["tongue"].Equal(fact.New(IsAskedFor, "rig 2.0.0", "tongue", "^5")) || !reasons["hulk"].Is(IsTheGoal) ||
		!reasons["rig"].Is(NoneForBoth) {
		t.Errorf("the reasons are %s", reasons)
	}
}

func TestGoalsBehind(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^4.0.0\nhulk@3.0\nhulk@4.0\nhulk@4.1")
	var wrong *project.GoalError
	if _, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "3"}); !errors.As(
		err, &wrong) || !strings.Contains(err.Error(), "older than what is in use, 4.1.0") {
		t.Errorf("a goal behind: %v", err)
	}
	if plan := planFor(t, source, app, Cut{}, "hulk@4"); !plan.Reachable || changes(plan) != "" {
		t.Errorf("a goal that is reached: %s", changes(plan))
	}
}

// With the framework's newest release before the fewest locked packages moved, nobody ends at the oldest of a major.
func TestGoalIsTheNewestThatResolves(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0: rope@^1\nhulk@4.0: rope@^1\nhulk@4.1: "+
		"rope@^2\nhulk@4.2: ghost@^9\nrope@1.0\nrope@2.0\nghost@1.0")
	if got := changes(planFor(t, source, app, Cut{Fresh: FreshNone}, "hulk@4")); got != "goal-4: hulk 3.0.0>4.1.0" {
		t.Errorf("the plan is %s", got)
	}
}

// find returns an assessed package by its name.
func find(a *assess.Assessment, name string) assess.Assessed {
	for _, got := range a.Packages {
		if got.Name == name {
			return got
		}
	}
	return assess.Assessed{}
}

// What is published with the framework and ends at the old major moves nowhere; the plan says so.
// One with numbers of its own is left in peace.
func TestCompanionThatEnds(t *testing.T) {
	for packages, want := range map[string]int{
		"app: hulk@^2.6.0 hulk-shaper@^2.6.0\nhulk@2.6\nhulk@2.7\nhulk@3.0\nhulk@3.1\nhulk@3.2\nhulk@3.3\nhulk-shaper@2.6\nhulk-shaper@2.7":                  1,
		"app: hulk@^2.6.0 hulk-shaper@^2.6.0\nhulk@2.6\nhulk@2.7\nhulk@3.0\nhulk@3.1\nhulk@3.2\nhulk@3.3\nhulk-shaper@2.6\nhulk-shaper@2.7\nhulk-shaper@3.0": 0,
		"app: hulk@^2.6.0 hulk-shaper@^1.2.0\nhulk@2.6\nhulk@2.7\nhulk@3.0\nhulk@3.1\nhulk@3.2\nhulk@3.3\nhulk-shaper@1.2\nhulk-shaper@1.3":                  0,
	} {
		source, app := projecttest.Sketch(t, packages)
		plan := planFor(t, source, app, Cut{}, "hulk@3")
		if len(plan.Behind) != want ||
			want > 0 && !plan.Behind[0].Why.Equal(fact.New(NumbersEnd, "hulk", "hulk", "3")) {
			t.Errorf("%s: behind %+v", packages, plan.Behind)
		}
	}
}

// What is named after the framework and follows its majors never passes the goal's, in any part of the plan.
func TestNeverPastTheGoal(t *testing.T) {
	packages := "app: hulk@^3.0.0 hulk-draw@^3.0.0 " +
		"keel@^1.0.0\nhulk@3.0\nhulk@4.0\nhulk@5.0\nhulk-draw@3.1\nhulk-draw@4.2\nhulk-draw@4.3\nhulk-draw@5.4\nkeel@1.0\nkeel@5.0"
	source, app := projecttest.Sketch(t, packages)
	for _, name := range []string{"hulk", "hulk-draw"} {
		for i := range source[name].Len() { // a year a major, the companion a month after it
			r := source[name].At(i)
			major, _ := strconv.Atoi(r.Version.String()[:1])
			r.Published = time.Date(2020+major, time.Month(1+len(name)/5), 1, 0, 0, 0, 0, time.UTC)
		}
	}
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	last := map[string]string{}
	for _, st := range plan.Stages {
		for _, c := range st.Changes {
			last[c.Name] = c.To.Version
		}
	}
	if last["hulk"] != "4.0.0" || last["hulk-draw"] != "4.3.0" || last["keel"] != "5.0.0" {
		t.Errorf("the plan ends at %v: %s", last, changes(plan))
	}
	if len(plan.Behind) != 1 || plan.Behind[0].Name != "hulk-draw" ||
		!plan.Behind[0].Why.Equal(fact.New(FollowsGoal, "hulk")) {
		t.Errorf("behind %+v", plan.Behind)
	}
	// Equal numbers alone are a coincidence: a companion that had its majors at other times does not follow.
	for i := range source["hulk-draw"].Len() {
		source["hulk-draw"].At(i).Published = time.Date(2019, time.Month(1+i), 1, 0, 0, 0, 0, time.UTC)
	}
	if plan = planFor(t, source, app, Cut{}, "hulk@4"); len(plan.Behind) != 0 {
		t.Errorf("behind %+v", plan.Behind)
	}
}

// That the checks passed here is what weighs most; with another release, or beside another of the
// framework, it says nothing.
func TestWhatRanHere(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: "+
		"peer:hulk@>=3\nmast@1.0: peer:hulk@3\nmast@2.0: peer:hulk@4")
	for versions, want := range map[[3]string]int{
		{"4.0.0", "1.0.0", "2.0.0"}: 2, {"4.0.0", "1.0.0", "1.0.0"}: 1, {"3.0.0", "1.0.0", "2.0.0"}: 0} {
		app.Ran = []project.Passed{{Lock: "x",
			Versions: map[string]string{"hulk": versions[0], "keel": versions[1], "mast": versions[2]}}}
		got, err := assess.Assess(context.Background(), source, app, project.ParseGoal("hulk@4"))
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, p := range got.Packages {
			if len(p.Evidence) > 0 && p.Evidence[0].Grade == project.Ran &&
				p.Evidence[0].Says.Is(assess.PassedWith) && p.Evidence[0].Says.Of[1] == "4.0.0" {
				n++
			}
		}
		if n != want {
			t.Errorf("with %v, %d packages ran, want %d", versions, n, want)
		}
		plan := planFor(t, source, app, Cut{}, "hulk@4")
		if goal := plan.Stages[len(plan.Stages)-1]; (goal.Weakest == project.Ran) != (want == 2) {
			t.Errorf("with %v, stage %s rests on %s", versions, goal.ID, goal.Weakest)
		}
	}
}

// The framework's own packages arrive at its newest release with it, though an older one of theirs
// would spare a locked package.
func TestOwnPackagesGoByItsNumbers(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 hulk-draw@^3.0.0
		hulk@3.0
		hulk@3.1
		hulk@4.0
		hulk@4.1
		hulk-draw@3.0: paint@1 peer:hulk@3
		hulk-draw@3.1: paint@1 peer:hulk@3
		hulk-draw@4.0: paint@1 peer:hulk@4
		hulk-draw@4.1: paint@2 peer:hulk@4
		paint@1.0
		paint@2.0`)
	if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); !strings.Contains(
		got, "goal-4: hulk 3.1.0>4.1.0, hulk-draw 3.1.0>4.1.0") {
		t.Errorf("the plan is %s", got)
	}
}

// A stage leaves nothing out that something needs optionally, only because that would be a package less to move.
func TestOptionalNeedsMoveAlong(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 press@^1.0.0
		hulk@3.0
		hulk@4.0
		press@1.0: opt:press-linux@1.0.0 opt:press-mac@1.0.0
		press@2.0: opt:press-linux@2.0.0 opt:press-mac@2.0.0 opt:press-new@2.0.0
		press-linux@1.0
		press-linux@2.0
		press-mac@1.0
		press-mac@2.0
		press-new@2.0`)
	plan := planFor(t, source, app, Cut{}, "hulk@4")
	last := plan.Stages[len(plan.Stages)-1]
	if got := last.After.Versions(); last.ID != "after-press" || got["press"][0] != "2.0.0" ||
		len(got["press-linux"]) != 1 || got["press-linux"][0] != "2.0.0" || got["press-mac"] == nil ||
		got["press-new"] == nil {
		t.Errorf("%s leaves %v", last.ID, got)
	}
}

// TestStops goes by the releases that people named, and minor by minor where a minor release may break.
func TestStops(t *testing.T) {
	advised := func(releases ...string) (facts []project.Advice) {
		for _, release := range releases {
			facts = append(facts, project.Advice{Kind: project.AboutStop, Name: release})
		}
		return facts
	}
	const pier = "app: hulk@~3.1.0\nhulk@3.1\nhulk@3.2\nhulk@3.2.1\nhulk@4.0\nhulk@4.1\nhulk@4.2\nhulk@5.0\nhulk@5.1"
	for _, test := range []struct {
		minors  []string
		stops   map[string][]string
		advised []project.Advice
		goal    string
		want    string
	}{
		{nil, nil, nil, "hulk@5", "goal-4: hulk 3.1.0>4.2.0; goal-5: hulk 4.2.0>5.1.0"},
		{nil, map[string][]string{"hulk": {"3.2", "4.2"}}, advised("4.0"), "hulk@5",
			"goal-3.2: hulk 3.1.0>3.2.1; goal-4.2: hulk 3.2.1>4.2.0; goal-5: hulk 4.2.0>5.1.0"},
		{nil, map[string][]string{"hulk": {"3.1", "5.1"}}, nil, "hulk@5.0", "goal-5.0: hulk 3.1.0>5.0.0"},
		{nil, map[string][]string{"hulk": {}}, nil, "hulk@5", "goal-5: hulk 3.1.0>5.1.0"},
		{nil, nil, advised("4.1", "3.2", "4.1.0", "3"),
			"hulk@5", "goal-3.2: hulk 3.1.0>3.2.1; goal-4.1: hulk 3.2.1>4.1.0; goal-5: hulk 4.1.0>5.1.0"},
		{nil, nil, advised("3.1", "5.0", "4.0", "4.2"),
			"hulk@5", "goal-4.0: hulk 3.1.0>4.0.0; goal-4.2: hulk 4.0.0>4.2.0; goal-5: hulk 4.2.0>5.1.0"},
		{nil, nil, []project.Advice{{Kind: project.AboutStop, Name: "3.2", Confidence: project.Guessed}},
			"hulk@5", "goal-4: hulk 3.1.0>4.2.0; goal-5: hulk 4.2.0>5.1.0"},
		{[]string{"hulk"}, nil, nil, "hulk@4.1",
			"goal-3.2.0: hulk 3.1.0>3.2.1; goal-4.0.0: hulk 3.2.1>4.0.0; goal-4.1: hulk 4.0.0>4.1.0"},
	} {
		source, app := projecttest.Sketch(t, pier)
		app.Minors, app.Stops, app.Guides = test.minors, test.stops,
			[]project.Guide{{About: "hulk", To: "4", Advice: test.advised},
				{About: "mast", To: "4", Advice: []project.Advice{{Kind: project.AboutStop, Name: "3.2"}}}}
		plan := planFor(t, source, app, Cut{Fresh: FreshNone}, test.goal)
		if got := changes(plan); got != test.want || !plan.Reachable {
			t.Errorf("%v %v %v %s:\ngot  %s\nwant %s", test.minors, test.stops, test.advised, test.goal, got, test.want)
		}
	}
}

// What a further goal keeps back is said so, and what is blocked by another package names it.
func TestReasonsOfFurtherGoals(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 rudder@^1 plug@^1
		hull@1.0
		hull@2.0
		hull@3.0
		rudder@1.0: peer:hull@1
		rudder@2.0: peer:hull@2
		rudder@3.0: peer:hull@2
		plug@1.0: peer:hull@1 peer:rudder@1
		plug@2.0: peer:hull@2 peer:rudder@2`)
	got, err := NewPlan(context.Background(), source,
		app, []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "rudder", Constraint: "2"}}, Cut{})
	if err != nil || len(got.Behind) != 0 ||
		changes(got) != "goal-2: hull 1.0.0>2.0.0, rudder 1.0.0>2.0.0, plug 1.0.0>2.0.0" {
		t.Errorf("behind are %+v, %v", got, err)
	}
	// Each goal has stages of its own, unless it takes all of them together.
	source, app = projecttest.Sketch(t, `
		app: hull@^1 deck@^3 lamp@^1 rope@^1
		hull@1.0
		hull@2.0
		deck@3.0
		deck@4.0
		deck@5.0
		lamp@1.0: peer:deck@3
		lamp@2.0: peer:deck@4
		lamp@3.0: peer:deck@5
		rope@1.0: peer:hull@1
		rope@2.0: peer:hull@2`)
	got, err = NewPlan(context.Background(), source,
		app, []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "deck", Constraint: "5"}}, Cut{})
	want := "goal-2: hull 1.0.0>2.0.0, rope 1.0.0>2.0.0; goal-4: deck 3.0.0>4.0.0, lamp 1.0.0>2.0.0; goal-5: deck " +
		"4.0.0>5.0.0, lamp 2.0.0>3.0.0"
	if err != nil || changes(got) != want || got.AtGoal != 3 {
		t.Errorf("%s, %v, want %s", changes(got), err, want)
	}
	source, app = projecttest.Sketch(t, `
		app: hull@^1 keel@^1 mast@^1
		hull@1.0
		hull@2.0
		keel@1.0: peer:hull@1||2
		keel@2.0: peer:hull@1
		mast@1.0
		mast@2.0: peer:keel@2`)
	got, err = NewPlan(context.Background(), source,
		app, []project.Goal{{Name: "hull", Constraint: "2"}, {Name: "mast", Constraint: "2"}}, Cut{})
	if err != nil || got.Reachable {
		t.Fatal(got, err)
	}
	for _, p := range got.Assessed.Packages {
		if p.Name == "mast" && (p.Standing != project.Blocked ||
			!p.Evidence[0].Says.Equal(fact.New(project.AsksForOnward, "2.0.0", "keel 2", "hull 1"))) {
			t.Errorf("mast is %s, by %+v", p.Standing, p.Evidence)
		}
	}
}
