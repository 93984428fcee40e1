package ecosystem

import (
	"context"
	"errors"
	"io/fs"
	"net/http"

	"github.com/package-url/packageurl-go"

	"molt/core/project"
	"molt/core/universe"
	"molt/ecosystem/standin"
)

// What not every ecosystem has. Each is found by type assertion, and the function next to it answers for ecosystems
// without it.

// A Speller is an ecosystem in which a name may be written in several ways.
type Speller interface {
	// Canonical returns the one form of a name.
	Canonical(name string) string
}

// Canonical returns the one form of a name: the name itself, where it is written in one way.
func Canonical(e Ecosystem, name string) string {
	if s, ok := e.(Speller); ok {
		return s.Canonical(name)
	}
	return name
}

// A Locker is an ecosystem with a lock of its own, or of a standard.
type Locker interface {
	// Lock is the name that the lock usually has.
	Lock() string
	// EncodeLock writes a lock, the same bytes for the same lock; DecodeLock reads one. Its errors are
	// *input.PositionError, *NewerLockError and *input.LimitError.
	EncodeLock(l *Lock) []byte
	DecodeLock(file string, data []byte) (*Lock, error)
}

// LockFile is the name that the lock usually has: that of Molt's own format, where the ecosystem has none.
func LockFile(e Ecosystem) string {
	if l, ok := e.(Locker); ok {
		return l.Lock()
	}
	return MoltLock
}

// EncodeLock writes a lock in the ecosystem's format.
func EncodeLock(e Ecosystem, l *Lock) []byte {
	if k, ok := e.(Locker); ok {
		return k.EncodeLock(l)
	}
	return EncodeMoltLock(l)
}

// DecodeLock reads a lock in the ecosystem's format. Its errors are those of Locker.
func DecodeLock(e Ecosystem, file string, data []byte) (*Lock, error) {
	if l, ok := e.(Locker); ok {
		return l.DecodeLock(file, data)
	}
	return DecodeMoltLock(file, data)
}

// An Identifier is an ecosystem whose packages have a type of package URL.
type Identifier interface {
	// PackageURL returns the identity of a release (ECMA-427).
	PackageURL(name, version string) string
}

// PackageURL returns the identity of a release (ECMA-427), of the type "generic" where the ecosystem has none.
func PackageURL(e Ecosystem, name, version string) string {
	if i, ok := e.(Identifier); ok {
		return i.PackageURL(name, version)
	}
	return packageurl.NewPackageURL(packageurl.TypeGeneric, "", name, version, nil, "").ToString()
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
	StandIn(u standin.Universe) http.Handler
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
	// The result depends on the lock and on fits only.
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

// Conditional is an ecosystem whose demands may hold in some environments only.
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

// What not every manifest has.

// A Titled manifest names the application itself.
type Titled interface {
	Name() string    // "" when it has none
	Version() string // "" when it has none
	// SetVersion replaces the version, which must be there.
	SetVersion(version string) error
}

// titled returns how a manifest names the application: not at all, where it cannot.
func titled(m Manifest) Titled {
	if t, ok := m.(Titled); ok {
		return t
	}
	return untitled{}
}

type untitled struct{}

func (untitled) Name() string            { return "" }
func (untitled) Version() string         { return "" }
func (untitled) SetVersion(string) error { return errors.New("there is no version to set") }

// A Workspace is a manifest that may name members.
type Workspace interface {
	// Members lists patterns of the folders in which they are, as MemberFolders reads them.
	Members() []string
}

// MemberPatterns lists patterns of the folders in which the members of a workspace are.
func MemberPatterns(m Manifest) []string {
	if w, ok := m.(Workspace); ok {
		return w.Members()
	}
	return nil
}

// An Overrider is a manifest that may say something of every edge to a name.
type Overrider interface {
	// Overrides lists that, sorted by name.
	Overrides() []universe.Override
}

// A Requirer is a manifest that may require something of runtimes and tools.
type Requirer interface{ Runtimes() []universe.Requirement }

// Requires lists what a manifest requires of runtimes and tools.
func Requires(m Manifest) []universe.Requirement {
	if r, ok := m.(Requirer); ok {
		return r.Runtimes()
	}
	return nil
}

// A Tooled manifest may say which tool works on it.
type Tooled interface {
	// Tool is that tool, with its version; "" for none.
	Tool() (name, version string, line int)
}

// ToolOf returns the tool that a manifest says works on it, with its version; "" for none.
func ToolOf(m Manifest) (name, version string, line int) {
	if t, ok := m.(Tooled); ok {
		return t.Tool()
	}
	return "", "", 0
}
