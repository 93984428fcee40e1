package assess

import (
	"context"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// A goal that does not resolve even by itself blames nobody else, and the others are judged as if it did.
func TestAlone(t *testing.T) {
	for _, test := range []struct{ name, universe, want string }{
		{"by itself it does", `
			app: hull@^1 lamp@^1
			hull@1
			hull@2
			lamp@1: peer:hull@1`, "false false; lamp blocked"},
		{"a peer below it is of another release of it", `
			app: hull@^1 lamp@^1 sail@^1 oar@^1
			hull@1
			hull@2: deck@1
			deck@1: peer:hull@9
			lamp@1: peer:hull@1
			lamp@2: peer:hull@2
			sail@1: peer:hull@1
			oar@1`, "false true; lamp together, sail blocked, oar silent"},
		{"twice", `
			app: hull@^1 oar@^1
			hull@1
			hull@2: deck@1 mast@1
			deck@1: peer:hull@9
			mast@1: peer:hull@8
			oar@1`, "false true; oar silent"},
		{"what it needs is nowhere: nothing can be set aside", `
			app: hull@^1 oar@^1
			hull@1
			hull@2: deck@1
			oar@1`, "false true; oar silent"},
	} {
		source, app := projecttest.Sketch(t, test.universe)
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
		if err != nil {
			t.Fatal(err)
		}
		var standings []string
		for _, p := range got.Packages {
			if p.By == "" {
				standings = append(standings, p.Name+" "+string(p.Standing))
			}
		}
		says := "false"
		if got.Reachable {
			says = "true"
		}
		if says += " false; "; got.Alone {
			says = strings.Replace(says, "false; ", "true; ", 1)
		}
		if says += strings.Join(standings, ", "); says != test.want {
			t.Errorf("%s: %s, want %s", test.name, says, test.want)
		}
		if got.Alone && (got.Tangle == nil || got.Waits != nil) {
			t.Errorf("%s: tangle %v, waits %v", test.name, got.Tangle, got.Waits)
		}
	}
}

// What people set aside is evidence of its own, and no doubt is left about it.
func TestWaivedEvidence(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 lamp@^1
		hull@1
		hull@2
		lamp@1: peer:hull@1`)
	app.Waived = []project.Waiver{{Package: "lamp", Of: "hull", Reason: "we ran it"}}
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
	if err != nil || !got.Reachable || len(got.Packages) != 1 {
		t.Fatalf("%+v, %v", got, err)
	}
	p := got.Packages[0]
	if p.Standing != project.Ready || len(p.Evidence) != 1 ||
		p.Evidence[0].Grade != project.SetAside ||
		!p.Evidence[0].Says.Equal(fact.New(SetAsideFor, "hull", "we ran it")) || !p.Evidence[0].Where.Is(AtSettings) {
		t.Errorf("lamp is %+v", p)
	}
}

// The goal's own need of a runtime is named first, then only what asks for more.
func TestNeedsOfARuntime(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hull@^1 lamp@^1 oar@^1
		hull@1
		hull@2: helper@1
		lamp@1: peer:hull@1
		lamp@2: peer:hull@2
		oar@1
		helper@1`)
	for release, needs := range map[string]string{"hull@2.0.0": ">=20", "lamp@2.0.0": ">=21", "helper@1.0.0": ">=18"} {
		name, v, _ := strings.Cut(release, "@")
		source[name].Release(v).Runtimes = []universe.Requirement{{Name: "node", Text: needs}}
	}
	app.Runtimes = project.Runtimes{"node": project.Everywhere("16.0.0")}
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "2"})
	if err != nil {
		t.Fatal(err)
	}
	var needs []string
	for _, n := range got.Runtimes {
		needs = append(needs, n.By+" "+n.Needs)
	}
	if strings.Join(needs, ", ") != "hull 2.0.0 >=20, lamp 2.0.0 >=21" {
		t.Errorf("needed are %v", needs)
	}
}
