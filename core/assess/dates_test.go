package assess

import (
	"context"
	"strings"
	"testing"
	"time"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// onDays dates releases: "hull@1.0.0 2020-01-01", one a line.
func onDays(t *testing.T, source universe.Table, days string) {
	t.Helper()
	for line := range strings.Lines(strings.TrimSpace(days)) {
		release, day, _ := strings.Cut(strings.TrimSpace(line), " ")
		at := strings.LastIndexByte(release, '@')
		on, err := time.Parse(time.DateOnly, day)
		r := source[release[:at]].Release(release[at+1:])
		if err != nil || r == nil {
			t.Fatalf("%q: %v", line, err)
		}
		r.Published = on
	}
}

const hullDays = `hull@1.0.0 2020-01-01
	hull@2.0.0 2022-01-01
	hull@3.0.0 2023-01-01
	`

// What releases promise about the goal, by what they state and when they were published.
func TestPromises(t *testing.T) {
	for _, test := range []struct{ name, releases, days, want string }{
		{"an end says more than a date", "p@1: peer:hull@^1||^2\np@2: peer:hull@^2", "p@1.0.0 2020-01-01\np@2.0.0 2020-02-01",
			"1.0.0 2.0.0"},
		{"an open range before the goal", "p@1: peer:hull@>=1\np@2: peer:hull@>=1", "p@1.0.0 2021-01-01\np@2.0.0 2022-01-02",
			"2.0.0"},
		{"silence of what speaks elsewhere", "p@1\np@2: peer:hull@>=1\np@3",
			"p@1.0.0 2021-01-01\np@2.0.0 2021-02-01\np@3.0.0 2022-02-01", "3.0.0"},
		{"silence after the next major", "p@1\np@2: peer:hull@>=1\np@3",
			"p@1.0.0 2021-01-01\np@2.0.0 2022-02-01\np@3.0.0 2023-02-01", "2.0.0"},
		{"what never speaks has nothing to do with it", "p@1\np@2", "p@1.0.0 2021-01-01\np@2.0.0 2022-02-01", "1.0.0 2.0.0"},
		{"a floor that rises", "p@1: peer:hull@>=1\np@2: peer:hull@>=2", "p@1.0.0 2022-02-01\np@2.0.0 2022-03-01", "2.0.0"},
		{"a floor that rises when the goal is old", "p@1: peer:hull@>=1\np@2: peer:hull@>=2",
			"p@1.0.0 2022-02-01\np@2.0.0 2023-03-01", "1.0.0 2.0.0"},
		{"no dates", "p@1: peer:hull@>=1\np@2: peer:hull@>=1", "p@2.0.0 2021-01-01", "1.0.0"},
		{"dates that contradict the order", "p@1: peer:hull@>=1\np@2: peer:hull@>=1",
			"p@1.0.0 2022-02-01\np@2.0.0 2021-01-01", "1.0.0 2.0.0"},
	} {
		source, app := projecttest.Sketch(t, "app: hull@^1 p@^1\nhull@1\nhull@2\nhull@3\n"+test.releases)
		onDays(t, source, hullDays+test.days)
		a, err := AskOne(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
		if err != nil {
			t.Fatal(err)
		}
		got := strings.Join(Texts(source["p"], a.Promises("p", source["p"], source["hull"], a.meant)), " ")
		if got != test.want {
			t.Errorf("%s: %s promise something, want %s", test.name, got, test.want)
		}
		app.Trusted = []string{"p"}
		if a, err = AskOne(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"}); err != nil {
			t.Fatal(err)
		}
		if got := a.Promises("p", source["p"], source["hull"], a.meant); got.Count() != source["p"].Len() {
			t.Errorf("%s: of what people trust, %d releases promise something", test.name, got.Count())
		}
	}
}

// A package that is named after the framework and never speaks goes with it, within its window,
// whatever its number; classifiers count by what they leave out.
func TestOwnPackagesAndClassifiers(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 hull-lamp@^4 q@^1
		hull@1
		hull@2
		hull@3
		hull-lamp@4
		hull-lamp@5
		hull-lamp@6
		q@1: peer:hull@>=1
		q@2: peer:hull@>=1
		q@3: peer:hull@>=1`)
	onDays(t, source, hullDays+"hull-lamp@4.0.0 2021-01-01\nhull-lamp@5.0.0 2022-02-01\nhull-lamp@6.0.0 "+
		"2023-02-01\nq@1.0.0 2021-06-01\nq@2.0.0 2022-02-01\nq@3.0.0 2022-06-01")
	for release, named := range map[string]string{"1.0.0": "1", "2.0.0": "1", "3.0.0": "2"} {
		source["q"].Release(release).Claims = []universe.Claim{{Package: "hull", Versions: []string{named}}}
	}
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
	if err != nil || !got.Reachable || got.Against != nil {
		t.Fatalf("%+v, %v", got, err)
	}
	for i, want := range []string{"5.0.0", "3.0.0"} {
		if p := got.Packages[i]; p.Standing != project.Together || p.To != want {
			t.Errorf("%s is %s to %q, want together to %s", p.Name, p.Standing, p.To, want)
		}
	}
}

// No kinship hides what a release states about the goal.
func TestStatementsBeatKinship(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 hull-plug@^2
		hull@1
		hull@2
		hull-plug@2: peer:hull@^1
		hull-plug@3: peer:hull@^2
		hull-plug@4: peer:hull@^3`)
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
	if err != nil || !got.Reachable || got.Packages[0].To != "3.0.0" {
		t.Errorf("%+v, %v", got.Packages, err)
	}
}

// A promise is not worth a newer runtime than is deployed, where the goal needs none.
func TestPromiseThatNeedsARuntime(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 p@^1
		hull@1
		hull@2
		p@1: peer:hull@>=1
		p@2: peer:hull@^2`)
	onDays(t, source, "hull@1.0.0 2020-01-01\nhull@2.0.0 2022-01-01\np@1.0.0 2021-01-01\np@2.0.0 2022-02-01")
	projecttest.Requires(source, "p", "2.0.0", ">=22")
	for node, want := range map[string]project.Standing{"18.0.0": project.Ready, "22.0.0": project.Together} {
		app.Runtimes = project.Runtimes{"node": project.Everywhere(node)}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
		if err != nil || !got.Reachable || got.Packages[0].Standing != want ||
			(got.Against != nil) != (want == project.Ready) {
			t.Errorf("with node %s: %+v, against %v, %v", node, got.Packages, got.Against, err)
		}
	}
}

// Dates count between any two packages: what is left open is no promise about a major that came
// later, where the goal can be reached without.
func TestPairs(t *testing.T) {
	const universe = `
		app: hull@^1 keel@^1 oar@^1
		hull@1: keel@>=1
		hull@2: keel@>=2
		keel@1
		keel@2
		keel@3
		oar@1: peer:hull@^1 peer:keel@>=1
		oar@2: peer:hull@^2 peer:keel@>=1`
	const days = "hull@1.0.0 2020-01-01\nhull@2.0.0 2022-02-01\nkeel@1.0.0 2020-01-01\nkeel@2.0.0 " +
		"2022-01-01\nkeel@3.0.0 2023-01-01\noar@1.0.0 2020-02-01\noar@2.0.0 2022-03-01"
	source, app := projecttest.Sketch(t, universe)
	app.Strategy = solve.Single
	onDays(t, source, days)
	goal := project.Goal{Name: "hull", Constraint: "2"}
	a, err := Ask(context.Background(), source, app, []project.Goal{goal})
	if err != nil || a.pairs.String() != "all without []" {
		t.Fatalf("dates are kept as far as %v, %v", a.pairs, err)
	}
	got, err := a.Assess()
	if err != nil || !got.Reachable || got.Packages[0].To != "2.0.0" {
		t.Errorf("%+v, %v", got, err)
	}
	// Where somebody asks for the later major, they are given up for whoever is in the way, and for nobody else.
	source, app = projecttest.Sketch(
		t, strings.Replace(universe, "oar@2: peer:hull@^2 peer:keel@>=1", "oar@2: peer:hull@^2 peer:keel@3", 1))
	app.Strategy = solve.Single
	onDays(t, source, days)
	if a, err = Ask(context.Background(), source, app, []project.Goal{goal}); err != nil ||
		a.pairs.String() != "all without [hull]" {
		t.Fatalf("dates are kept as far as %v, %v", a.pairs, err)
	}
	if got, err = a.Assess(); err != nil || !got.Reachable || got.Packages[0].To != "3.0.0" {
		t.Errorf("%+v, %v", got, err)
	}
}

// A tool that needs one of the framework's own packages resolves with a copy of its own, and yet
// moves with the framework where it has releases for the goal; where it has none, it stays.
func TestToolsOfAMajor(t *testing.T) {
	const common = `
		app: hull@^4 wright@^7
		hull@4: hull-core@^4
		hull@4.1: hull-core@^4
		hull@5: hull-core@^5
		hull@5.1: hull-core@^5
		hull-core@4
		hull-core@4.1
		hull-core@5
		hull-core@5.1
		wright@7: hull-core@^4`
	for _, test := range []struct {
		name, more string
		want       project.Standing
	}{
		{"it has a release for it", "\n\t\twright@9: hull-core@^5", project.Together},
		{"it has none", "\n\t\twright@9: hull-core@^4", project.Ready},
		{"it needs it no more", "\n\t\twright@9", project.Ready},
	} {
		source, app := projecttest.Sketch(t, common+test.more)
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "5"})
		if err != nil || !got.Reachable || got.Packages[0].Standing != test.want {
			t.Errorf("%s: %+v, %v", test.name, got.Packages, err)
		}
	}
}

// Without dates, a package of the framework's that says nothing and numbers its majors as the
// framework does goes with it by that number, to the newest of the major.
func TestSilentByNumber(t *testing.T) {
	for _, test := range []struct{ name, cli, want string }{
		{"it follows", "@hull/cli@1\n@hull/cli@1.4\n@hull/cli@2.1\n@hull/cli@2.6\n@hull/cli@3.2", "together 2.6.0"},
		{"it has no such major", "@hull/cli@1\n@hull/cli@3", "silent "},
		{"it has numbers of its own", "@hull/cli@7\n@hull/cli@8", "silent "},
		{"it says something", "@hull/cli@1: peer:@hull/core@*\n@hull/cli@2: peer:@hull/core@*", "ready "},
	} {
		source, app := projecttest.Sketch(
			t, "app: @hull/core@^1 @hull/cli@*\n@hull/core@1\n@hull/core@2\n@hull/core@3\n@hull/core@4\n"+test.cli)
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "@hull/core", Constraint: "2"})
		if err != nil || !got.Reachable || string(got.Packages[0].Standing)+" "+got.Packages[0].To != test.want {
			t.Errorf("%s: %+v, %v", test.name, got.Packages, err)
		}
	}
}

// A promise about the framework is worth more than one about another package: who is in the way of it loses its own.
func TestFrameworkBeforePairs(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 sail@^2 flag@*
		hull@1
		hull@2
		sail@2: hull@>=1
		sail@3: hull@>=2
		flag@1: sail@>=2`)
	app.Strategy = solve.Single
	onDays(t, source, "hull@1.0.0 2020-01-01\nhull@2.0.0 2022-01-01\nsail@2.0.0 2020-02-01\nsail@3.0.0 "+
		"2022-02-01\nflag@1.0.0 2020-03-01")
	a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}})
	if err != nil || a.pairs.String() != "all without [flag]" {
		t.Fatalf("dates are kept for %v, %v", a.pairs, err)
	}
	got, err := a.Assess()
	if err != nil || !got.Reachable || got.Packages[0].Standing != project.Together || got.Packages[0].To != "3.0.0" ||
		len(got.Against) > 0 {
		t.Errorf("%+v, %v", got, err)
	}
}

// A silent relative of the framework's is for the major with which its authors develop it, whatever
// its own numbers and days.
func TestTested(t *testing.T) {
	const common = "app: hull@^4 @hull/lamp@* oar@*\nhull@4\nhull@5\nhull@6\noar@1: dev:hull@^4\noar@2: dev:hull@^5\n"
	for _, test := range []struct{ name, lamp, days, want string }{
		{"told by tests", "@hull/lamp@8: dev:hull@^4\n@hull/lamp@9: dev:hull@^5\n@hull/lamp@9.1: " +
			"dev:hull@^5.0.0-rc.1\n@hull/lamp@10: dev:hull@^6", "", "together 9.1.0"},
		{"for both", "@hull/lamp@8: dev:hull@^4||^5", "", "silent "},
		{"for none of the goal's", "@hull/lamp@8: dev:hull@^4\n@hull/lamp@10: dev:hull@^6", "", "silent "},
		{"an open range tells nothing", "@hull/lamp@8: dev:hull@*\n@hull/lamp@9: dev:hull@*", "", "silent "},
		{"what it states counts for more", "@hull/lamp@8: dev:hull@^4 peer:hull@^4||^5", "", "ready "},
		{"and more than days", "@hull/lamp@8: dev:hull@^4\n@hull/lamp@9: dev:hull@^4\n@hull/lamp@10: dev:hull@^5",
			"hull@4.0.0 2020-01-01\nhull@5.0.0 2021-01-01\nhull@6.0.0 2023-01-01\n@hull/lamp@8.0.0 " +
				"2020-02-01\n@hull/lamp@9.0.0 2021-02-01\n@hull/lamp@10.0.0 2021-03-01", "together 10.0.0"},
	} {
		source, app := projecttest.Sketch(t, common+test.lamp)
		if test.days != "" {
			onDays(t, source, test.days)
		}
		app.Kin = func(name string) project.Kin {
			if scope, rest, ok := strings.Cut(name, "/"); ok {
				return project.Kin{Scope: scope, Owner: scope[1:], Name: rest}
			}
			return project.Kin{Name: name}
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "5"})
		if err != nil || !got.Reachable || string(got.Packages[0].Standing)+" "+got.Packages[0].To != test.want ||
			got.Packages[1].Standing != project.Silent {
			t.Errorf("%s: %+v, %v", test.name, got.Packages, err)
		}
		if e := got.Packages[0].Evidence[0]; test.name == "told by tests" && (e.Grade != project.Inferred ||
			!e.Says.Equal(fact.New(
				DevelopedWith, fact.New(ReleaseSilent, "@hull/lamp", "9.1.0", "hull"), "hull ^5.0.0-rc.1"))) {
			t.Errorf("the evidence is %+v", got.Packages[0].Evidence)
		}
	}
}

// What is developed with the next major alone is not chosen beside the one in use, with dates or without.
func TestTestedWithTheNext(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hull@^4 hull-lamp@^8\nhull@4\nhull@5\nhull-lamp@8: dev:hull@^4\nhull-lamp@8.1: dev:hull@^4\nhull-lamp@8.2: dev:hull@^5")
	a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "5"}})
	if err != nil {
		t.Fatal(err)
	}
	p, err := a.Pkg("hull-lamp")
	if err != nil {
		t.Fatal(err)
	}
	if got := a.Towards("hull-lamp", p, []string{"8.0.0", "8.1.0", "8.2.0"}, []string{"4.0.0"}); strings.Join(got, " ") != "8.0.0 8.1.0" {
		t.Errorf("beside hull 4: %v", got)
	}
}
