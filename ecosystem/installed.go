package ecosystem

import (
	"path"
)

// An Installed tree is what is on disk, as the language's runtime would find it.
type Installed struct {
	Root     string             // the application's folder, with no link in it
	Packages []InstalledPackage // sorted by Path

	places map[string]*InstalledPackage
}

// An InstalledPackage is one folder of an installed tree, or a link to one.
type InstalledPackage struct {
	Path    string // relative to the application, with slashes
	Place   string // the same as an absolute path, with no link in it but perhaps the last part
	Home    string // the folder itself, with no link in it: the runtime looks for what the package needs from here
	Name    string // the name under which the runtime finds it
	Real    string // the name that its own manifest gives
	Version string // "" when its manifest gives none
	Link    string // for a link, where it leads
	Problem string // why it cannot be used, "" when it can
	Bundled bool   // it came inside the archive of its dependent, and no lock speaks of it
}

// Versions returns the versions of each package by its real name.
func (i *Installed) Versions() map[string][]string {
	all := map[string][]string{}
	for _, p := range i.Packages {
		if p.Problem == "" && p.Version != "" {
			all[p.Real] = append(all[p.Real], p.Version)
		}
	}
	return all
}

// Find returns what the runtime finds under a name, asked for from a folder: in the folder's own packages, else in those of
// the folder above, and so on. It is nil when there is nothing.
func (i *Installed) Find(from, folder, name string) *InstalledPackage {
	if i.places == nil {
		i.places = map[string]*InstalledPackage{}
		for k := range i.Packages {
			i.places[i.Packages[k].Place] = &i.Packages[k]
		}
	}
	for {
		if path.Base(from) != folder {
			if p := i.places[path.Join(from, folder, name)]; p != nil {
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
