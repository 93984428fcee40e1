package js

import (
	"fmt"

	"molt/core/project"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
)

// node is the language's runtime, under the name by which manifests require it.
var node = ecosystem.Runtime{
	Runtime: project.Runtime{Name: "node", Scheme: ranges.Scheme, Known: everyMajor()},
	Ask:     []string{"node", "--version"},
}

// everyMajor stands for the runtime's releases, of which no list is at hand without a network: of each major the first that
// there can be, and a last that there will not be. A requirement says which majors will do, and from where on.
func everyMajor() version.List {
	const majors = 100
	var all version.List
	for major := range majors {
		for _, text := range []string{fmt.Sprintf("%d.0.0", major), fmt.Sprintf("%d.999.999", major)} {
			if v, err := ranges.Scheme.Parse(text); err == nil {
				all = append(all, v)
			}
		}
	}
	return all
}
