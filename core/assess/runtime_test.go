package assess

import (
	"context"
	"testing"

	"molt/core/project"
	"molt/samples/projecttest"
)

func TestRelockKeepsToTheDeployedRuntime(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@* deck@^1
		hulk@1.0
		hulk@2.0
		deck@1.0: rudder@*
		rudder@1.0
		rudder@1.1`)
	app.Locked = nil
	projecttest.Requires(source, "hulk", "2.0.0", ">=22")
	projecttest.Requires(source, "rudder", "1.1.0", "not a range at all")
	for deployed, want := range map[string]string{
		"": "2.0.0", "20.11.1": "1.0.0", "20": "1.0.0", "22": "2.0.0", "23.1": "2.0.0"} {
		app.Runtimes = project.Runtimes{"node": project.Everywhere(deployed), "other": project.Everywhere("1")}
		if deployed == "" {
			app.Runtimes = nil
		}
		r, err := project.Relock(context.Background(), source, app)
		if err != nil {
			t.Fatal(err)
		}
		if got := project.VersionOf(r, "hulk"); got != want {
			t.Errorf("with node %q hulk is at %s, want %s", deployed, got, want)
		}
		if r.Node("rudder@1.1.0") == nil {
			t.Errorf("with node %q a requirement that nobody can read is held against rudder", deployed)
		}
	}
}

// Where a package goes is judged on the least runtime that the goal needs, not on the newest that there could be.
func TestWhereToOnTheLeastRuntime(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: fw@^1 keel@^1
		fw@1
		fw@2
		keel@1: peer:fw@^1
		keel@2: peer:fw@^2
		keel@3: peer:fw@^2`)
	projecttest.Requires(source, "keel", "3.0.0", ">=22")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("18.0.0")}
	got, err := Assess(context.Background(), source, app, project.Goal{Name: "fw", Constraint: "2"})
	if err != nil || !got.Reachable || len(got.Packages) != 1 || got.Packages[0].To != "2.0.0" {
		t.Fatalf("%+v, %v", got, err)
	}
	if len(got.Opens) != 1 {
		t.Errorf("a newer runtime would open %q", got.Opens)
	}
}
