// Package ecosystem says what Molt has to know about a language's packages: how versions work, where the manifest and
// the lock are and how they are read and edited, and how its registries are asked. Each folder below implements it
// for one language; the application has the list of them (registered.Ecosystems).
package ecosystem

import (
	"context"
	"io/fs"
	"net/http"

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
	Tenancy() solve.Tenancy
	// Canonical returns the one form of a name that may be written in several ways.
	Canonical(name string) string
	// Manifest is the file name that the chief manifest usually has, Lock that of the lock.
	Manifest() string
	Lock() string
	// Detect lists the manifest files of the application in a folder, by local names with slashes,
	// the chief first. It is empty where the folder has no application of this ecosystem.
	Detect(dir fs.FS) ([]string, error)
	// ReadManifest reads a manifest. Errors carry a position (*input.PositionError).
	ReadManifest(file string, data []byte) (Manifest, error)
	// Open returns a source that reads from registries. The caller closes it.
	Open(ctx context.Context, registries *registry.Registries, detail Detail) Source
	// EncodeLock writes a lock, the same bytes for the same lock; DecodeLock reads one. Its errors
	// are *input.PositionError,
	// *NewerLockError and *input.LimitError.
	EncodeLock(l *Lock) []byte
	DecodeLock(file string, data []byte) (*Lock, error)
	// PackageURL returns the identity of a release (ECMA-427).
	PackageURL(name, version string) string
}

// A TreeReader reads what is installed in the folder of an application, the way that the language's runtime finds it.
type TreeReader interface {
	// Installed returns the tree, nil when nothing is installed. It takes a path, since links of a
	// tree may lead out of the folder.
	Installed(dir string) (Tree, error)
	// InstallFolder is the name of the folders that hold installed packages: they are no part of the application's source.
	InstallFolder() string
}

// An Importer knows what source files use.
type Importer interface {
	// Imports lists what the source of an application imports from packages, sorted by file and line.
	Imports(dir fs.FS) ([]Import, error)
}

// A Pinner knows the files in which people pin runtimes and tools.
type Pinner interface {
	// Pins lists the versions of runtimes and tools that the manifests and the usual version files name.
	Pins(dir fs.FS, m *Manifests) []project.Pin
}

// A RuntimeKnower knows the runtimes that packages may require.
type RuntimeKnower interface {
	// Runtimes lists them, the language's own first. The caller must not change the list.
	Runtimes() []Runtime
}

// A Server serves packages the way that the ecosystem's registries do.
type Server interface {
	StandIn(packages universe.Table) http.Handler
	// Document writes the document of a package as a registry would have it, with archives where
	// the releases' files say. Reading it gives the package.
	Document(p *universe.Package) []byte
	// Relay serves the releases that packages have and no others, with archives where their files
	// say, or through a function that gets them.
	Relay(packages universe.Table,
		archive func(context.Context, *universe.Package, *universe.Release) ([]byte, error)) http.Handler
}

// An Installer knows how releases are laid out for the language's runtime.
type Installer interface {
	TreeReader
	// Manifest is the file in a release that Executables and the like read.
	Manifest() string
	// Layout says which release stands where, so that the runtime finds from every package's folder
	// exactly what the lock leads to. Releases for which fits is false are left out with what only
	// they need; they must be optional wherever they are needed, else the error says so. Only the
	// roots that the lock has count: whoever wants some groups alone takes the others out before.
	// The result depends on the lock and on fits alone.
	Layout(l *Lock, fits func(*LockedPackage) bool) (*Layout, error)
	// Fits reports whether a release is for the platform of this machine, as the lock states its platforms.
	Fits(p *LockedPackage) bool
	// Executables reads from the manifest in a release what it gives people to run: names, with
	// files of the release. What would lead elsewhere is left out.
	Executables(name string, manifest []byte) map[string]string
	// Contradicts says how the manifest in a release's archive says something else than the lock,
	// which has what the registry said: of name, version or what it needs; "" for nothing. Names
	// that the application overrides are not looked at.
	Contradicts(p *LockedPackage, manifest []byte, overridden map[string]string) string
	// BuildSteps names the scripts of a release that its author wants run when it is installed, from its manifest.
	BuildSteps(manifest []byte) []string
	// BuildCommand returns the command line of one of these for a release that stands in a folder
	// of an application, and the variables that such scripts expect besides those of the call.
	BuildCommand(app, folder string, manifest []byte, step string) (run string, env map[string]string)
}

// Conditional is an ecosystem whose demands may hold in some environments alone.
type Conditional interface {
	// Holds reports whether a condition (Demand.When) holds in some of the environments.
	Holds(when string, environments []Environment) bool
	// Platforms lists the platforms that an environment may be on, the usual one first.
	Platforms() []string
}

// A LockNamer is an ecosystem whose locks may have other names than the usual one.
type LockNamer interface {
	// IsLock reports whether a file may be a lock, by its name.
	IsLock(name string) bool
}

// A Limiter is an ecosystem with files that say which releases will do of packages that something else asks for.
type Limiter interface {
	// Limits reads such a file. Errors carry a position (*input.PositionError).
	Limits(file string, data []byte) ([]universe.Demand, error)
}

// Limited is a manifest that names such files, relative to the application, with slashes.
type Limited interface{ LimitFiles() []string }

// A KinNamer knows what names say about kinship.
type KinNamer interface{ Kin(name string) project.Kin }

// Installed returns what is installed in a folder; nil when nothing is, or nobody can tell.
func Installed(e Ecosystem, dir string) (Tree, error) {
	if t, ok := e.(TreeReader); ok {
		return t.Installed(dir)
	}
	return nil, nil
}

// InstallFolder is the name of the folders that hold installed packages, "" where nobody can tell.
func InstallFolder(e Ecosystem) string {
	if t, ok := e.(TreeReader); ok {
		return t.InstallFolder()
	}
	return ""
}

// Imports lists what the source of an application imports; none where nobody can tell.
func Imports(e Ecosystem, dir fs.FS) ([]Import, error) {
	if i, ok := e.(Importer); ok {
		return i.Imports(dir)
	}
	return nil, nil
}

// Pins lists the versions of runtimes and tools that files name.
func Pins(e Ecosystem, dir fs.FS, m *Manifests) []project.Pin {
	if p, ok := e.(Pinner); ok {
		return p.Pins(dir, m)
	}
	return nil
}

// Runtimes lists the runtimes that packages may require.
func Runtimes(e Ecosystem) []Runtime {
	if r, ok := e.(RuntimeKnower); ok {
		return r.Runtimes()
	}
	return nil
}

// Kin returns what a name says about kinship; nothing where nobody can tell.
func Kin(e Ecosystem) func(name string) project.Kin {
	if k, ok := e.(KinNamer); ok {
		return k.Kin
	}
	return func(string) project.Kin { return project.Kin{} }
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
	Build  func(ctx context.Context, name, version string, source universe.File) (*Built, error)
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
	Name() string    // the application's name, "" when it has none
	Version() string // its version, "" when it has none
	Entries() []Entry
	// Members lists patterns of the folders in which the members of a workspace are, as MemberFolders reads them.
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
	Group string
	File  string // of the manifest, which Manifests fill in
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
