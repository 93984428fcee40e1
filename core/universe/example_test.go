package universe_test

import (
	"context"
	"fmt"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// A universe is written in a notation of a few characters, and a source may be seen through another: here as it is with
// what a manifest says of every edge to a name.
func ExampleOverridden() {
	source, err := universe.Sketch(ranges.Scheme, `
		mast@1.0: rope@^1
		rope@1.2
		rope@2.0`)
	if err != nil {
		panic(err)
	}
	seen := universe.Overridden(source, []universe.Override{
		{Demand: universe.Demand{As: "rope", Package: "rope", Text: "2.0.0"}}})
	mast, err := seen.Package(context.Background(), "mast")
	if err != nil {
		panic(err)
	}
	rope, err := seen.Package(context.Background(), "rope")
	if err != nil {
		panic(err)
	}
	need := mast.Needs(0)[0]
	admitted, err := rope.Admit(need.Text)
	fmt.Println(need.Text, rope.Versions().Describe(admitted), err)
	// Output: 2.0.0 2.0.0 <nil>
}
