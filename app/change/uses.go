package change

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"molt/app/open"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
)

// A Use is a place where a package is still used: a line of the source, or, when File is "", another locked package.
type Use struct {
	Package string
	File    string
	Line    int
	By      string
}

// UsesOf lists where the packages that an effect's changes take out of the manifest are still used:
// in the source, which would no longer find them, and by packages of the new lock, which keep them
// there.
func UsesOf(a *open.View, e *Effect) ([]Use, error) {
	changes := e.Changes
	var dropped []string
	for _, c := range changes {
		if c.To == (project.Point{}) && !slices.Contains(dropped, c.Name) {
			dropped = append(dropped, c.Name)
		}
	}
	if dropped == nil {
		return nil, nil
	}
	imports, err := imports(a, dropped)
	if err != nil {
		return nil, err
	}
	var uses []Use
	for _, i := range imports {
		if !slices.ContainsFunc(changes, func(c project.Change) bool {
			member := project.GroupOf(c.Group).Member
			return c.To == (project.Point{}) && project.OwnName(c.Name) == i.Package &&
				(member == "" || strings.HasPrefix(i.File, member+"/"))
		}) {
			continue
		}
		uses = append(uses, Use{Package: i.Package, File: i.File, Line: i.Line})
	}
	return append(uses, keepers(e.after, dropped)...), nil
}

// Importers gives of each of the packages where the source imports it, as FILE:LINE.
func Importers(a *open.View, names []string) (map[string][]string, error) {
	imports, err := imports(a, names)
	if err != nil {
		return nil, err
	}
	at := map[string][]string{}
	for _, name := range names {
		for _, i := range imports {
			if importsAs(i, name) {
				at[name] = append(at[name], fmt.Sprintf("%s:%d", i.File, i.Line))
			}
		}
	}
	return at, nil
}

// imports lists where the source imports some of the packages. Without names, the source is not read.
func imports(a *open.View, names []string) ([]ecosystem.Import, error) {
	if len(names) == 0 {
		return nil, nil
	}
	all, err := ecosystem.Imports(a.Eco, os.DirFS(a.Dir))
	return slices.DeleteFunc(all, func(i ecosystem.Import) bool {
		return !slices.ContainsFunc(names, func(name string) bool { return importsAs(i, name) })
	}), err
}

// importsAs reports whether an import means a declared name: what a member of a workspace declares
// apart is meant in its folder only.
func importsAs(i ecosystem.Import, name string) bool {
	declared := universe.NameOf(name)
	return i.Package == declared.Package && (declared.In == "" || strings.HasPrefix(i.File, declared.In+"/"))
}

// keepers lists the locked packages that need some of the names, one for each name.
func keepers(l *ecosystem.Lock, names []string) (uses []Use) {
	for _, name := range names {
		i := slices.IndexFunc(l.Packages, func(p ecosystem.LockedPackage) bool {
			base := universe.NameOf(p.Name).Base()
			return base != name && slices.ContainsFunc(slices.Concat(p.Needs, p.Peers), func(e solve.Edge) bool {
				return e.Package == name && e.To != "" && !e.Optional
			})
		})
		if i >= 0 {
			uses = append(uses, Use{Package: name, By: l.Packages[i].ID})
		}
	}
	return uses
}
