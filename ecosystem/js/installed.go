package js

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/input"
)

// modules is the folder in which the runtime looks for packages, in that of the asking file and in every one above.
const modules = "node_modules"

// InstallFolder returns the name of the folders that hold packages.
func (JS) InstallFolder() string { return modules }

// Installed reads the installed tree of an application: its folders of packages with their scopes, the folders inside
// them, and what links lead to. It is nil when there is none. Folders whose name begins with a dot are no packages,
// but a link may lead into one.
func (JS) Installed(dir string) (ecosystem.Tree, error) {
	if _, err := os.Stat(filepath.Join(dir, modules)); errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	root, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return nil, err
	}
	if root, err = filepath.Abs(root); err != nil {
		return nil, err
	}
	w := &walker{dir: root, seen: map[string]bool{}}
	if err := w.folder(modules, nil); err != nil {
		return nil, err
	}
	slices.SortFunc(w.packages, func(a, b ecosystem.InstalledPackage) int { return strings.Compare(a.Path, b.Path) })
	return newTree(filepath.ToSlash(root), w.packages), nil
}

type walker struct {
	dir      string
	seen     map[string]bool // folders of packages, by their real path
	packages []ecosystem.InstalledPackage
}

// folder reads one folder of packages. Bundled names came in the archive of the package that the folder belongs to.
func (w *walker) folder(at string, bundled []string) error {
	real, err := filepath.EvalSymlinks(filepath.Join(w.dir, filepath.FromSlash(at)))
	if err != nil {
		return fmt.Errorf("reading what is installed: %w", err)
	}
	if w.seen[real] {
		return nil
	}
	w.seen[real] = true
	entries, err := os.ReadDir(real)
	if err != nil {
		w.packages = append(w.packages, ecosystem.InstalledPackage{
			Path: at, Place: filepath.ToSlash(real), Home: filepath.ToSlash(real),
			Problem: fmt.Sprintf("cannot be read: %v", errors.Unwrap(err))})
		return nil
	}
	for _, e := range entries {
		name := e.Name()
		switch {
		case strings.HasPrefix(name, "."):
		case strings.HasPrefix(name, "@"):
			inScope, err := os.ReadDir(filepath.Join(real, name))
			if err != nil {
				w.packages = append(w.packages, ecosystem.InstalledPackage{
					Path: path.Join(at, name), Problem: fmt.Sprintf("cannot be read: %v", errors.Unwrap(err))})
				continue
			}
			for _, e := range inScope {
				if err := w.pkg(at, real, name+"/"+e.Name(), bundled); err != nil {
					return err
				}
			}
		default:
			if err := w.pkg(at, real, name, bundled); err != nil {
				return err
			}
		}
	}
	return nil
}

// pkg reads the folder of one package, or the link to one, and the packages inside.
func (w *walker) pkg(at, real, name string, bundled []string) error {
	p := ecosystem.InstalledPackage{Path: path.Join(at, name), Name: name, Bundled: slices.Contains(bundled, name)}
	full := filepath.Join(w.dir, filepath.FromSlash(p.Path))
	p.Place = filepath.ToSlash(filepath.Join(real, name))
	p.Home = p.Place
	info, err := os.Lstat(full)
	switch {
	case err != nil:
		return fmt.Errorf("reading what is installed: %w", err)
	case info.Mode()&fs.ModeSymlink != 0:
		p.Link, _ = os.Readlink(full) // it is one
		if info, err = os.Stat(full); err != nil {
			p.Problem = "a link that leads nowhere"
			w.packages = append(w.packages, p)
			return nil
		}
		if home, err := filepath.EvalSymlinks(full); err == nil {
			p.Home = filepath.ToSlash(home)
		}
	}
	if !info.IsDir() {
		return nil
	}
	var m struct {
		Name    any `json:"name"`
		Version any `json:"version"`
		Bundle  any `json:"bundleDependencies"`
		Bundled any `json:"bundledDependencies"`
	}
	data, err := input.ReadFile(filepath.Join(full, "package.json"), input.Manifest)
	if err == nil {
		err = json.Unmarshal(data, &m)
	}
	p.Real, _ = m.Name.(string)
	p.Version, _ = m.Version.(string)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		p.Problem = "a folder without package.json"
	case data != nil && err != nil:
		p.Problem = "its package.json is not JSON"
	case err != nil:
		p.Problem = "its package.json cannot be read: " + input.Cause(err)
	case p.Version == "" && p.Link == "":
		p.Problem = "its package.json gives no version"
	case p.Real == "":
		p.Real = name
	}
	w.packages = append(w.packages, p)
	below := path.Join(p.Path, modules)
	if _, err := os.Stat(filepath.Join(full, modules)); err != nil {
		return nil
	}
	return w.folder(below, append(stringsOf(m.Bundle), stringsOf(m.Bundled)...))
}

// stringsOf returns the strings of a JSON list, and nothing for whatever else.
func stringsOf(v any) (all []string) {
	list, _ := v.([]any)
	for _, x := range list {
		if s, ok := x.(string); ok {
			all = append(all, s)
		}
	}
	return all
}
