package plan

import (
	"context"
	"errors"
	"fmt"
	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
	"slices"
	"strings"
	"testing"
	"time"
)

// harbour is the universe of most tests: a framework, hulk, and a package for each way to stand towards hulk 5.
const harbour = `
	app: hulk@^3.0.0 ready@^1.0.0 silent@^1.0.0 bridge@^1.0.0 with@^1.0.0 blocked@^1.0.0 preview@^1.0.0 renamed@^1.0.0 swallowed@^1.0.0 abandoned@^1.0.0
	hulk@3.0
	hulk@3.2
	hulk@4.0
	hulk@5.0
	hulk@5.1
	hulk@6.0-preview.1
	ready@1.0: peer:hulk@>=3
	silent@1.0
	bridge@1.0: peer:hulk@^3
	bridge@2.0: peer:hulk@^3&||&^4&||&^5
	bridge@3.0: peer:hulk@^5
	with@1.0: peer:hulk@^3
	with@2.0: peer:hulk@^4
	with@3.0: peer:hulk@^5
	blocked@1.0: peer:hulk@^3
	blocked@1.1: peer:hulk@^3&||&^4
	preview@1.0: peer:hulk@^3
	preview@2.0-rc.1: peer:hulk@^5
	renamed@1.0: peer:hulk@^3 # renamed to reborn
	reborn@2.0: peer:hulk@^5
	swallowed@1.0: peer:hulk@^3 # part of hulk
	abandoned@1.0 # no longer maintained`

func TestStandings(t *testing.T) {
	source, app := sketch(t, harbour)
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
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
	source, app := sketch(t, strings.NewReplacer(" blocked@^1.0.0", "").Replace(harbour))
	app.Previews = []string{"preview"}
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if p := find(got, "preview"); p.Standing != project.Together || p.To != "2.0.0-rc.1" || !got.Reachable {
		t.Errorf("preview is %s at %s, reachable %v", p.Standing, p.To, got.Reachable)
	}
}

// Each package could go, but not both: the standings see it, and the tangle says why.
func TestTangleOfTwo(t *testing.T) {
	source, app := sketch(t, `
		app: hulk@^3.0.0 deck@^1.0.0 cabin@^1.0.0
		hulk@3.0
		hulk@5.0
		deck@1.0: peer:hulk@^3
		deck@2.0: peer:hulk@^5 peer:cipher@^2
		cabin@1.0: peer:hulk@^3
		cabin@2.0: peer:hulk@^5 peer:cipher@^3
		cipher@2.0
		cipher@3.0`)
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if got.Reachable || got.Tangle == nil {
		t.Fatalf("reachable %v, tangle %v", got.Reachable, got.Tangle)
	}
	for _, d := range []string{"cipher ^2", "cipher ^3", "hulk 5"} {
		if !strings.Contains(got.Tangle.Error(), d) {
			t.Errorf("the tangle lacks %s: %v", d, got.Tangle)
		}
	}
	plan, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "5"}}, Cut{})
	if err != nil || plan.Reachable || plan.Tangle == nil {
		t.Errorf("the plan: %+v, %v", plan, err)
	}
}

// A transitive conflict that only shows when two packages move together is avoided by taking an older release.
func TestOptimumAvoidsConflict(t *testing.T) {
	source, app := sketch(t, `
		app: hulk@^3.0.0 pay@^1.0.0 auth@^1.0.0
		hulk@3.0
		hulk@5.0
		pay@1.0: peer:hulk@^3
		pay@2.0: peer:hulk@^5 link@^1
		pay@2.1: peer:hulk@^5 link@^2
		auth@1.0: peer:hulk@^3
		auth@2.0: peer:hulk@^5 peer:cipher@^3
		link@1.0: peer:cipher@*
		link@2.0: peer:cipher@^2
		cipher@2.0
		cipher@3.0`)
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if got := changes(plan); got != "goal-5: hulk 3.0.0>5.0.0, pay 1.0.0>2.0.0, auth 1.0.0>2.0.0" {
		t.Errorf("the plan is %s", got)
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
	tests := []struct {
		name, peer, published string
		locked                string
		grade                 project.Grade
		says                  string
	}{
		{"bounded and younger", "^4||^5", "2025-06-01", "1.0.0", project.Stated, "31 days after hulk 5.0.0"},
		{"bounded and older", "^4||^5", "2025-04-01", "1.0.0", project.Early, "30 days before hulk 5.0.0 existed"},
		{"unbounded", ">=3", "2025-06-01", "1.0.0", project.Open, "merely does not exclude it"},
		{"excluded", "^3", "2025-06-01", "1.0.0", project.Refused, "asks for hulk ^3"},
		{"without a date", "^5", "", "1.0.0", project.Stated, "asks for hulk ^5"},
		{"silent", "", "2025-06-01", "1.0.0", project.None, "says nothing about hulk"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			demand := ""
			if test.peer != "" {
				demand = ": peer:hulk@" + test.peer
			}
			source, app := sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0"+demand)
			app.Locked = nil
			source["hulk"].Releases[0].Published, source["hulk"].Releases[1].Published = day("2022-01-01"), day("2025-05-01")
			if test.published != "" {
				source["plug"].Releases[0].Published = day(test.published)
			}
			got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
			if err != nil {
				t.Fatal(err)
			}
			e := find(got, "plug").Evidence
			if len(e) != 1 || e[0].Grade != test.grade || !strings.Contains(e[0].Says, test.says) || !strings.HasPrefix(e[0].Where, "plug 1.0.0") {
				t.Errorf("evidence %+v, want %s that says %q", e, test.grade, test.says)
			}
		})
	}
}

// Publication times that contradict the order of versions prove nothing, and the assessment says so once.
func TestEvidenceWithoutOrder(t *testing.T) {
	source, app := sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0: peer:hulk@^5")
	app.Locked = nil
	source["hulk"].Releases[0].Published = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	source["hulk"].Releases[1].Published = time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC)
	source["plug"].Releases[0].Published = time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if e := find(got, "plug").Evidence; len(e) != 1 || e[0].Grade != project.Stated || strings.Contains(e[0].Says, "published") {
		t.Errorf("evidence %+v", e)
	}
	if len(got.Remarks) != 1 || !strings.Contains(got.Remarks[0], "contradict") {
		t.Errorf("remarks %q", got.Remarks)
	}
}

// A package that needs the framework instead of peering on it could bring a second copy, and that is said.
func TestNeedOfFramework(t *testing.T) {
	source, app := sketch(t, "app: hulk@* plug@*\nhulk@3.0\nhulk@5.0\nplug@1.0: hulk@^5")
	app.Locked = nil
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if e := find(got, "plug").Evidence; len(e) != 1 || !strings.Contains(e[0].Says, "second copy") || e[0].Where != "plug 1.0.0, needs" {
		t.Errorf("evidence %+v", e)
	}
}

func TestRetirement(t *testing.T) {
	tests := []struct {
		says string
		want assess.Retirement
	}{
		{"", assess.Retirement{}},
		{"renamed to lantern-words", assess.Retirement{Kind: project.Renamed, Successor: "lantern-words"}},
		{"This package has moved to @quay/words.", assess.Retirement{Kind: project.Renamed, Successor: "@quay/words"}},
		{"Deprecated, please use `lantern-words` instead", assess.Retirement{Kind: project.Renamed, Successor: "lantern-words"}},
		{"part of hulk since 5.0", assess.Retirement{Kind: project.Swallowed}},
		{"now built into hulk; remove it", assess.Retirement{Kind: project.Swallowed}},
		{"no longer maintained", assess.Retirement{Kind: project.Abandoned}},
		{"please use the new one", assess.Retirement{Kind: project.Abandoned}},
		{"use plug@2", assess.Retirement{Kind: project.Abandoned}},
	}
	for _, test := range tests {
		source, _ := sketch(t, "app: plug@*\nplug@1.0\nplug@1.1\nplug@2.0-rc.1")
		source["plug"].Releases[1].Deprecated = test.says
		got := assess.RetirementOf(source["plug"], "hulk")
		switch {
		case test.says == "":
			if got != nil {
				t.Errorf("nothing was said, and read as %+v", got)
			}
		case got == nil || got.Kind != test.want.Kind || got.Successor != test.want.Successor || got.Says != test.says:
			t.Errorf("%q was read as %+v", test.says, got)
		}
	}
}

func TestRuntimes(t *testing.T) {
	source, app := sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@5.0")
	source["hulk"].Releases[1].Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}, {Name: "toolchain", Text: ">=9"}}
	for deployed, want := range map[string]bool{"20.1.0": false, "22.4.0": true, "": false} {
		app.Runtimes = nil
		if deployed != "" {
			app.Runtimes = project.Runtimes{"node": project.Everywhere(deployed)}
		}
		got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
		if err != nil {
			t.Fatal(err)
		}
		if len(got.Runtimes) != 1 || got.Runtimes[0].Met != want || got.Runtimes[0].By != "hulk 5.0.0" {
			t.Errorf("with %q deployed: %+v", deployed, got.Runtimes)
		}
	}
}

func TestGoals(t *testing.T) {
	source, app := sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@5.0\nhulk@6.0-preview.1\nkeel@1.0")
	for goal, says := range map[string]string{
		"hull@5": "no declared package has this name", "hluk@5": "did you mean hulk?", "hulk@7": "published majors: 3, 5, 6 (previews only)",
		"hulk@6": "published majors", "hulk@five": "expected a number",
	} {
		_, err := assess.Assess(context.Background(), source, app, project.ParseGoal(goal))
		var wrong *project.GoalError
		if !errors.As(err, &wrong) || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want an error that says %q", goal, err, says)
		}
	}
	got, err := assess.Assess(context.Background(), source, app, project.ParseGoal("hulk"))
	if err != nil || got.Goal.Constraint != "5" {
		t.Errorf("without a constraint the goal is %v: %v", got, err)
	}
	app.Previews = []string{"hulk"}
	if got, err := assess.Assess(context.Background(), source, app, project.ParseGoal("hulk@6")); err != nil || got.Release != "6.0.0-preview.1" {
		t.Errorf("a preview that was allowed: %v, %v", got, err)
	}
}

// A remark behind a release is its deprecation.
// testRuntime is a runtime with a release of each major.
func testRuntime() project.Runtime {
	r := project.Runtime{Name: "node", Scheme: ranges.Scheme}
	for major := range 30 {
		if v, err := r.Scheme.Parse(fmt.Sprintf("%d.0.0", major)); err == nil {
			r.Known = append(r.Known, v)
		}
	}
	return r
}

// sketch reads a universe with an application in it, and locks the application to the oldest releases that it admits.
func sketch(t testing.TB, text string) (universe.Table, project.Application) {
	t.Helper()
	app := project.Application{Scheme: ranges.Scheme, Known: []project.Runtime{testRuntime()}}
	var rest []string
	deprecated := map[string]string{}
	for _, l := range strings.Split(text, "\n") {
		declared, found := strings.CutPrefix(strings.TrimSpace(l), "app:")
		if !found {
			rest = append(rest, l)
			if release, remark, ok := strings.Cut(l, " # "); ok {
				name, _, _ := strings.Cut(strings.TrimSpace(release), "@")
				deprecated[name] = remark
			}
			continue
		}
		for _, word := range strings.Fields(declared) {
			d, _, err := universe.SketchDemand(word)
			if err != nil {
				t.Fatal(err)
			}
			app.Declared = append(app.Declared, project.Declared{Demand: d, Group: "dependencies"})
		}
	}
	source, err := universe.Sketch(ranges.Scheme, strings.Join(rest, "\n"))
	if err != nil {
		t.Fatal(err)
	}
	for name, says := range deprecated {
		source[name].Releases[len(source[name].Releases)-1].Deprecated = says
	}
	p := app.Problem()
	p.Keep = map[string][]string{}
	for name, pkg := range source {
		p.Keep[name] = []string{pkg.Releases[0].Version.String()}
	}
	app.Locked, err = solve.Resolve(context.Background(), source, p)
	if err != nil {
		app.Locked = nil
	}
	return source, app
}

func find(a *assess.Assessment, name string) assess.Assessed {
	i := slices.IndexFunc(a.Packages, func(p assess.Assessed) bool { return p.Name == name })
	return a.Packages[i]
}
