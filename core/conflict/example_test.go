package conflict_test

import (
	"context"
	"fmt"

	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// A tangle is explained by the package that is torn, and who pulls at it.
func ExampleExplain() {
	source, err := universe.Sketch(ranges.Scheme, `
		brackwater@4.0
		brackwater@5.0
		mast@1.0: peer:brackwater@^4`)
	if err != nil {
		panic(err)
	}
	app := project.Application{Scheme: ranges.Scheme}
	for _, line := range [][2]string{{"brackwater", "^5.0.0"}, {"mast", "*"}} {
		name, at := line[0], line[1]
		app.Declared = append(app.Declared, project.Declared{Group: "dependencies",
			Demand: universe.Demand{As: name, Package: name, Text: at}})
	}
	_, err = project.Relock(context.Background(), source, app)
	explained, err := conflict.Explain(context.Background(), source, app, solve.AsTangle(err))
	if err != nil {
		panic(err)
	}
	for _, c := range explained.Contested {
		fmt.Println(c.Name)
		for _, party := range c.Sides {
			fmt.Println(party.Demand.Constraint, "admits", party.Admits)
		}
	}
	// Output:
	// brackwater
	// ^5.0.0 admits 5.0.0
	// ^4 admits 4.0.0
}
