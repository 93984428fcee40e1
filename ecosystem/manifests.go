package ecosystem

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/archive"
	"molt/core/project"
	"molt/core/universe"
)

// A File is the text of a file, by its name relative to the application, with slashes.
type File struct {
	Name   string
	Member string // the folder of the workspace's member that it belongs to, with slashes; "" for the application itself
	Data   []byte
	// the member is one by a declaration of its folder (LocalFolder), and not by a pattern of the workspace
	Local  bool
	Parsed Manifest // of Data, where it was read for its members already; nil else. Whoever has the file shares it with nobody.
}

// Manifests are the manifest files of one application, as one manifest: its own and, in a
// workspace, those of its members. The first is the chief: what is not said about a group of
// another, it says. The groups of a member have its folder before them (project.Group), so
// that a group with a name is one declaration of the whole.
//
// Laws:
//
//   - Reading the Texts again gives equal Entries; until something is edited the Texts are the bytes that were read.
//   - An edit changes the text of the declaration that it names and no other byte. After one that failed the manifests are
//     not used any more; nothing was written.
//   - Of the entries with one place (Entry.At), all have the text that was set last.
//   - What a member of the workspace serves is a Sibling and no entry: no registry is asked for it.
type Manifests struct {
	eco      Ecosystem
	files    []namedManifest
	entries  []Entry // kept until something is edited
	siblings []Sibling
	apart    map[apartName]bool
}

type namedManifest struct {
	name, member string
	local        bool
	Manifest
}

// ReadManifests reads the manifest files of an application, of which there is at least one. Two
// that have a group in common are an error, and so are two members of one name, and a declaration
// that only a member could serve and none does.
func ReadManifests(e Ecosystem, files []File) (*Manifests, error) {
	all := &Manifests{eco: e}
	owner := map[string]string{}
	for _, f := range files {
		m, err := f.Parsed, error(nil)
		if m == nil {
			m, err = e.ReadManifest(f.Name, f.Data)
		}
		if err != nil {
			return nil, err
		}
		for _, group := range m.Groups() {
			group = project.Group{Member: f.Member, Name: group}.String()
			if other, taken := owner[group]; taken {
				return nil, fmt.Errorf("%s and %s both have a group %q", other, f.Name, group)
			}
			owner[group] = f.Name
		}
		all.files = append(all.files, namedManifest{f.Name, f.Member, f.Local, m})
	}
	return all, all.link()
}

// LimitFiles lists the files of constraints that the manifests name, each once.
func (m *Manifests) LimitFiles() []string {
	var all []string
	for _, f := range m.files {
		if l, ok := f.Manifest.(Limited); ok {
			for _, name := range l.LimitFiles() {
				if !slices.Contains(all, name) {
					all = append(all, name)
				}
			}
		}
	}
	return all
}

// A Hasher is a manifest that may state the digests of the files of what it declares.
type Hasher interface {
	// Hashed returns the digests that it states, by declared name, each as ALGORITHM:HEX.
	Hashed() map[string][]string
	// SetHashes replaces those of a declaration that has some.
	SetHashes(name string, hashes []string) error
}

// Rehash has the digests that manifests state be those of the releases that a lock has, where they are others.
func (m *Manifests) Rehash(l *Lock) error {
	for _, f := range m.files {
		h, ok := f.Manifest.(Hasher)
		if !ok {
			continue
		}
		stated := h.Hashed()
		for _, e := range f.Manifest.Entries() {
			i := slices.IndexFunc(l.Packages, func(p LockedPackage) bool { return p.Name == e.Package })
			if len(stated[e.As]) == 0 || i < 0 {
				continue
			}
			var locked []string
			for _, file := range l.Packages[i].Files {
				locked = append(locked, archive.Hashes(file.Integrity)...)
			}
			slices.Sort(locked)
			if len(locked) > 0 && slices.ContainsFunc(
				stated[e.As], func(hash string) bool { return !slices.Contains(locked, hash) }) {
				if err := h.SetHashes(e.As, slices.Compact(locked)); err != nil {
					return err
				}
			}
		}
	}
	return m.link()
}

// Notes lists what about the manifests people should know.
func (m *Manifests) Notes() []string {
	var all []string
	for _, f := range m.files {
		if n, ok := f.Manifest.(interface{ Notes() []string }); ok {
			all = append(all, n.Notes()...)
		}
	}
	return all
}

// Included returns the groups that other groups bring along: of their manifest, and of members of
// which they ask for extras.
func (m *Manifests) Included() map[string][]string {
	all := map[string][]string{}
	for _, f := range m.files {
		if n, ok := f.Manifest.(interface{ Included() map[string][]string }); ok {
			for group, others := range n.Included() {
				for _, other := range others {
					key := project.Group{Member: f.member, Name: group}.String()
					all[key] = append(all[key], project.Group{Member: f.member, Name: other}.String())
				}
			}
		}
	}
	namer, _ := m.eco.(ExtraGrouper)
	for _, s := range m.siblings {
		if s.Extras == "" || namer == nil {
			continue
		}
		for extra := range strings.SplitSeq(s.Extras, ",") {
			all[s.Group] = append(all[s.Group], project.Group{Member: s.By.Folder, Name: namer.ExtraGroup(extra)}.String())
		}
	}
	return all
}

// Clone returns manifests of the same text, of which edits do not change these.
func (m *Manifests) Clone() (*Manifests, error) {
	c, err := ReadManifests(m.eco, m.Texts())
	if err != nil {
		return nil, err
	}
	c.apart = maps.Clone(m.apart)
	return c, c.link()
}

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
		all = append(all, File{Name: f.name, Member: f.member, Local: f.local, Data: bytes.Clone(f.Bytes())})
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

// Entries lists the declarations of all files, without those that a member of the workspace serves
// (Siblings). The caller must not change the list.
func (m *Manifests) Entries() []Entry { return m.entries }

// Groups lists the groups of the application's own files; the first is the usual one. Members have
// groups of the same names.
func (m *Manifests) Groups() []string {
	var all []string
	for _, f := range m.files {
		if f.member == "" {
			all = append(all, f.Groups()...)
		}
	}
	return all
}

// MayHave reports whether the chief may get a group that it does not have yet.
func (m *Manifests) MayHave(group string) bool {
	open, ok := m.files[0].Manifest.(interface{ MayHave(group string) bool })
	return ok && open.MayHave(group)
}

// FileOf returns the file that a group belongs to: the chief, where none says so.
func (m *Manifests) FileOf(group string) string { return m.of(group).name }

func (m *Manifests) of(group string) namedManifest {
	at := project.GroupOf(group)
	if i := slices.IndexFunc(m.files, func(f namedManifest) bool {
		return f.member == at.Member && slices.Contains(f.Groups(), at.Name)
	}); i >= 0 {
		return m.files[i]
	}
	if i := slices.IndexFunc(m.files, func(f namedManifest) bool {
		return f.member == at.Member &&
			slices.ContainsFunc(f.Manifest.Entries(), func(e Entry) bool { return e.Group == at.Name })
	}); i >= 0 {
		return m.files[i]
	}
	return m.files[0]
}

// edit changes a file by a function that gets it with the group's name in it.
func (m *Manifests) edit(group string, change func(f Manifest, group string) error) error {
	bare := project.GroupOf(group).Name
	if err := change(m.of(group).Manifest, bare); err != nil {
		return err
	}
	return m.link()
}

// Set replaces the constraint of an entry.
func (m *Manifests) Set(group, name, constraint string) error {
	at, f := ConstraintPlace{Name: project.OwnName(name)}, m.of(group)
	at.Group = project.GroupOf(group).Name
	if i := slices.IndexFunc(m.entries, func(e Entry) bool { return e.Group == group && e.As == name }); i >= 0 {
		at = m.entries[i].At()
	}
	if at.File != "" {
		i := slices.IndexFunc(m.files, func(f namedManifest) bool { return f.name == at.File })
		if i < 0 {
			return fmt.Errorf("%s: the constraint of %s stands in %s, which is no manifest of the application", f.name, name, at.File)
		}
		f = m.files[i]
	}
	if err := f.Set(at, constraint); err != nil {
		return err
	}
	return m.link()
}

// Remove deletes an entry with its line.
func (m *Manifests) Remove(group, name string) error {
	return m.edit(group, func(f Manifest, group string) error { return f.Remove(group, project.OwnName(name)) })
}

// Add puts a new entry into a group.
func (m *Manifests) Add(group, name, constraint string) error {
	return m.edit(group, func(f Manifest, group string) error { return f.Add(group, project.OwnName(name), constraint) })
}

// Name is the application's name, Version its version, "" when the chief has none.
func (m *Manifests) Name() string { return titled(m.files[0].Manifest).Name() }

// Version is the application's own version.
func (m *Manifests) Version() string { return titled(m.files[0].Manifest).Version() }

// SetVersion replaces the application's own version, which must be there.
func (m *Manifests) SetVersion(version string) error {
	if err := titled(m.files[0].Manifest).SetVersion(version); err != nil {
		return fmt.Errorf("%s: %w", m.files[0].name, err)
	}
	return nil
}

// Overrides lists what the chief says of every edge to a name, sorted by name.
func (m *Manifests) Overrides() []universe.Override {
	if o, ok := m.files[0].Manifest.(Overrider); ok {
		return o.Overrides()
	}
	return nil
}

// Tool is the tool that the chief says works on it, with its version and line; "" for none.
func (m *Manifests) Tool() (name, version string, line int) { return ToolOf(m.files[0].Manifest) }

// A FileRequirement is what a manifest requires of a runtime or tool.
type FileRequirement struct {
	universe.Requirement
	File string
}

// Runtimes lists what the application itself requires of runtimes and tools.
func (m *Manifests) Runtimes() []FileRequirement {
	var all []FileRequirement
	for _, f := range m.files {
		for _, q := range Requires(f.Manifest) {
			all = append(all, FileRequirement{q, f.name})
		}
	}
	return all
}
