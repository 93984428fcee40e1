package ecosystem

import "molt/core/universe"

// An ArchiveReader is an ecosystem in which a declaration may name an archive in place of a
// constraint. The archive then is the one release of its package.
type ArchiveReader interface {
	// ArchiveAddress returns the address of the archive that the text of a declaration names:
	// http(s), "file:" with a path relative to the application, or "git+" with the address of a
	// repository and, behind "#", a branch, a tag or a commit, of which the files are the archive,
	// or "semver:" and a constraint, for the newest tag that satisfies it; "" for any other text.
	ArchiveAddress(text string) string
	// ManifestIn says how much a file of an archive tells of the release, by its path: of several
	// the one that tells most is read. 0 is for nothing.
	ManifestIn(path string) int
	// Archived reads a release of an archive from that file: what it needs in some of the
	// environments. What declares itself, an address say, is foreign.
	Archived(address, file string, manifest []byte, in []Environment) (Archived, error)
}

// An Archived is what an archive says of the one release in it.
type Archived struct {
	Name    string
	Release universe.Release
	// what each of them adds, with what is needed of the package itself; nil where there are none
	Extras map[string][]universe.Demand
}
