package python

import (
	"fmt"

	"molt/core/project"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/python/specifiers"
)

// runtimeName is the interpreter, as Molt calls it.
const runtimeName = "python"

// interpreter is the language's runtime.
var interpreter = ecosystem.Runtime{
	Runtime: project.Runtime{Name: runtimeName, Scheme: runtimeScheme{}, Known: everyMinor()},
	Variables: []string{"PYTHONPATH", "PYTHONHOME", "PYTHONUTF8", "PYTHONIOENCODING", "PYTHONHASHSEED", "PYTHONWARNINGS",
		"PYTHONDONTWRITEBYTECODE", "PYTHONUNBUFFERED", "PYTHONDEVMODE"},
	Ask: []string{"python3", "-c", "import platform; print(platform.python_version())"},
}

// runtimeScheme is how versions of the interpreter are read: as those of packages are; where a
// minor version alone is named, its newest release is meant.
type runtimeScheme struct{ specifiers.Rules }

// newest is what the newest release of a minor version is numbered at most.
const newest = ".999"

// Complete reads a version of which the last number may be missing: 3.11 is the newest 3.11.
func (s runtimeScheme) Complete(text string) (version.Version, error) {
	v, err := specifiers.Parse(text)
	if err != nil {
		return nil, err
	}
	if v.Len() == 2 && !v.Prerelease() {
		return s.Parse(text + newest)
	}
	return v, nil
}

// everyMinor stands for the interpreter's releases, of which no list is at hand without a network:
// of each minor version the first that there can be, and a last that there will not be.
func everyMinor() version.List {
	var all version.List
	add := func(major, from, to int) {
		for minor := from; minor <= to; minor++ {
			for _, patch := range []string{".0", newest} {
				if v, err := specifiers.Parse(fmt.Sprintf("%d.%d%s", major, minor, patch)); err == nil {
					all = append(all, v)
				}
			}
		}
	}
	add(2, 6, 7)
	add(3, 0, 60)
	return all
}

// Runtimes returns the interpreter.
func (Python) Runtimes() []ecosystem.Runtime { return []ecosystem.Runtime{interpreter} }
