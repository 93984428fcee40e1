package inspect_test

import (
	"fmt"

	"molt/core/inspect"
	"molt/ecosystem/js/ranges"
)

func ExampleCompare() {
	before := inspect.State{Packages: map[string][]string{"keel": {"1.0.0"}, "mast": {"1.2.0"}, "rope": {"1.0.0"}}}
	after := inspect.State{Packages: map[string][]string{"keel": {"2.0.0"}, "mast": {"1.2.1"}, "sail": {"1.0.0"}}}
	for _, d := range inspect.Compare(ranges.Scheme, before, after) {
		fmt.Println(d.Name, d.Kind)
	}
	// Output:
	// keel major
	// mast patch
	// sail added
	// rope removed
}
