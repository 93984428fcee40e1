package python

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// Installed reads the environment in the folder of an application, by the specification "Recording
// installed projects"; nil where there is none. A package whose RECORD lists what is not there, or
// of another size, has a problem.
func (Python) Installed(dir string) (ecosystem.Tree, error) {
	root, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return nil, err
	}
	if root, err = filepath.Abs(root); err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(root, environmentFolder)); errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	t := &installed{root: filepath.ToSlash(root)}
	for _, pattern := range []string{"lib/python*/site-packages", "lib64/python*/site-packages", "Lib/site-packages"} {
		sites, err := filepath.Glob(filepath.Join(root, environmentFolder, filepath.FromSlash(pattern)))
		if err != nil {
			return nil, err
		}
		for _, site := range sites {
			if err := t.site(site); err != nil {
				return nil, err
			}
		}
	}
	slices.SortFunc(t.packages, func(a, b ecosystem.InstalledPackage) int { return strings.Compare(a.Path, b.Path) })
	return t, nil
}

// An installed is what an environment has.
type installed struct {
	root     string
	packages []ecosystem.InstalledPackage
	sites    []string // real paths
}

// Root is the application's folder.
func (t *installed) Root() string { return t.root }

// Packages lists the packages.
func (t *installed) Packages() []ecosystem.InstalledPackage { return t.packages }

// Find returns the package of a name, whoever asks: an environment has one. A package with an extra is the package.
func (t *installed) Find(_, name string) *ecosystem.InstalledPackage {
	name = universe.NameOf(name).Base()
	name, _, _ = strings.Cut(name, " ")
	for i := range t.packages {
		if t.packages[i].Name == name {
			return &t.packages[i]
		}
	}
	return nil
}

// site reads a folder of packages.
func (t *installed) site(site string) error {
	real, err := filepath.EvalSymlinks(site)
	if err != nil || slices.Contains(t.sites, real) {
		return nil // lib64 may be a link to lib
	}
	t.sites = append(t.sites, real)
	infos, err := filepath.Glob(filepath.Join(site, "*.dist-info"))
	if err != nil {
		return err
	}
	for _, info := range infos {
		rel, err := filepath.Rel(filepath.FromSlash(t.root), info)
		if err != nil {
			return err
		}
		p := ecosystem.InstalledPackage{
			Path: filepath.ToSlash(rel), Place: filepath.ToSlash(info), Home: filepath.ToSlash(info)}
		stem, _, _ := strings.Cut(filepath.Base(info), "-")
		p.Name = requirement.Canonical(stem)
		switch data, err := input.ReadFile(filepath.Join(info, "METADATA"), metadataLimit); {
		case errors.Is(err, fs.ErrNotExist):
			p.Problem = "a folder without METADATA"
		case err != nil:
			p.Problem = fmt.Sprintf("its METADATA cannot be read: %v", err)
		default:
			if p.Real, p.Version = nameIn(data); p.Real == "" || p.Version == "" {
				p.Problem = "its METADATA gives no name or no version"
				break
			}
			p.Name = p.Real
			p.Problem = recordProblem(site, info)
			p.Link = editableAt(info)
		}
		t.packages = append(t.packages, p)
	}
	return nil
}

// editableAt returns the address of the source tree that stands for an installed project; "" where it is a copy.
func editableAt(info string) string {
	data, err := input.ReadFile(filepath.Join(info, directURL), metadataLimit)
	if err != nil || input.JSONDepth(directURL, data) != nil {
		return ""
	}
	var direct struct {
		URL string `json:"url"`
		Dir struct {
			Editable bool `json:"editable"`
		} `json:"dir_info"`
	}
	if err := json.Unmarshal(data, &direct); err != nil || !direct.Dir.Editable {
		return ""
	}
	return direct.URL
}

// nameIn reads the name and version in metadata.
func nameIn(data []byte) (name, version string) {
	for line := range strings.Lines(string(data)) {
		key, value, ok := strings.Cut(strings.TrimRight(line, "\r\n"), ":")
		if !ok {
			break
		}
		switch strings.ToLower(key) {
		case "name":
			name = requirement.Canonical(strings.TrimSpace(value))
		case "version":
			if v, err := specifiers.Parse(value); err == nil {
				version = v.Normal()
			}
		}
	}
	return name, version
}

// recordLimit bounds the list of the files of a package.
var recordLimit = input.Limit{What: "the list of a package's files", Bytes: 16 << 20}

// recordProblem says how what is there is not what RECORD lists; "" where it is.
func recordProblem(site, info string) string {
	text, err := input.ReadFile(filepath.Join(info, "RECORD"), recordLimit)
	if err != nil {
		return "" // others may install without one
	}
	reader := csv.NewReader(strings.NewReader(string(text)))
	reader.FieldsPerRecord = -1
	rows, err := reader.ReadAll()
	if err != nil {
		return fmt.Sprintf("its RECORD cannot be read: %v", err)
	}
	for _, row := range rows {
		if len(row) != 3 || path.IsAbs(row[0]) || row[1] == "" && row[2] == "" {
			continue
		}
		stat, err := os.Lstat(filepath.Join(site, filepath.FromSlash(row[0])))
		switch size, bad := strconv.ParseInt(row[2], 10, 64); {
		case err != nil:
			return row[0] + " is missing"
		case bad == nil && stat.Mode().IsRegular() && stat.Size() != size:
			return row[0] + " is not as it was installed"
		}
	}
	return ""
}
