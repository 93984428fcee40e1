package ecosystem

import "molt/core/universe"

// An ArchiveReader is an ecosystem in which a declaration may name an archive in place of a constraint. The archive then is the one release of its package.
type ArchiveReader interface {
	// ArchiveAddress returns the address of the archive that the text of a declaration names: http(s), "file:" with a path relative to the application, or
	// "git+" with the address of a repository and, behind "#", a branch, a tag or a commit, of which the files are the archive; "" for any other text.
	ArchiveAddress(text string) string
	// ManifestIn reports whether a path in an archive is that of the release's manifest.
	ManifestIn(path string) bool
	// Archived reads a release from the manifest in its archive. What declares itself, an address say, is foreign.
	Archived(manifest []byte) (name string, r universe.Release, err error)
}
