package history_test

import (
	"fmt"

	"molt/core/history"
)

// A history has an application on a framework, what its packages state, and the truth about what runs with what.
func ExampleNew() {
	h, err := history.New(scripts, history.Honest, 1)
	if err != nil {
		panic(err)
	}
	fmt.Println(h.Breaks(h.App.Locked) == nil, "what it is locked to runs")
	// Output: true what it is locked to runs
}
