package ecosystem

import (
	"context"
	"io/fs"

	"molt/core/universe"
)

// A Flat ecosystem has the packages of an application together in one environment, which the
// language's runtime makes and Molt fills.
type Flat interface {
	TreeReader
	// Probe asks the runtimes of this machine about themselves, first those whose version an
	// environment of the lock has, and returns the first that suits what the application requires.
	// The error says which there are, and what is asked for.
	Probe(ctx context.Context, l *Lock) (*Host, error)
	// Make is the command line that makes an empty environment in a folder. It is moved to another
	// place afterwards (Moved).
	Make(h *Host, dir string) []string
	// Moved returns the text of a file of an empty environment for the place that it is moved to.
	Moved(text []byte, from, to string) []byte
	// Wanted lists the packages of a lock that this machine is to have, sorted by ID: those that
	// the roots lead to by demands that hold here.
	Wanted(l *Lock, h *Host) []*LockedPackage
	// FileFor returns the file of a release that this machine can use best; false where there is none.
	FileFor(p *LockedPackage, h *Host) (universe.File, bool)
	// Arrange says where the files of a release go in an environment that will stand in a folder
	// (an absolute path), and which files are made for it. The files are those of the archive, by
	// path with their SHA-256 in hexadecimal digits; read reads one. A release that contradicts
	// itself is an error.
	Arrange(h *Host, p *LockedPackage, env string, files map[string]string,
		read func(path string) ([]byte, error)) (*Arrangement, error)
	// Lacks says what a release needs on this machine, by its own metadata, that is not among the wanted; "" for nothing.
	Lacks(h *Host, p *LockedPackage, metadata []byte, wanted []*LockedPackage) string
	// Executables is the folder of an environment with what people run, with slashes.
	Executables() string
}

// A Compiler is a Flat whose runtime can compile what is laid out, so that it need not when it first runs.
type Compiler interface {
	// Compile is the command line that compiles the packages of an environment in a folder, which
	// will stand at a place. It runs none of their code. That it ends with an error says only that
	// some files could not be compiled.
	Compile(h *Host, dir, place string) []string
}

// A Pruner is an ecosystem whose locks are for several environments at once.
type Pruner interface {
	// Prune takes out of a lock what none of its environments needs.
	Prune(l *Lock)
}

// A Host is a runtime on this machine.
type Host struct {
	Name     string // of the runtime
	Runtime  string // its executable
	Version  string
	Platform string // of this machine, as the ecosystem writes platforms; "" for one that it has no name for
	Detail   any    // what the ecosystem has to know of it
}

// An Arrangement is where a release goes in an environment. Paths are relative to the environment, with slashes.
type Arrangement struct {
	Links    map[string]string // files of the archive, by where they go
	Made     map[string][]byte // files that are made
	Run      []string          // those of Links and Made that people run
	Metadata []byte
}

// A FileTeller is a Flat ecosystem whose releases may have files for some environments only.
type FileTeller interface {
	Flat
	// Fileless reports whether a release has no file that an environment can use as it is.
	Fileless(p *LockedPackage, e Environment) bool
}

// A SelfInstaller is a Flat ecosystem in whose environments folders of the application can be
// packages, whose files stay where they are.
type SelfInstaller interface {
	Flat
	// Itself returns what makes a folder, relative to the application, a package in the environment
	// that will stand in env (an absolute path, of a folder of the application). It is nil where
	// the folder is none.
	Itself(h *Host, env, folder string, tree fs.FS) (*Itself, error)
}

// An Itself is a package whose files stay where they are: of its arrangement all files are made.
type Itself struct {
	Name, Version string
	*Arrangement
}

// A SourceBuilder is a Flat ecosystem whose releases may have nothing but their source, which is
// built in an environment of its own.
type SourceBuilder interface {
	Flat
	// SourceFile returns the source archive among the files of a release.
	SourceFile(files []universe.File) (universe.File, bool)
	// BuildNeeds lists what has to be in the environment in which an unpacked source is built.
	BuildNeeds(src fs.FS) ([]universe.Demand, error)
	// BuildCommand is the command line, for the folder of the source, that asks what else is needed
	// to build it (out is ""), or that builds it into a folder, in an environment that stands in
	// env.
	BuildCommand(src fs.FS, env, out string) ([]string, error)
	// BuildSaid reads what the command printed that asks.
	BuildSaid(output []byte) ([]universe.Demand, error)
	// BuiltFile says what a file is that was built; the error says that it is none of the release.
	BuiltFile(name, version, file string) (universe.File, error)
}

// A Built is a file that was built of a release's source on this machine.
type Built struct {
	Path string // of the file
	universe.File
}

// An UnbuiltError reports that what a release needs is known only once it is built, and that this call builds nothing.
type UnbuiltError struct{ Release string }

func (e *UnbuiltError) Error() string {
	return e.Release + " was not built on this machine, and this call builds nothing"
}

// A RefusedError reports that the person does not allow a build, which ends the call.
type RefusedError struct{ Err error }

func (e *RefusedError) Error() string { return e.Err.Error() }

// Unwrap returns what was not allowed.
func (e *RefusedError) Unwrap() error { return e.Err }
