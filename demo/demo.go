// Package demo holds the made-up scenario that Molt ships: the booking desk of Skerry Ferries and
// its back office, and the packages of the registries around them.
package demo

import (
	"embed"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"molt/core/version"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/python/specifiers"
	"molt/ecosystem/standin"
)

//go:embed skerry.universe marram.universe
var universes embed.FS

//go:embed all:gannet-desk all:skua-office
var applications embed.FS

// A Scenario is an application with the registry around it.
type Scenario struct {
	Name      string // of the application, and of the folder that it usually has
	Ecosystem string
	Goal      string
	Runs      string // what the application's own tests need of the language's runtime
	universe  string
	scheme    version.Scheme
	tests     string // the line of molt.yaml with which these tests begin
}

// Scenarios are all of them, the first is the usual one.
var Scenarios = []Scenario{
	{"gannet-desk", "js", "brackwater@5", ">=18", "skerry.universe", ranges.Scheme, "  - name: the desk's tests\n"},
	{"skua-office", "python", "marram@5.2", ">=3.10", "marram.universe", specifiers.Scheme,
		"  - name: the office's tests\n"},
}

// For returns the scenario of an ecosystem, by its name.
func For(ecosystem string) (Scenario, bool) {
	for _, s := range Scenarios {
		if s.Ecosystem == ecosystem {
			return s, true
		}
	}
	return Scenario{}, false
}

// Still changes a copy of the application so that it needs no runtime: its own tests are no check
// any more, and nothing is installed.
func (s Scenario) Still(dir string) error {
	file := filepath.Join(dir, "molt.yaml")
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, tests, found := strings.Cut(string(data), s.tests)
	_, after, ended := strings.Cut(tests, "\n")
	if !found || !ended {
		return fmt.Errorf("%s has no tests to take out", file)
	}
	return os.WriteFile(file, []byte(before+after+"\ninstall: none          # nothing runs on this machine\n"), 0o644)
}

// Universe returns the packages of the registry.
func (s Scenario) Universe() (standin.Universe, error) {
	data, err := universes.ReadFile(s.universe)
	if err != nil {
		return standin.Universe{}, err
	}
	return standin.ReadUniverse(s.universe, data, s.scheme)
}

// Copy writes the application into a folder, which is made when it does not exist. A file that exists already is an
// error, and then nothing is written.
func (s Scenario) Copy(dir string) error {
	files := map[string][]byte{}
	err := fs.WalkDir(applications, s.Name, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := applications.ReadFile(path)
		files[filepath.FromSlash(strings.TrimPrefix(path, s.Name+"/"))] = data
		return err
	})
	if err != nil {
		return err
	}
	for name := range files {
		if _, err := os.Lstat(filepath.Join(dir, name)); err == nil {
			return &fs.PathError{Op: "copy", Path: filepath.Join(dir, name), Err: fs.ErrExist}
		}
	}
	for name, data := range files {
		to := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(to, data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
