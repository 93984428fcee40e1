// Package demo holds the made-up scenario that Molt ships: the booking desk of Skerry Ferries, and the packages of the
// registry around it.
package demo

import (
	"embed"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

//go:embed skerry.universe
var universeFile []byte

//go:embed all:gannet-desk
var application embed.FS

// Name is the name of the application.
const Name = "gannet-desk"

// Runs is what the desk's own tests need of the runtime node.
const Runs = ">=18"

// Still changes a copy of the application so that it needs no runtime: its own tests are no check any more, and nothing is installed.
func Still(dir string) error {
	file := filepath.Join(dir, "molt.yaml")
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, tests, found := strings.Cut(string(data), "  - name: the desk's tests\n")
	_, after, ended := strings.Cut(tests, " test\n")
	if !found || !ended {
		return fmt.Errorf("%s has no tests to take out", file)
	}
	return os.WriteFile(file, []byte(before+after+"\ninstall: none          # nothing runs on this machine\n"), 0o644)
}

// Universe returns the packages of the registry.
func Universe() (universe.Table, error) {
	return standin.ReadUniverse("skerry.universe", universeFile, ranges.Scheme)
}

// Copy writes the application into a folder, which is made when it does not exist. A file that exists already is an
// error, and then nothing is written.
func Copy(dir string) error {
	files := map[string][]byte{}
	err := fs.WalkDir(application, Name, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := application.ReadFile(path)
		files[filepath.FromSlash(strings.TrimPrefix(path, Name+"/"))] = data
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
