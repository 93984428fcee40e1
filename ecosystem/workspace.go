package ecosystem

import (
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/version"
	"molt/input"
)

// A Member is a part of a workspace with a manifest of its own.
type Member struct {
	Folder  string // relative to the application, with slashes
	File    string // its chief manifest
	Name    string // "" when it has none
	Version string // "" when it has none
	Local   bool   // as File has it
}

// A Sibling is a declaration that a member of the workspace serves, and no registry.
type Sibling struct {
	Entry
	By Member
}

// A Part is some of the groups of an application.
type Part struct {
	In    string // the folder of a member, "." for the application's own manifests, "" for all
	Group string // a group's name in its manifest, "" for all
}

// Has reports whether a group, named as Entries name it, is in the part.
func (p Part) Has(group string) bool {
	at := project.GroupOf(group)
	return (p.In == "" || p.In == at.Member || p.In == "." && at.Member == "") && (p.Group == "" || p.Group == at.Name)
}

// Members lists the members of the workspace by folder, none where it is no workspace.
func (m *Manifests) Members() []Member {
	var all []Member
	for _, f := range m.files {
		if f.member != "" && !slices.ContainsFunc(all, func(x Member) bool { return x.Folder == f.member }) {
			all = append(all, Member{f.member, f.name, titled(f.Manifest).Name(), titled(f.Manifest).Version(), f.local})
		}
	}
	return all
}

// Siblings lists the declarations that members serve.
func (m *Manifests) Siblings() []Sibling { return m.siblings }

// Linked returns the members of the workspace that have a name, by folder: what a lock says of
// them. A local folder is linked under the name of its declaration.
func (m *Manifests) Linked() map[string]string {
	var all map[string]string
	for _, x := range m.Members() {
		if x.Name != "" && !x.Local {
			if all == nil {
				all = map[string]string{}
			}
			all[x.Folder] = x.Name
		}
	}
	return all
}

// link works out which declarations are served by members: those that say so, and those of a
// member's name whose constraint its version satisfies.
func (m *Manifests) link() error {
	m.entries, m.siblings = nil, nil
	members := map[string]Member{}
	for _, x := range m.Members() {
		if x.Local {
			continue // which serves the declaration that names it
		}
		x.Name = Canonical(m.eco, x.Name)
		if other, twice := members[x.Name]; twice && x.Name != "" {
			return &input.PositionError{File: x.File, Line: 1, Column: 1,
				Reason: fmt.Sprintf("the members of a workspace have a name each, and %s has the name %s too", other.File, x.Name)}
		}
		members[x.Name] = x
	}
	for _, f := range m.files {
		for _, e := range f.Manifest.Entries() {
			if f.local && PurposeOf(m.eco, e.Group) == project.ToDevelop {
				continue // that is for those who work on it there
			}
			e.File, e.Group = f.name, project.Group{Member: f.member, Name: e.Group}.String()
			by, there := members[e.Package]
			serves := there && e.Package != "" && by.File != f.name && m.serves(by, e)
			switch {
			case e.Sibling != "" && len(members) > 0 && !there:
				return &input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
					Reason: fmt.Sprintf("%s: no member of the workspace has this name; they are %s", e.Package, m.memberNames())}
			case e.Sibling != "" && there && by.File == f.name:
				return &input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
					Reason: fmt.Sprintf("%s: a member of the workspace cannot need itself", e.Package)}
			case there && !serves && (e.Sibling != "" || !e.Foreign && m.eco.Strategy().Single):
				// there is no room for one of a registry, too
				return &input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
					Reason: fmt.Sprintf("%s: the member %s has the version %s, which %s does not admit", e.Package, by.Folder,
						orNone(by.Version), e.Written)}
			case serves:
				m.siblings = append(m.siblings, Sibling{e, by})
			default:
				m.entries = append(m.entries, e)
			}
		}
	}
	m.divide()
	for _, s := range m.siblings { // at the top one name is one folder; what stands apart has another name
		if i := slices.IndexFunc(m.entries, func(e Entry) bool { return e.As == s.As && !e.Foreign }); i >= 0 {
			e := m.entries[i]
			return &input.PositionError{File: e.File, Line: e.Line, Column: e.Column,
				Reason: fmt.Sprintf("%s %s: %s (line %d of %s) gets the member %s %s under this name, and the workspace has room "+
					"for one", e.As, e.Written, s.Written, s.Line, s.File, s.By.Folder, orNone(s.By.Version))}
		}
	}
	return nil
}

// serves reports whether a member's version satisfies a declaration of its name.
func (m *Manifests) serves(by Member, e Entry) bool {
	want := e.Text
	switch {
	case e.Sibling != "":
		want = e.Sibling
	case e.Foreign:
		return false
	}
	if want == m.eco.Scheme().Any() {
		return true
	}
	if by.Version == "" && m.eco.Strategy().Single {
		return true // a build works it out
	}
	c, err := m.eco.Scheme().Constrain(want)
	if err != nil {
		return false
	}
	v, err := m.eco.Scheme().Parse(by.Version)
	return err == nil && version.Admits(c, v)
}

func orNone(release string) string {
	if release == "" {
		return "none"
	}
	return release
}

func (m *Manifests) memberNames() string {
	var names []string
	for _, x := range m.Members() {
		if x.Name != "" {
			names = append(names, x.Name)
		}
	}
	slices.Sort(names)
	return strings.Join(names, ", ")
}

// MemberFolders lists the folders below dir that patterns name: a segment of a pattern may hold *,
// ? and [...], ** stands for any number of folders, and a pattern that begins with ! takes out what
// those before it named. Folders of packages and hidden ones are none. Patterns that lead out of
// dir are an error.
func MemberFolders(dir fs.FS, patterns []string, packages string) ([]string, error) {
	var found []string
	for _, pattern := range patterns {
		bare, not := strings.CutPrefix(pattern, "!")
		bare = strings.TrimSuffix(strings.TrimPrefix(bare, "./"), "/")
		parts := strings.Split(bare, "/")
		if _, err := path.Match(bare, ""); err != nil || !fs.ValidPath(bare) || bare == "." {
			return nil, fmt.Errorf("%q is no pattern for folders below the application", pattern)
		}
		if not {
			found = slices.DeleteFunc(found, func(folder string) bool { return matches(parts, strings.Split(folder, "/")) })
			continue
		}
		if err := below(dir, ".", parts, packages, &found); err != nil {
			return nil, err
		}
	}
	slices.Sort(found)
	return slices.Compact(found), nil
}

// deepest is how many folders below one another a ** stands for at most.
const deepest = 8

// below collects the folders in a folder that the rest of a pattern names.
func below(dir fs.FS, at string, parts []string, packages string, found *[]string) error {
	if len(parts) == 0 {
		*found = append(*found, at)
		return nil
	}
	if parts[0] == "**" {
		if err := below(dir, at, parts[1:], packages, found); err != nil {
			return err
		}
	}
	entries, err := fs.ReadDir(dir, at)
	if err != nil { // nothing there, or no folder
		return nil
	}
	for _, e := range entries {
		name := e.Name()
		if name == packages || strings.HasPrefix(name, ".") {
			continue
		}
		next := path.Join(at, name)
		if info, err := fs.Stat(dir, next); err != nil || !info.IsDir() {
			continue
		}
		if parts[0] == "**" {
			if e.IsDir() && strings.Count(next, "/") < deepest { // links could lead in a circle
				if err := below(dir, next, parts, packages, found); err != nil {
					return err
				}
			}
		} else if ok, _ := path.Match(parts[0], name); ok {
			if err := below(dir, next, parts[1:], packages, found); err != nil {
				return err
			}
		}
	}
	return nil
}

// matches reports whether a pattern names a folder.
func matches(parts, folder []string) bool {
	switch {
	case len(parts) == 0:
		return len(folder) == 0
	case parts[0] == "**":
		return matches(parts[1:], folder) || len(folder) > 0 && matches(parts, folder[1:])
	case len(folder) == 0:
		return false
	}
	ok, _ := path.Match(parts[0], folder[0])
	return ok && matches(parts[1:], folder[1:])
}

// An ExtraGrouper is an ecosystem whose manifests have groups for extras.
type ExtraGrouper interface {
	// ExtraGroup returns the group that holds what an extra needs.
	ExtraGroup(extra string) string
}
