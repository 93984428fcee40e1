package assess

import (
	"context"
	"slices"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/samples/projecttest"
)

// The examples of docs/judgement.md: the standing of a package, the release to go to, and what is said.
func TestJudgement(t *testing.T) {
	silent, open := fact.New(ReleaseSilent, "keel", "1.0.0", "fw"), fact.New(AsksOpenly, fact.New(Asks, "fw >=3"))
	for _, test := range []struct {
		name, universe string
		change         func(*project.Application)
		about          string
		want           project.Standing
		to             string
		says           fact.Fact
	}{
		{"never back", "app: fw@^3 lab@^1.0.1\nfw@3\nfw@5\nlab@1.0: peer:fw@*\nlab@1.0.1: peer:fw@<5",
			func(a *project.Application) { a.Trusted = []string{"lab"} }, "lab", project.Blocked,
			"", fact.New(OnlyOlder, "1.0.0")},
		{"a sibling is the framework", "app: fw@^3 fw-draw@^3 keel@^1\nfw@3\nfw@5\nfw-draw@3\nfw-draw@5\nkeel@1: " +
			"peer:fw-draw@^3\nkeel@2: peer:fw-draw@^5", nil, "keel", project.Together, "2.0.0",
			fact.New(Asks, "fw-draw ^5")},
		{"silent, and a later major accepts", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1\nkeel@2: peer:fw@^5", nil, "keel",
			project.Together, "2.0.0", fact.New(SoNotTaken, fact.New(ReleaseSilent, "keel", "1.0.0", "fw"),
				fact.New(FirstToAccept, fact.New(ReleaseAsks, "keel", "2.0.0", "fw ^5")), "1.0.0", "fw@5")},
		{"the same, trusted", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1\nkeel@2: peer:fw@^5",
			func(a *project.Application) { a.Trusted = []string{"keel"} }, "keel", project.Silent, "", silent},
		{"the same, advised", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1\nkeel@2: peer:fw@^5", func(a *project.Application) {
			a.Guides = []project.Guide{{About: "fw", To: "5",
				Advice: []project.Advice{{Kind: project.AboutCompanion, Name: "keel", Needs: "^1", Source: "the guide",
					Confidence: project.Sure}}}}
		}, "keel", project.Silent, "", fact.New(Advises, "fw", "5", fact.New(project.GuideBeside, "keel", "^1"))},
		{"silent, and a later minor accepts", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1\nkeel@1.5: peer:fw@^3||^5", nil, "keel",
			project.Silent, "", silent},
		{"open, and later releases end before", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1: peer:fw@>=3\nkeel@2: peer:fw@^3",
			nil, "keel", project.Blocked, "", fact.New(Asks, "fw ^3")},
		{"open, and later releases begin after",
			"app: fw@^3 keel@^1\nfw@3\nfw@5\nfw@6\nkeel@1: peer:fw@>=3\nkeel@2: peer:fw@^6", nil, "keel", project.Ready,
			"", open},
		{"open, and later releases accept", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1: peer:fw@>=3\nkeel@2: peer:fw@^5",
			nil, "keel", project.Ready, "", open},
		{"previews tell nothing", "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1\nkeel@2.0-rc.1: peer:fw@^5", nil, "keel",
			project.Silent, "", silent},
	} {
		source, app := projecttest.Sketch(t, test.universe)
		if app.Locked == nil {
			t.Fatalf("%s: nothing is locked", test.name)
		}
		if test.change != nil {
			test.change(&app)
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "fw", Constraint: "5"})
		if err != nil {
			t.Fatalf("%s: %v", test.name, err)
		}
		one := find(got, test.about)
		said := slices.ContainsFunc(one.Evidence, func(e Evidence) bool { return e.Says.Equal(test.says) })
		if one.Standing != test.want || one.To != test.to && test.to != "" || !said {
			t.Errorf("%s: %s to %q: %v; want %s to %q: %s", test.name, one.Standing, one.To, one.Evidence, test.want, test.to,
				test.says)
		}
	}
}

// A newer runtime than the goal needs is said apart.
func TestRuntimeThatIsNotNeeded(t *testing.T) {
	source, app := projecttest.Sketch(
		t, "app: fw@^3 keel@^1\nfw@3\nfw@5\nkeel@1: peer:fw@^3\nkeel@2.0: peer:fw@^5\nkeel@2.1: peer:fw@^5")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	projecttest.Requires(source, "fw", "5.0.0", ">=22")
	projecttest.Requires(source, "keel", "2.1.0", ">=24")
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "fw", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Runtimes) != 1 || got.Runtimes[0].Needs != ">=22" || got.Runtimes[0].Met {
		t.Errorf("needed: %+v", got.Runtimes)
	}
	if strings.Join(got.Opens, ", ") != "keel 2.1.0 needs node >=24" {
		t.Errorf("opens: %q", got.Opens)
	}
}
