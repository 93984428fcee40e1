package plan

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"molt/core/project"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// offered writes offers as "id: name from>to constraint".
func offered(t *testing.T, text, framework string,
	edit func(universe.Table, *project.Application)) (offers, waiting string) {
	t.Helper()
	source, app := projecttest.Sketch(t, text)
	if edit != nil {
		edit(source, &app)
	}
	all, waits, err := Offers(context.Background(), source, app, framework)
	if err != nil {
		t.Fatal(err)
	}
	var parts []string
	for _, o := range all {
		var moves []string
		for _, c := range o.Changes {
			moves = append(moves, fmt.Sprintf("%s %s>%s %s", c.Name, c.From.Version, c.To.Version, c.To.Constraint))
		}
		parts = append(parts, o.ID+": "+strings.Join(moves, ", "))
	}
	var left []string
	for _, w := range waits {
		left = append(left, fmt.Sprintf("%s %s (%s)", w.Name, w.Newest, w.Why))
	}
	return strings.Join(parts, "; "), strings.Join(left, "; ")
}

func TestOffers(t *testing.T) {
	for _, test := range []struct{ name, universe, want, left string }{
		{"safe moves together, breaking ones apart", `
			app: keel@^1 mast@~1.0 oar@1.0.0 rope@^1
			keel@1.0.0
			keel@1.0.1
			mast@1.0.0
			mast@1.1.0
			oar@1.0.0
			oar@2.0.0
			rope@1.0.0`, "patch: keel 1.0.0>1.0.1 ^1; major-oar: oar 1.0.0>2.0.0 2.0.0",
			"mast 1.1.0 (its line keeps it(~1.0))"},
		{"what does not break goes before what does", `
			app: keel@^1
			keel@1.0.0
			keel@1.1.0
			keel@2.0.0`, "minor: keel 1.0.0>1.1.0 ^1", ""},
		{"the newest major that resolves", `
			app: keel@^1 mast@^1
			keel@1.0.0
			keel@2.0.0
			keel@3.0.0: peer:mast@^9
			mast@1.0.0`, "major-keel: keel 1.0.0>2.0.0 ^2", ""},
		{"what resolves only with another goes with it", `
			app: keel@^1 mast@^1
			keel@1.0.0
			keel@2.0.0: peer:mast@^2
			mast@1.0.0: peer:keel@<2
			mast@2.0.0: peer:keel@^2`, "major-keel: keel 1.0.0>2.0.0 ^2, mast 1.0.0>2.0.0 ^2", ""},
		{"what resolves with nothing waits", `
			app: keel@^1 mast@^1
			keel@1.0.0
			keel@2.0.0: peer:mast@^9
			mast@1.0.0`, "", "keel 2.0.0 (asks for what fails(2.0.0, mast ^9))"},
		{"the newest that resolves, and not the newest alone", `
			app: keel@^1 mast@^1
			keel@1.0.0
			keel@1.1.0
			keel@1.2.0: peer:mast@^9
			mast@1.0.0`, "minor: keel 1.0.0>1.1.0 ^1", ""},
		{"one of the safe moves does not fit the others", `
			app: keel@^1 mast@^1
			keel@1.0.0
			keel@1.1.0: peer:mast@1.0.0
			mast@1.0.0
			mast@1.1.0`, "minor: keel 1.0.0>1.1.0 ^1", "mast 1.1.0 (could go)"},
		{"nothing is newer", "app: keel@^1\nkeel@1.0.0", "", ""},
	} {
		t.Run(test.name, func(t *testing.T) {
			got, left := offered(t, test.universe, "", nil)
			if got != test.want || left != test.left {
				t.Errorf("got  %s | %s\nwant %s | %s", got, left, test.want, test.left)
			}
		})
	}
}

// TestOffersOfPeople keeps to holds and to families.
func TestOffersOfPeople(t *testing.T) {
	const pier = `
		app: keel@^1 mast@^1 oar@^1
		keel@1.0.0
		keel@2.0.0
		mast@1.0.0
		mast@2.0.0
		oar@1.0.0
		oar@2.0.0`
	got, left := offered(t, pier, "", func(source universe.Table, app *project.Application) {
		app.Held, app.Reasons = []string{"oar"}, map[string]string{"oar": "the crane"}
		app.Families = [][]string{{"keel", "mast"}}
	})
	if got != "major-keel: keel 1.0.0>2.0.0 ^2, mast 1.0.0>2.0.0 ^2" || left != "oar 2.0.0 (held(oar (the crane)))" {
		t.Errorf("got %s | %s", got, left)
	}
	got, _ = offered(t, pier, "", func(source universe.Table, app *project.Application) { app.Minors = []string{"keel"} })
	if !strings.Contains(got, "major-keel") {
		t.Errorf("got %s", got)
	}
}

// TestOffersJudgeAsPlans has no offer that a plan rejects: what the runtime that is taken to be
// deployed does not suit, and the framework's own next major.
func TestOffersJudgeAsPlans(t *testing.T) {
	got, left := offered(t, `
		app: hull@^1 keel@^1 lamp@^1 oar@^1
		hull@1.0.0
		hull@2.0.0
		keel@1.0.0: peer:hull@1
		keel@2.0.0
		lamp@1.0.0
		lamp@1.1.0
		oar@1.0.0
		oar@2.0.0`, "hull", func(source universe.Table, app *project.Application) {
		projecttest.Requires(source, "keel", "2.0.0", ">=99")
		app.InferredRuntimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	})
	if want := "minor: lamp 1.0.0>1.1.0 ^1; major-oar: oar 1.0.0>2.0.0 ^2"; got != want {
		t.Errorf("offers are %s, want %s", got, want)
	}
	if want := "hull 2.0.0 (its next major is a goal(hull, 2)); keel 2.0.0 (needs a newer runtime(2.0.0, node, >=99, 20.0.0))"; left != want {
		t.Errorf("waiting are %s, want %s", left, want)
	}
}

// TestOffersAreDisjoint has no package in two offers, and each resolves.
func TestOffersAreDisjoint(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Jetty)
	all, _, err := Offers(context.Background(), source, app, "")
	if err != nil || len(all) == 0 {
		t.Fatal(all, err)
	}
	var seen []string
	for _, o := range all {
		to := map[string]string{}
		declared := slices.Clone(app.Declared)
		for _, c := range o.Changes {
			if slices.Contains(seen, c.Name) {
				t.Errorf("%s is in two offers", c.Name)
			}
			seen, to[c.Name] = append(seen, c.Name), c.To.Version
			for i := range declared {
				if declared[i].As == c.Name {
					declared[i].Text = c.To.Constraint
				}
			}
		}
		r, err := project.LockStage(context.Background(), source, app,
			project.StageDemand{Declared: declared, To: to, Before: app.Locked})
		if err != nil {
			t.Errorf("%s: %v", o.ID, err)
			continue
		}
		for name, v := range to {
			if got := project.VersionOf(r, name); got != v {
				t.Errorf("%s: %s is at %s, not at %s", o.ID, name, got, v)
			}
		}
	}
}
