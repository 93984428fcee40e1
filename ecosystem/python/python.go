// Package python implements Python's ecosystem by its published standards: version and dependency
// specifiers, project metadata and dependency groups in pyproject.toml, requirements files, the
// simple repository API, and pylock.toml.
package python

import (
	"regexp"
	"strings"

	"github.com/package-url/packageurl-go"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
)

// Python is the ecosystem.
type Python struct{}

// Name returns "python".
func (Python) Name() string { return "python" }

// Scheme returns specifiers.Scheme.
func (Python) Scheme() version.Scheme { return specifiers.Scheme }

// Strategy is that an environment has one release of a package.
func (Python) Strategy() solve.Strategy { return solve.Single }

// Canonical returns the normal form of a name.
func (Python) Canonical(name string) string {
	name, condition, conditional := strings.Cut(name, " ; ")
	if name = requirement.Canonical(name); conditional { // the name of a second declaration
		name += " ; " + condition
	}
	return name
}

// Kin reads the part before the first hyphen, and what type declarations are for: by the
// specification "Distributing type information", a package of stubs is named after the package that
// it describes.
func (Python) Kin(name string) project.Kin {
	for _, described := range []string{strings.TrimSuffix(name, "-stubs"), strings.TrimPrefix(name, "types-")} {
		if described != name && described != "" {
			return project.Kin{Name: described, Describes: described}
		}
	}
	stem, _, _ := strings.Cut(name, "-")
	return project.Kin{Name: name, Stem: stem}
}

// Protocols lists the one of the specification "Simple repository API".
func (p Python) Protocols() []ecosystem.Protocol {
	return []ecosystem.Protocol{{Name: "simple", Open: p.Open}}
}

// PackageURL returns the identity of a release.
func (Python) PackageURL(name, release string) string {
	return packageurl.NewPackageURL(packageurl.TypePyPi, "", name, release, nil, "").ToString()
}

// Lock returns the name of the lock, which is a standard one.
func (Python) Lock() string { return "pylock.toml" }

// lockName is what the specification allows as the name of a lock.
var lockName = regexp.MustCompile(`^pylock\.([^.]+\.)?toml$`)

// IsLock reports whether a file has the name of a lock.
func (Python) IsLock(name string) bool { return lockName.MatchString(name) }

// Manifest returns the usual name of the chief manifest.
func (Python) Manifest() string { return "pyproject.toml" }
