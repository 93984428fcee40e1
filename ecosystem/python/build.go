package python

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/input"
)

// A build system is what pyproject.toml says of how a source tree is built (PEP 517, PEP 518).
type buildSystem struct {
	Requires []string `toml:"requires" json:"-"`
	Backend  string   `toml:"build-backend" json:"backend"`
	Path     []string `toml:"backend-path" json:"path"`
}

// buildSystemOf reads it from an unpacked source tree; the standard's own where the tree says nothing.
func buildSystemOf(src fs.FS) (buildSystem, error) {
	usual := buildSystem{Requires: []string{"setuptools>=40.8.0"}, Backend: "setuptools.build_meta:__legacy__"}
	data, err := input.ReadFS(src, "pyproject.toml", input.Manifest)
	if errors.Is(err, fs.ErrNotExist) {
		return usual, nil
	}
	if err != nil {
		return usual, err
	}
	if err := input.TOMLDepth("pyproject.toml", data); err != nil {
		return usual, err
	}
	var file struct {
		System *buildSystem `toml:"build-system"`
	}
	if err := toml.Unmarshal(data, &file); err != nil {
		return usual, fmt.Errorf("its pyproject.toml: %w", err)
	}
	if file.System == nil {
		return usual, nil
	}
	if file.System.Backend == "" {
		file.System.Backend = usual.Backend
		if len(file.System.Requires) == 0 {
			file.System.Requires = usual.Requires
		}
	}
	for _, p := range file.System.Path {
		if !filepath.IsLocal(filepath.FromSlash(p)) {
			return usual, fmt.Errorf("its pyproject.toml: backend-path %q leads out of it", p)
		}
	}
	return *file.System, nil
}

// BuildNeeds lists what has to be in the environment in which a source tree is built.
func (Python) BuildNeeds(src fs.FS) ([]universe.Demand, error) {
	system, err := buildSystemOf(src)
	if err != nil {
		return nil, err
	}
	return demandsOf(system.Requires)
}

func demandsOf(texts []string) (all []universe.Demand, err error) {
	for _, text := range texts {
		r, err := requirement.Parse(text)
		if err != nil {
			return nil, err
		}
		if r.Address != "" {
			return nil, fmt.Errorf("it asks for %s from %s, and Molt builds with packages of the registry alone", r.Name,
				r.Address)
		}
		d := demandOf(r)
		if i := slices.IndexFunc(all, func(x universe.Demand) bool { return x.As == d.As }); i >= 0 && all[i].When == d.When {
			all[i].Text, all[i].Extras = both(all[i].Text, d.Text), union(all[i].Extras, d.Extras)
			continue
		} else if i >= 0 {
			d.As += " ; " + d.When
		}
		all = append(all, d)
	}
	return all, nil
}

// buildDriver calls the hooks of a build backend. It prints what is asked for as the last line.
const buildDriver = `
import importlib, json, os, sys
system = json.loads(sys.argv[1])
sys.path[:0] = [os.path.abspath(p) for p in system["path"] or []]
name, _, rest = system["backend"].partition(":")
backend = importlib.import_module(name)
for part in filter(None, rest.split(".")):
    backend = getattr(backend, part)
if sys.argv[2] == "needs":
    hook = getattr(backend, "get_requires_for_build_wheel", None)
    print("\n" + json.dumps(hook({}) if hook else []))
else:
    print("\n" + json.dumps(backend.build_wheel(sys.argv[2], {}, None)))
`

// BuildCommand is the command line, in the folder of a source tree, that asks what else is needed
// to build it (out is ""), or that builds it into a folder.
func (Python) BuildCommand(src fs.FS, env, out string) ([]string, error) {
	system, err := buildSystemOf(src)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(system)
	if err != nil {
		return nil, err
	}
	if out == "" {
		out = "needs"
	}
	return []string{filepath.Join(env, filepath.FromSlash(Python{}.Executables()), "python"), "-I", "-c", buildDriver,
		string(data), out}, nil
}

// BuildSaid reads what the first of these commands printed.
func (Python) BuildSaid(output []byte) ([]universe.Demand, error) {
	var texts []string
	if err := json.Unmarshal([]byte(lastLine(output)), &texts); err != nil {
		return nil, fmt.Errorf("what its build backend says that it needs cannot be read: %w", err)
	}
	return demandsOf(texts)
}

func lastLine(output []byte) string {
	text := strings.TrimSpace(string(output))
	return text[strings.LastIndexByte(text, '\n')+1:]
}

// BuiltFile returns what a file that was built is, as one of a release; an error where it is none of that release.
func (Python) BuiltFile(name, version, file string) (universe.File, error) {
	kind, v := fileVersion(name, file)
	if kind != wheelKind || v.Normal() != version {
		return universe.File{}, fmt.Errorf("its build backend made %q, which is no wheel of %s %s", file, name, version)
	}
	w, _ := parseWheel(file)
	return universe.File{Kind: wheelKind, When: w.tags()}, nil
}

// SourceFile returns the source archive among the files of a release.
func (Python) SourceFile(files []universe.File) (universe.File, bool) {
	i := slices.IndexFunc(files, func(f universe.File) bool { return f.Kind == sourceKind })
	if i < 0 {
		return universe.File{}, false
	}
	return files[i], true
}

var _ ecosystem.SourceBuilder = Python{}
