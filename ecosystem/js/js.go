// Package js implements JavaScript's ecosystem: the package.json manifest, Semantic Versioning with the range grammar
// of that manifest, and the package-registry document protocol.
package js

import (
	"context"
	"errors"
	"io/fs"
	"regexp"
	"strings"

	"github.com/package-url/packageurl-go"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/registry"
)

// JS is the ecosystem.
type JS struct{}

var _ interface {
	ecosystem.Ecosystem
	ecosystem.Installer
	ecosystem.Importer
	ecosystem.Pinner
	ecosystem.RuntimeKnower
	ecosystem.Server
	ecosystem.KinNamer
} = JS{}

// Name returns "js".
func (JS) Name() string { return "js" }

// Scheme returns ranges.Scheme.
func (JS) Scheme() version.Scheme { return ranges.Scheme }

// Strategy is that every package may have its own copies of what it needs.
func (JS) Strategy() solve.Strategy { return solve.Nested }

// descriptions is the scope under which, by the convention of the language's typed dialect, type
// declarations are published for packages that have none: those of x as x below it, those of @s/x
// as s__x, those of the runtime under the runtime's name.
const descriptions = "@types"

// Purpose tells groups apart as the manifest has them.
func (JS) Purpose(group string) project.Purpose {
	switch group {
	case "devDependencies":
		return project.ToDevelop
	case "optionalDependencies":
		return project.ToChoose
	}
	return project.ToRun
}

// Kin reads the scope of a name, or the part before its first hyphen, and what type declarations are for.
func (JS) Kin(name string) project.Kin {
	if scope, rest, ok := strings.Cut(name, "/"); ok && strings.HasPrefix(name, "@") {
		if scope != descriptions {
			return project.Kin{Scope: scope, Owner: scope[1:], Name: rest}
		}
		if owner, own, scoped := strings.Cut(rest, "__"); scoped {
			rest = "@" + owner + "/" + own
		}
		return project.Kin{Name: rest, Describes: rest}
	}
	stem, _, _ := strings.Cut(name, "-")
	return project.Kin{Name: name, Stem: stem}
}

// Manifest returns the name of the manifest.
func (JS) Manifest() string { return "package.json" }

// Detect returns package.json where there is one.
func (JS) Detect(dir fs.FS) ([]string, error) {
	_, err := fs.Stat(dir, "package.json")
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, nil
	case err != nil:
		return nil, err
	}
	return []string{"package.json"}, nil
}

// Runtimes returns the one runtime.
func (JS) Runtimes() []ecosystem.Runtime { return []ecosystem.Runtime{node} }

// PackageURL returns the identity of a release.
func (JS) PackageURL(name, release string) string {
	namespace := ""
	if strings.HasPrefix(name, "@") {
		namespace, name, _ = strings.Cut(name, "/")
	}
	return packageurl.NewPackageURL(packageurl.TypeNPM, namespace, name, release, nil, "").ToString()
}

// Protocols lists the one that asks for a document a package.
func (j JS) Protocols() []ecosystem.Protocol {
	return []ecosystem.Protocol{{Name: "documents", Open: j.Open}}
}

// Open returns a source that reads from registries.
func (JS) Open(ctx context.Context, registries *registry.Registries, detail ecosystem.Detail) ecosystem.Source {
	return openSource(ctx, registries, detail)
}

// alias is the prefix of a constraint that asks for another package of the registry: prefix, name, "@", constraint.
const alias = "npm" + ":"

// sibling is the prefix of a constraint that asks for a member of the same workspace.
const sibling = "workspace" + ":"

var (
	// tag is what may be the name of a release: nothing that a range could begin with.
	tag = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]*(\.[A-Za-z0-9_-]+)*$`)
	// protocol is how a constraint begins that is an address of some kind.
	protocol = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9+.-]*:`)
)

// demand reads one line of a manifest. A text that is neither a range, nor a tag, an alias
// or an address of some kind is an error, a *version.Error.
func demand(name, text string) (universe.Demand, error) {
	d := lineOf(name, text)
	if d.Foreign || tag.MatchString(d.Text) && !isRange(d.Text) {
		return d, nil
	}
	_, err := ranges.Scheme.Constrain(d.Text)
	return d, err
}

// lineOf takes one line of a manifest or of a registry document apart. Whether its text is a
// constraint is not looked at.
func lineOf(name, text string) universe.Demand {
	d := universe.Demand{As: name, Package: name, Text: strings.TrimSpace(text)}
	if rest, ok := strings.CutPrefix(d.Text, alias); ok {
		d.Package, d.Text = rest, "*"
		if at := strings.LastIndexByte(rest, '@'); at > 0 {
			d.Package, d.Text = rest[:at], rest[at+1:]
		}
	}
	d.Foreign = strings.Contains(d.Text, "/") || strings.HasPrefix(d.Text, ".") || strings.Contains(d.Text, ":") &&
		protocol.MatchString(d.Text)
	return d
}

func isRange(text string) bool {
	_, err := ranges.Scheme.Constrain(text)
	return err == nil
}
