package ecosystem

// A Layout says which release stands in which folder of an installed tree.
type Layout struct {
	Places []Place // sorted by Path, so that what holds others comes before them
	// Executables is the folder for what packages give people to run, in each folder that holds packages: "" for none.
	Executables string
	// Manifest is the file in a release that Executables and BuildSteps read.
	Manifest string
}

// A Place is a folder of an installed tree with the release that stands in it.
type Place struct {
	Path    string         // relative to the application, with slashes
	Name    string         // under which it is found there
	Package *LockedPackage // nil for a link to a member of the workspace
	Holder  string         // the folder that it is in, relative to the application
	// where the place is a link: the path of the place above it that it leads to, or the folder of a member
	Link string
}
