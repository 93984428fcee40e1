package assess_test

import (
	"context"
	"fmt"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// What a goal means for every declared package: one that is compatible already, one that goes ahead, one that goes with it.
func ExampleAssess() {
	source, err := universe.Sketch(ranges.Scheme, `
		brackwater@4.0
		brackwater@5.0
		gull-forms@1.0: peer:brackwater@^4||^5
		keel@1.0: peer:brackwater@^4
		keel@1.1: peer:brackwater@^4||^5
		mast@1.0: peer:brackwater@^4
		mast@2.0: peer:brackwater@^5`)
	if err != nil {
		panic(err)
	}
	app := project.Application{Scheme: ranges.Scheme, Strategy: solve.Nested}
	for _, line := range [][2]string{{"brackwater", "^4.0.0"}, {"gull-forms", "1.0.0"}, {"keel", "1.0.0"}, {"mast", "1.0.0"}} {
		name, at := line[0], line[1]
		app.Declared = append(app.Declared, project.Declared{Group: "dependencies",
			Demand: universe.Demand{As: name, Package: name, Text: at}})
	}
	if app.Locked, err = project.Relock(context.Background(), source, app); err != nil {
		panic(err)
	}
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "brackwater", Constraint: "5"})
	if err != nil {
		panic(err)
	}
	for _, name := range []string{"gull-forms", "keel", "mast"} {
		for _, p := range got.Packages {
			if p.Name == name {
				fmt.Println(name, p.Standing)
			}
		}
	}
	// Output:
	// gull-forms ready
	// keel bridge
	// mast together
}
