package project_test

import (
	"context"
	"fmt"

	"molt/core/project"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// An application is what it declares and what it is locked to; relocking keeps near to the lock.
func ExampleRelock() {
	source, err := universe.Sketch(ranges.Scheme, `
		mast@1.0: rope@^1
		mast@1.1: rope@^1
		rope@1.2
		rope@1.3`)
	if err != nil {
		panic(err)
	}
	app := project.Application{Scheme: ranges.Scheme, Declared: []project.Declared{{Group: "dependencies",
		Demand: universe.Demand{As: "mast", Package: "mast", Text: "1.0.0"}}}}
	show := func() {
		for _, n := range app.Locked.Packages {
			fmt.Println(n.ID)
		}
	}
	if app.Locked, err = project.Relock(context.Background(), source, app); err != nil {
		panic(err)
	}
	show()
	app.Declared[0].Text = "^1.1.0"
	if app.Locked, err = project.Relock(context.Background(), source, app); err != nil {
		panic(err)
	}
	show()
	// Output:
	// mast@1.0.0
	// rope@1.3.0
	// mast@1.1.0
	// rope@1.3.0
}
