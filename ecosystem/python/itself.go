package python

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"net/url"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// Itself makes a source tree that stays where it is a package of an environment, as the
// specifications "Direct URL Data Structure" and "Recording installed projects" have it: a path
// configuration file leads to src below the tree, where that is, else to the tree itself, and there
// are the programs that project.scripts names. Nothing of the tree is run, so what its build
// backend would make is not there. The application's own folder is a package where its
// pyproject.toml names a project and says how that is built; another folder where it names a
// project.
func (Python) Itself(h *ecosystem.Host, env, folder string, tree fs.FS) (*ecosystem.Itself, error) {
	data, err := input.ReadFS(tree, "pyproject.toml", input.Manifest)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err == nil {
		err = input.TOMLDepth("pyproject.toml", data)
	}
	if err != nil {
		return nil, err
	}
	var file struct {
		System  map[string]any `toml:"build-system"`
		Project struct {
			Scripts map[string]string `toml:"scripts"`
			Windows map[string]string `toml:"gui-scripts"`
		} `toml:"project"`
	}
	name, version, m, err := archivedProject(data)
	if err == nil {
		err = toml.Unmarshal(data, &file)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path.Join(folder, "pyproject.toml"), err)
	}
	if !requirement.IsName(name) || folder == "." && file.System == nil {
		return nil, nil
	}
	if version == "" {
		version = "0" // which its build backend would work out
	}
	v, err := specifiers.Parse(version) // it becomes part of a path
	if err != nil {
		return nil, fmt.Errorf("%s: the version %s: %w", path.Join(folder, "pyproject.toml"), input.Quote(version), err)
	}
	version = v.Normal()
	name = requirement.Canonical(name)
	stem := distribution(name) + "-" + version
	points := "[console_scripts]\n"
	for _, all := range []map[string]string{file.Project.Scripts, file.Project.Windows} {
		for _, script := range slices.Sorted(maps.Keys(all)) {
			points += script + " = " + all[script] + "\n"
		}
	}
	a := &arranging{host: h.Detail.(*hostDetail), p: &ecosystem.LockedPackage{
		Node: solve.Node{ID: name + "@" + version, Name: name, Version: version}}, env: env,
		info: stem + ".dist-info/", out: &ecosystem.Arrangement{Links: map[string]string{}, Made: map[string][]byte{}}}
	a.files = map[string]string{a.info + entryPoints: points}
	a.read = func(file string) ([]byte, error) { return []byte(a.files[file]), nil }
	if err := a.scripts(); err != nil {
		return nil, fmt.Errorf("%s: %w", path.Join(folder, "pyproject.toml"), err)
	}
	root := folder
	if entries, err := fs.ReadDir(tree, "src"); err == nil && len(entries) > 0 {
		root = path.Join(folder, "src")
	}
	site := a.host.Site + "/"
	up := strings.Repeat("../", strings.Count(site, "/")+1) // out of the environment, too
	address := url.URL{Scheme: "file",
		Path: filepath.ToSlash(filepath.Join(filepath.Dir(env), filepath.FromSlash(folder)))}
	direct, err := json.Marshal(map[string]any{"url": address.String(), "dir_info": map[string]bool{"editable": true}})
	if err != nil {
		return nil, err
	}
	a.out.Made[site+distribution(name)+".pth"] = []byte(path.Join(up, root) + "\n")
	a.out.Made[site+a.info+"METADATA"] = m.text(name, version)
	a.out.Made[site+a.info+entryPoints] = []byte(points)
	a.out.Made[site+a.info+directURL] = direct
	a.finish()
	return &ecosystem.Itself{Name: name, Version: version, Arrangement: a.out}, nil
}

// directURL is the file of an installed project that says where it comes from (PEP 610).
const directURL = "direct_url.json"

var _ ecosystem.SelfInstaller = Python{}
