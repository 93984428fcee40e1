package ecosystem

import (
	"bytes"
	"fmt"
	"slices"

	"molt/core/universe"
)

// A File is the text of a file, by its name relative to the application, with slashes.
type File struct {
	Name string
	Data []byte
}

// Manifests are the manifest files of one application, as one manifest. The first is the chief: what is not said about a group of
// another, it says.
type Manifests struct {
	eco   Ecosystem
	files []namedManifest
}

type namedManifest struct {
	name string
	Manifest
}

// ReadManifests reads the manifest files of an application, of which there is at least one. Two that have a group in common are an error.
func ReadManifests(e Ecosystem, files []File) (*Manifests, error) {
	all := &Manifests{eco: e}
	owner := map[string]string{}
	for _, f := range files {
		m, err := e.ReadManifest(f.Name, f.Data)
		if err != nil {
			return nil, err
		}
		for _, group := range m.Groups() {
			if other, taken := owner[group]; taken {
				return nil, fmt.Errorf("%s and %s both have a group %q", other, f.Name, group)
			}
			owner[group] = f.Name
		}
		all.files = append(all.files, namedManifest{f.Name, m})
	}
	return all, nil
}

// Clone returns manifests of the same text, of which edits do not change these.
func (m *Manifests) Clone() (*Manifests, error) { return ReadManifests(m.eco, m.Texts()) }

// Files lists the names of the files, the chief first.
func (m *Manifests) Files() []string {
	var names []string
	for _, f := range m.files {
		names = append(names, f.name)
	}
	return names
}

// Texts returns copies of all texts, the chief's first.
func (m *Manifests) Texts() []File {
	var all []File
	for _, f := range m.files {
		all = append(all, File{f.name, bytes.Clone(f.Bytes())})
	}
	return all
}

// Contents returns the texts by file.
func (m *Manifests) Contents() map[string][]byte {
	all := map[string][]byte{}
	for _, f := range m.files {
		all[f.name] = f.Bytes()
	}
	return all
}

// Chief is the name of the chief file.
func (m *Manifests) Chief() string { return m.files[0].name }

// Entries lists the declarations of all files.
func (m *Manifests) Entries() []Entry {
	var all []Entry
	for _, f := range m.files {
		for _, e := range f.Entries() {
			e.File = f.name
			all = append(all, e)
		}
	}
	return all
}

// Groups lists the groups of all files; the first is the usual one.
func (m *Manifests) Groups() []string {
	var all []string
	for _, f := range m.files {
		all = append(all, f.Groups()...)
	}
	return all
}

// FileOf returns the file that a group belongs to: the chief, where none says so.
func (m *Manifests) FileOf(group string) string { return m.of(group).name }

func (m *Manifests) of(group string) namedManifest {
	if i := slices.IndexFunc(m.files, func(f namedManifest) bool { return slices.Contains(f.Groups(), group) }); i >= 0 {
		return m.files[i]
	}
	if i := slices.IndexFunc(m.files, func(f namedManifest) bool {
		return slices.ContainsFunc(f.Entries(), func(e Entry) bool { return e.Group == group })
	}); i >= 0 {
		return m.files[i]
	}
	return m.files[0]
}

// Set replaces the constraint of an entry.
func (m *Manifests) Set(group, name, constraint string) error {
	return m.of(group).Set(group, name, constraint)
}

// Remove deletes an entry with its line.
func (m *Manifests) Remove(group, name string) error { return m.of(group).Remove(group, name) }

// Add puts a new entry into a group.
func (m *Manifests) Add(group, name, constraint string) error {
	return m.of(group).Add(group, name, constraint)
}

// Name is the application's name, Version its version, "" when the chief has none.
func (m *Manifests) Name() string { return m.files[0].Name() }

// Version is the application's own version.
func (m *Manifests) Version() string { return m.files[0].Version() }

// SetVersion replaces the application's own version, which must be there.
func (m *Manifests) SetVersion(version string) error { return m.files[0].SetVersion(version) }

// Members lists patterns of the folders in which the members of a workspace are, with slashes.
func (m *Manifests) Members() []string { return m.files[0].Members() }

// Overrides lists what the chief says of every edge to a name, sorted by name.
func (m *Manifests) Overrides() []universe.Override { return m.files[0].Overrides() }

// Tool is the tool that the chief says works on it, with its version and line; "" for none.
func (m *Manifests) Tool() (name, version string, line int) { return m.files[0].Tool() }

// Runtimes lists what the application itself requires of runtimes and tools.
func (m *Manifests) Runtimes() []universe.Requirement {
	var all []universe.Requirement
	for _, f := range m.files {
		all = append(all, f.Runtimes()...)
	}
	return all
}
