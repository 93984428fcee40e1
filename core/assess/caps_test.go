package assess

import (
	"context"
	"testing"

	"molt/core/project"
	"molt/samples/projecttest"
)

// A line of the framework that ends before its next major is kept until the goal, so what is
// compatible only with releases past it is no bridge.
func TestCapOfTheFramework(t *testing.T) {
	for line, want := range map[string]project.Standing{
		"^1": project.Bridge, "~1.0": project.Together, "1.0.0": project.Bridge} {
		source, app := projecttest.Sketch(
			t, "app: hull@"+line+" lamp@^1\nhull@1.0\nhull@1.1\nhull@2\nlamp@1: peer:hull@^1\nlamp@2: peer:hull@^1.1||^2")
		goal := project.Goal{Name: "hull", Constraint: "2"}
		got, err := Assess(context.Background(), source, app, goal)
		if err != nil || got.Packages[0].Standing != want {
			t.Errorf("hull %s: %+v, %v", line, got.Packages, err)
		}
		app.Uncapped = true
		if got, err = Assess(context.Background(), source, app, goal); err != nil ||
			got.Packages[0].Standing != project.Bridge {
			t.Errorf("hull %s, lifted: %+v, %v", line, got.Packages, err)
		}
	}
}
