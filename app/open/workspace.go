package open

import (
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"molt/app/config"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
)

// manifestNames lists the usual manifests of all ecosystems.
func manifestNames() string {
	var names []string
	for _, e := range registered.Ecosystems {
		names = append(names, e.Manifest())
	}
	return strings.Join(names, " or ")
}

// ManifestTexts reads the manifest files, of which there must be one: the application's own, and
// those of the members where it is a workspace.
func (a *View) ManifestTexts() ([]ecosystem.File, error) {
	return TextsFrom(a, func(name string) ([]byte, error) { return a.Files.Read(name, input.Manifest) })
}

// TextsFrom reads the manifest files by a function that gets each by its name. Which members there
// are is what the chief that it gets says.
func TextsFrom(a *View, read func(name string) ([]byte, error)) ([]ecosystem.File, error) {
	names, err := a.Eco.Detect(os.DirFS(a.Dir))
	if err != nil {
		return nil, err
	}
	if len(names) == 0 {
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("there is no %s in %s or above it; --dir says where the application is", manifestNames(), a.Dir)}
	}
	var texts []ecosystem.File
	for _, name := range names {
		data, err := read(name)
		if err != nil {
			return nil, err
		}
		texts = append(texts, ecosystem.File{Name: name, Data: data})
	}
	members, err := memberFiles(a, texts)
	if err != nil {
		return nil, err
	}
	for _, f := range members {
		if f.Data, err = read(f.Name); err != nil {
			return nil, err
		}
		texts = append(texts, f)
	}
	return texts, nil
}

// memberFiles lists the manifests of the members that the application's own manifests name, without
// their texts: those of a workspace's pattern in the first, and folders that are declared in place
// of a package in any. A manifest that cannot be read names none: whoever reads it next will say
// so.
func memberFiles(a *View, own []ecosystem.File) ([]ecosystem.File, error) {
	var folders, local []string
	for i := range own {
		m, err := a.Eco.ReadManifest(own[i].Name, own[i].Data)
		if err != nil {
			continue
		}
		if own[i].Parsed = m; i == 0 {
			if folders, err = ecosystem.MemberFolders(os.DirFS(a.Dir), ecosystem.MemberPatterns(m), ecosystem.InstallFolder(a.Eco)); err != nil {
				return nil, &input.UsageError{Reason: fmt.Sprintf("%s: the members of the workspace: %v", own[i].Name, err)}
			}
			if more := a.Config.Members; more != nil {
				named, err := ecosystem.MemberFolders(os.DirFS(a.Dir), more, ecosystem.InstallFolder(a.Eco))
				if err != nil {
					return nil, a.Config.Place.At(false, err.Error(), "members")
				}
				folders = append(folders, named...)
				slices.Sort(folders)
				folders = slices.Compact(folders)
			}
		}
		for _, e := range m.Entries() {
			folder := ecosystem.LocalFolder(solve.Edge{Constraint: e.Text})
			if e.Foreign && folder != "" && !slices.Contains(strings.Split(folder, "/"), ecosystem.InstallFolder(a.Eco)) &&
				!slices.Contains(slices.Concat(folders, local), folder) && a.Files.Exists(path.Join(folder, a.Eco.Manifest())) {
				local = append(local, folder)
			}
		}
	}
	var files []ecosystem.File
	for _, folder := range folders {
		names, err := a.Eco.Detect(os.DirFS(a.Path(filepath.FromSlash(folder))))
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			files = append(files, ecosystem.File{Name: path.Join(folder, name), Member: folder})
		}
	}
	for _, folder := range local {
		files = append(files, ecosystem.File{Name: path.Join(folder, a.Eco.Manifest()), Member: folder, Local: true})
	}
	return files, nil
}

// Member returns the folder of a member by its folder or its name; "." is the application itself.
func Member(a *View, name string) (string, error) {
	if name == "." || name == "" {
		return name, nil
	}
	var known []string
	for _, m := range a.Manifest.Members() {
		if m.Folder == strings.TrimSuffix(strings.TrimPrefix(name, "./"), "/") || m.Name == name {
			return m.Folder, nil
		}
		known = append(known, m.Folder)
	}
	if known == nil {
		return "", &input.UsageError{Reason: fmt.Sprintf("--in %s: %s is no workspace, so it has no members", name,
			a.Manifest.Chief())}
	}
	return "", &input.UsageError{Reason: fmt.Sprintf(
		"--in %s: the members of the workspace are %s", name, strings.Join(known, ", "))}
}

// FromHere has changes begin with what the manifest says.
func FromHere(a *View, changes []project.Change) {
	lines := TextsByKey(a.Manifest)
	for i := range changes {
		c := &changes[i]
		if text, there := lines[KeyOf(c.Group, c.Name)]; there {
			c.From.Constraint = text
		} else {
			c.From = project.Point{}
		}
	}
}

// SetApartAs has stand apart in manifests what does in a resolution of them, whose roots get the
// names that this gives them.
func SetApartAs(m *ecosystem.Manifests, r *solve.Resolution) error {
	for i := range r.Roots {
		if e := &r.Roots[i]; e.Apart != "" {
			e.Name = universe.Name{Package: e.Own, In: e.Apart}.String()
		}
	}
	return m.SetApart(r.Roots)
}

// outerWorkspace returns the folder of the workspace that the application is a member of, "" for none.
func outerWorkspace(a *View) string {
	at := a.Dir
	for range 6 {
		up := filepath.Dir(at)
		if up == at {
			return ""
		}
		at = up
		names, err := a.Eco.Detect(os.DirFS(at))
		if err != nil || len(names) == 0 {
			continue
		}
		data, err := input.ReadFile(filepath.Join(at, names[0]), input.Manifest)
		if err != nil {
			return ""
		}
		m, err := a.Eco.ReadManifest(names[0], data)
		if err != nil {
			continue
		}
		patterns := ecosystem.MemberPatterns(m)
		if data, err := input.ReadFile(filepath.Join(at, config.File), input.Configuration); err == nil {
			if c, err := config.Read(config.File, data); err == nil {
				patterns = append(patterns, c.Members...)
			}
		}
		if len(patterns) == 0 {
			continue
		}
		own, err := filepath.Rel(at, a.Dir)
		if err != nil {
			return ""
		}
		folders, err := ecosystem.MemberFolders(os.DirFS(at), patterns, ecosystem.InstallFolder(a.Eco))
		if err == nil && slices.Contains(folders, filepath.ToSlash(own)) {
			return at
		}
	}
	return ""
}
