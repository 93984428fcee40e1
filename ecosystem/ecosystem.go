// Package ecosystem says what Molt has to know about a language's packages: how versions work, where the manifest and
// the lock are and how they are read and edited, and how its registries are asked. Each folder below implements it
// for one language; All lists them.
package ecosystem

import (
	"context"
	"net/http"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/registry"
)

// An Ecosystem is one language's packages.
type Ecosystem interface {
	// Name is the short name used in molt.yaml, on the command line and in environment variables: "js".
	Name() string
	Scheme() version.Scheme
	Tenancy() solve.Tenancy
	// Manifest is the file name of the manifest, Lock that of the lock.
	Manifest() string
	Lock() string
	// ReadManifest reads a manifest. Errors carry a position (*PositionError).
	ReadManifest(file string, data []byte) (Manifest, error)
	// Open returns a source that reads from a registry. The caller closes it.
	Open(ctx context.Context, client *registry.Client, detail Detail) Source
	// EncodeLock writes a lock, the same bytes for the same lock; DecodeLock reads one.
	EncodeLock(l *Lock) []byte
	DecodeLock(file string, data []byte) (*Lock, error)
	// PackageURL returns the identity of a release (ECMA-427).
	PackageURL(name, version string) string
	// StandIn serves packages the way that the ecosystem's registries do.
	StandIn(packages universe.Table) http.Handler
	// Installed reads what is installed in the folder of an application; nil when nothing is. Folder is the name of the
	// folders that hold packages.
	Installed(dir string) (*Installed, error)
	Folder() string
	// Imports lists what the source of an application imports from packages, sorted by file and line.
	Imports(dir string) ([]Import, error)
	// Pins lists the versions of runtimes and tools that the manifest and the usual version files name.
	Pins(dir string, m Manifest) []project.Pin
	// Runtimes lists the runtimes that packages may require, the language's own first. The caller must not change it.
	Runtimes() []Runtime
}

// Detail says for which packages dates and notes are wanted, which registries give in longer documents only.
type Detail struct {
	Everything bool
	Packages   []string
}

// A Source is a universe.Source that works in the background until it is closed.
type Source interface {
	universe.Source
	Close()
}

// A Manifest is a manifest in memory. Edits change the text of the entries concerned and no other byte.
type Manifest interface {
	Name() string    // the application's name, "" when it has none
	Version() string // its version, "" when it has none
	Entries() []Entry
	// Members lists patterns of the folders in which the members of a workspace are, with slashes.
	Members() []string
	// Overrides lists what the manifest says of every edge to a name, sorted by name.
	Overrides() []universe.Override
	// Groups lists the groups that a manifest of its kind can have; the first is the usual one.
	Groups() []string
	// Runtimes lists what the application itself requires of runtimes and tools.
	Runtimes() []universe.Requirement
	// Set replaces the constraint of an entry.
	Set(group, name, constraint string) error
	// Remove deletes an entry with its line.
	Remove(group, name string) error
	// Add puts a new entry into a group, in the order that the group's entries have; the group may be missing.
	Add(group, name, constraint string) error
	// Tool is the tool that the manifest says works on it, with its version; "" for none.
	Tool() (name, version string, line int)
	// SetVersion replaces the application's own version, which must be there.
	SetVersion(version string) error
	// Bytes returns the text.
	Bytes() []byte
}

// An Entry is a declaration in a manifest.
type Entry struct {
	universe.Demand
	Group        string
	Written      string // the text in the manifest, which for an alias is more than the constraint
	Line, Column int    // of the constraint, from 1
}

// A PositionError points at a place in a file that was read.
type PositionError = registry.FileError

// A Runtime is a runtime that packages may require, with the command that prints the version that this machine has.
type Runtime struct {
	project.Runtime
	Ask []string // nil when there is none
}

// An Import is a place in the source that uses a package.
type Import struct {
	Package   string
	Specifier string // as the source has it
	File      string // relative to the application, with slashes
	Line      int    // from 1; 0 when it is not written out
}
