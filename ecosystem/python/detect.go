package python

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"molt/input"
)

// requirementsPatterns are the names that files of requirements usually have.
var requirementsPatterns = []string{
	"requirements.txt", `requirements[_.\-]*.txt`, `*[_\-]requirements.txt`, "requirements/*.txt"}

// Detect lists pyproject.toml where it declares something, then files of requirements by their
// usual names, and those that they refer to. A pyproject.toml that declares no package but says
// which interpreter it needs comes last.
func (Python) Detect(dir fs.FS) ([]string, error) {
	var names, last []string
	switch m, err := readIn(dir, "pyproject.toml", readPyproject); {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		names = append(names, "pyproject.toml") // whoever reads it says what is wrong
	case len(m.arrays) > 0:
		names = append(names, "pyproject.toml")
	case m.hasProject:
		last = append(last, "pyproject.toml")
	}
	limits := map[string]bool{}
	for _, pattern := range requirementsPatterns {
		found, err := fs.Glob(dir, pattern)
		if err != nil {
			return nil, err
		}
		for _, name := range found {
			if err := follow(dir, name, nil, &names, limits); err != nil {
				return nil, err
			}
		}
	}
	names = slices.DeleteFunc(names, func(name string) bool { return limits[name] })
	return append(names, last...), nil
}

// follow adds a file of requirements with those that it refers to.
func follow(dir fs.FS, name string, way []string, names *[]string, limits map[string]bool) error {
	if slices.Contains(*names, name) && !slices.Contains(way, name) {
		return nil
	}
	*names = append(*names, name)
	m, err := readIn(dir, name, readRequirements)
	if err != nil {
		return nil // as above
	}
	for _, r := range m.refers {
		switch {
		case r.limit:
			limits[r.file] = true
			continue
		case slices.Contains(append(way, name), r.file):
			return &input.PositionError{File: name, Line: r.line, Column: 1,
				Reason: fmt.Sprintf("the files include one another in a circle: %s",
					strings.Join(append(way, name, r.file), " includes "))}
		}
		if _, err := fs.Stat(dir, r.file); err != nil {
			return &input.PositionError{File: name, Line: r.line, Column: 1,
				Reason: fmt.Sprintf("%s, which it includes, cannot be read: %v", r.file, errors.Unwrap(err))}
		}
		if err := follow(dir, r.file, append(slices.Clip(way), name), names, limits); err != nil {
			return err
		}
	}
	return nil
}

// LimitFiles lists the files that a manifest names as constraints, relative to the application.
func (m *requirementsFile) LimitFiles() []string {
	var all []string
	for _, r := range m.refers {
		if r.limit {
			all = append(all, r.file)
		}
	}
	return all
}

func readIn[M any](dir fs.FS, name string, read func(string, []byte) (M, error)) (M, error) {
	var none M
	f, err := dir.Open(path.Clean(name))
	if err != nil {
		return none, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, input.Manifest.Bytes))
	if err != nil {
		return none, err
	}
	return read(name, data)
}
