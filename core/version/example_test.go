package version_test

import (
	"fmt"

	"molt/core/version"
	"molt/ecosystem/js/ranges"
)

func ExampleList_Describe() {
	var all []version.Version
	for _, text := range []string{"1.0.0", "1.4.0", "2.0.0", "2.1.0", "3.0.0"} {
		v, err := ranges.Scheme.Parse(text)
		if err != nil {
			panic(err)
		}
		all = append(all, v)
	}
	published := version.Sort(all)
	c, err := ranges.Scheme.Constrain("^1.2.0 || 2.x")
	if err != nil {
		panic(err)
	}
	fmt.Println(published.Describe(c.Admit(published)))
	// Output: 1.4.0 … 2.1.0
}
