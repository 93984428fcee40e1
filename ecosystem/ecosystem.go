// Package ecosystem says what Molt has to know about a language's packages: how versions work, where the manifest and
// the lock are and how they are read and edited, and how its registries are asked. Each folder below implements it
// for one language; the application has the list of them (registered.Ecosystems).
package ecosystem

import (
	"context"
	"io/fs"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/registry"
)

// An Ecosystem is one language's packages: what every one has. What not every one has is an
// interface of its own below, found by type assertion; the functions of the same names answer for
// ecosystems without it.
//
// Laws:
//
//   - Canonical(Canonical(n)) == Canonical(n); names from manifests, registries, locks and installed trees come in this form.
//   - DecodeLock(file, EncodeLock(l)) equals l as far as the format tells, and encoding it again gives the same bytes. A format that does not
//     tell what packages need says so (Lock.Edgeless).
//   - ReadManifest(file, m.Bytes()) has the entries of m, and m.Bytes() are the bytes that were read until something is edited.
//   - No two manifests of an application have a group in common.
//   - Nothing here keeps state; all methods may be called concurrently.
type Ecosystem interface {
	// Name is the short name used in molt.yaml, on the command line and in environment variables: "js".
	Name() string
	Scheme() version.Scheme
	// Strategy is how the resolvers of the ecosystem decide.
	Strategy() solve.Strategy
	// Manifest is the file name that the chief manifest usually has.
	Manifest() string
	// Detect lists the manifest files of the application in a folder, by local names with slashes,
	// the chief first. It is empty where the folder has no application of this ecosystem.
	Detect(dir fs.FS) ([]string, error)
	// ReadManifest reads a manifest. Errors carry a position (*input.PositionError).
	ReadManifest(file string, data []byte) (Manifest, error)
	// Protocols lists the ways in which registries of the ecosystem are asked, the usual one first. Their names are no
	// other ecosystem's, so that a configuration may name one for a folder with several.
	Protocols() []Protocol
}

// A Protocol is a way to ask a registry.
type Protocol struct {
	Name string // in molt.yaml
	// Open returns a source that reads from registries. The caller closes it.
	Open func(ctx context.Context, registries *registry.Registries, detail Detail) Source
}

// Detail says for which packages dates and notes are wanted, which registries give in longer
// documents only, and for which environments demands with conditions have to hold.
type Detail struct {
	Everything   bool
	Packages     []string
	Environments []Environment
	Forks        Forks // see Forker; environments have names then
	// Build builds the source of a release, and is nil for one that may not be built; Builds says
	// of which packages people allow that. Both may be nil.
	Builds func(name string) bool
	Build  func(ctx context.Context, name, release string, source universe.File) (*Built, error)
}

// An Environment is where an application runs: what conditions of demands are about, and what
// decides which files of a release can be used.
type Environment struct {
	Name     string            // "" for the only one
	Runtimes map[string]string // versions by runtime, of which the last parts may be missing
	Platform string            // as the ecosystem writes platforms, "" for the usual one
	Groups   []string          // of the groups that are alternatives to one another, those that are installed there
	Except   []string          // and those that are not; see Divided
}

// A Source is a universe.Source that works in the background until it is closed.
type Source interface {
	universe.Source
	Close()
}

// A Recorder is a source that knows what it has read.
type Recorder interface {
	// Seen returns the packages that were read so far, sorted by name, each in the most detailed form that was asked for.
	Seen() []*universe.Package
}

// A FileRecorder is a Recorder that has read files besides documents.
type FileRecorder interface {
	Recorder
	// SeenFiles returns what stands for each of these files, by address, which may be relative to the registry.
	SeenFiles() map[string][]byte
}

// A Manifest is a manifest in memory. Edits change the text of the entries concerned and no other byte.
type Manifest interface {
	Entries() []Entry
	// Groups lists the groups that a manifest of its kind can have; the first is the usual one.
	Groups() []string
	// Set replaces the constraint that stands at a place: that of an entry, or of all that have it.
	Set(at ConstraintPlace, constraint string) error
	// Remove deletes an entry with its line.
	Remove(group, name string) error
	// Add puts a new entry into a group, in the order that the group's entries have; the group may be missing.
	Add(group, name, constraint string) error
	// Bytes returns the text.
	Bytes() []byte
}

// A ConstraintPlace is where a constraint is written: an entry of a group, or something with a name that entries refer to, such as a
// property or what a parent's file says. Entries of one place have one text, and moving one moves the others.
type ConstraintPlace struct {
	File        string // relative to the application, with slashes; "" for the manifest that has the entry
	Group, Name string
}

// At is the place of the entry's constraint.
func (e Entry) At() ConstraintPlace {
	if e.Place != (ConstraintPlace{}) {
		return e.Place
	}
	name := e.As
	if e.Own != "" {
		name = e.Own
	}
	group := project.GroupOf(e.Group).Name
	return ConstraintPlace{Group: group, Name: name}
}

// An Entry is a declaration in a manifest.
type Entry struct {
	universe.Demand
	Group string
	File  string // of the manifest, which Manifests fill in
	// Place is where the constraint is written, where that is not the entry itself; see At.
	Place ConstraintPlace
	// as solve.Root has them: a member of a workspace that stands apart, and the name that the manifest has
	Apart, Own string
	// what the version of a member of the workspace has to satisfy, where only a member may serve
	// it; "" where it need not be one
	Sibling      string
	Written      string // the text in the manifest, which for an alias is more than the constraint
	Line, Column int    // of the constraint, from 1
}

// A Runtime is a runtime that packages may require, with the command that prints the version that this machine has.
type Runtime struct {
	project.Runtime
	Ask []string // nil when there is none
	// Variables name the variables of the environment that the runtime reads.
	Variables []string
}

// An Import is a place in the source that uses a package.
type Import struct {
	Package   string
	Specifier string // as the source has it
	File      string // relative to the application, with slashes
	Line      int    // from 1; 0 when it is not written out
}
