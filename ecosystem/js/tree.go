package js

import (
	"path"

	"molt/ecosystem"
)

// installed is an installed tree. Each package finds others in the folder that it lies in, and in those above.
type installed struct {
	root     string
	packages []ecosystem.InstalledPackage
	places   map[string]*ecosystem.InstalledPackage
}

// newTree makes a tree of packages, which are sorted by path.
func newTree(root string, packages []ecosystem.InstalledPackage) *installed {
	t := &installed{root, packages, make(map[string]*ecosystem.InstalledPackage, len(packages))}
	for i := range packages {
		t.places[packages[i].Place] = &packages[i]
	}
	return t
}

// Root returns the application's folder.
func (t *installed) Root() string { return t.root }

// Packages lists the packages.
func (t *installed) Packages() []ecosystem.InstalledPackage { return t.packages }

// Find looks in the folder's own packages, then in those of the folder above, and so on.
func (t *installed) Find(from, name string) *ecosystem.InstalledPackage {
	for {
		if path.Base(from) != modules {
			if p := t.places[path.Join(from, modules, name)]; p != nil {
				return p
			}
		}
		up := path.Dir(from)
		if up == from {
			return nil
		}
		from = up
	}
}
