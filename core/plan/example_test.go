package plan_test

import (
	"context"
	"fmt"

	"molt/core/assess"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// desk is a small application on brackwater 4, with what its registry has.
func desk() (universe.Source, project.Application) {
	source, err := universe.Sketch(ranges.Scheme, `
		brackwater@4.1
		brackwater@5.0
		gull-forms@1.0: peer:brackwater@^4
		gull-forms@1.1: peer:brackwater@^4||^5
		tide-pages@1.0: peer:brackwater@^4
		tide-pages@2.0: peer:brackwater@^5`)
	if err != nil {
		panic(err)
	}
	app := project.Application{Scheme: ranges.Scheme}
	for _, name := range []string{"brackwater", "gull-forms", "tide-pages"} {
		constraint := "^1.0.0"
		if name == "brackwater" {
			constraint = "^4.1.0"
		}
		app.Declared = append(app.Declared,
			project.Declared{Group: "dependencies", Demand: universe.Demand{As: name, Package: name, Text: constraint}})
	}
	app.Locked, err = project.Relock(context.Background(), source, app)
	if err != nil {
		panic(err)
	}
	return source, app
}

func Example() {
	source, app := desk()
	goal := project.ParseGoal("brackwater@5")
	got, err := assess.Assess(context.Background(), source, app, goal)
	if err != nil {
		panic(err)
	}
	for _, p := range got.Packages {
		fmt.Println(p.Name, p.Standing)
	}
	made, err := plan.NewPlan(context.Background(), source, app, []project.Goal{goal}, plan.Cut{})
	if err != nil {
		panic(err)
	}
	for _, stage := range made.Stages {
		fmt.Println(stage.ID)
		for _, c := range stage.Changes {
			fmt.Println(" ", c.Name, c.From.Constraint, "becomes", c.To.Constraint)
		}
	}
	// Output:
	// gull-forms ready
	// tide-pages together
	// goal-5
	//   brackwater ^4.1.0 becomes ^5.0.0
	//   tide-pages ^1.0.0 becomes ^2.0.0
}
