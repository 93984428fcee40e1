package solve_test

import (
	"context"
	"fmt"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

func ExampleResolve() {
	source, err := universe.Sketch(ranges.Scheme, `
		brackwater@4.1: nail@^1
		brackwater@5.0: nail@^2
		gull-forms@1.0: peer:brackwater@^4
		nail@1.3
		nail@2.0`)
	if err != nil {
		panic(err)
	}
	root := func(name, constraint string) solve.Root {
		return solve.Root{Group: "dependencies", Demand: universe.Demand{As: name, Package: name, Text: constraint}}
	}
	r, err := solve.Resolve(context.Background(), source,
		solve.Problem{Roots: []solve.Root{root("brackwater", ">=4"), root("gull-forms", "*")}})
	if err != nil {
		panic(err)
	}
	for _, p := range r.Packages {
		fmt.Println(p.Name, p.Version)
	}

	_, err = solve.Resolve(context.Background(), source,
		solve.Problem{Roots: []solve.Root{root("brackwater", "^5"), root("gull-forms", "*")}})
	fmt.Println(err)
	// Output:
	// brackwater 4.1.0
	// gull-forms 1.0.0
	// nail 1.3.0
	// these demands cannot all hold:
	//   the application needs brackwater ^5
	//   the application needs gull-forms *
	//   gull-forms has the peer brackwater ^4
}
