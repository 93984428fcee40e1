package ecosystem

// A Tree is what is on disk, as the language's runtime would find it. Trees are immutable.
type Tree interface {
	// Root is the application's folder, with no link in it.
	Root() string
	// Packages lists the installed packages, sorted by Path.
	Packages() []InstalledPackage
	// Find returns what the runtime finds under a name, asked for from a folder: the Root, or the
	// Home of a package. It is nil when there is nothing.
	Find(from, name string) *InstalledPackage
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

// Versions returns the versions of each package of a tree by its real name.
func Versions(t Tree) map[string][]string {
	all := map[string][]string{}
	for _, p := range t.Packages() {
		if p.Problem == "" && p.Version != "" {
			all[p.Real] = append(all[p.Real], p.Version)
		}
	}
	return all
}
