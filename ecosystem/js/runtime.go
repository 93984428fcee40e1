package js

import (
	"fmt"
	"strings"

	"molt/core/project"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
)

// node is the language's runtime, under the name by which manifests require it.
var node = ecosystem.Runtime{
	Runtime: project.Runtime{Name: "node", Scheme: runtimeScheme{}, Known: everyMajor(),
		Newest: func(v version.Version) string { return ranges.Scheme.Major(v) + newest }},
	Ask:       []string{"node", "--version"},
	Variables: []string{"NODE_ENV", "NODE_OPTIONS", "NODE_PATH", "NODE_EXTRA_CA_CERTS", "NODE_DEBUG"},
}

// newest follows a major of which the newest release is meant, whichever that is.
const newest = ".x"

// runtimeScheme is how versions of the runtime are read: as those of packages are, and "18.x" is the newest 18.
type runtimeScheme struct{ ranges.Rules }

// Complete reads a version of which the last parts may be missing.
func (s runtimeScheme) Complete(text string) (version.Version, error) {
	if major, ok := strings.CutSuffix(text, newest); ok {
		return s.Rules.Complete(major + last)
	}
	return s.Rules.Complete(text)
}

// last is what the last release of a major is numbered at most.
const last = ".999.999"

// everyMajor stands for the runtime's releases, of which no list is at hand without a network: of
// each major the first that there can be, and a last that there will not be. A requirement says
// which majors will do, and from where on.
func everyMajor() version.List {
	const majors = 100
	var all version.List
	for major := range majors {
		for _, text := range []string{fmt.Sprintf("%d.0.0", major), fmt.Sprintf("%d%s", major, last)} {
			if v, err := ranges.Scheme.Parse(text); err == nil {
				all = append(all, v)
			}
		}
	}
	return all
}
