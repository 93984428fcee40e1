package standin

import (
	"maps"

	"molt/core/universe"
)

// A Universe is what a stand-in serves: packages, and what stands in their archives besides what the registry says of them.
type Universe struct {
	universe.Table
	contents map[string]*contents // by package
}

// contents is what the archives of a package hold.
type contents struct {
	log   []LogLine
	files []archived
}

// An archived file is in the archives from one release on until another says otherwise.
type archived struct {
	release, name string // the name has slashes
	text          string // "" where the file goes
}

// A LogLine is a line of a change log about one release.
type LogLine struct{ Release, Says string }

// Of returns a universe of packages whose archives hold nothing of their own.
func Of(packages universe.Table) Universe { return Universe{Table: packages} }

// Files returns the files in the archive of a release, by name.
func (u Universe) Files(p *universe.Package, r *universe.Release) map[string]string {
	files := map[string]string{}
	if u.contents[p.Name] == nil {
		return files
	}
	for _, v := range p.Versions() { // a later release has what those before have
		for _, f := range u.contents[p.Name].files {
			if f.release == v.String() {
				files[f.name] = f.text
			}
		}
		if v.Compare(r.Version) == 0 {
			break
		}
	}
	maps.DeleteFunc(files, func(_, text string) bool { return text == "" })
	return files
}

// Log returns what the change log of a package says.
func (u Universe) Log(p *universe.Package) []LogLine {
	if u.contents[p.Name] == nil {
		return nil
	}
	return u.contents[p.Name].log
}
