package python

import (
	"encoding/csv"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"molt/ecosystem"
	"molt/input"
)

// interpreterName matches the names of the interpreter in an environment.
var interpreterName = regexp.MustCompile(`^python[\d.]*(\.exe)?$`)

// Programs lists the interpreter of the environment, and the scripts that the records of declared packages name.
func (p Python) Programs(dir string, declared []string) (all []ecosystem.Program) {
	files, err := filepath.Glob(filepath.Join(dir, filepath.FromSlash(p.ScriptFolder()), "python*"))
	for _, file := range files {
		if name := filepath.Base(file); interpreterName.MatchString(name) {
			all = append(all, ecosystem.Program{Name: name})
		}
	}
	tree, failed := p.Installed(dir)
	if err != nil || failed != nil || tree == nil {
		return all
	}
	for _, found := range tree.Packages() {
		if !slices.Contains(declared, found.Name) {
			continue
		}
		text, err := input.ReadFile(filepath.Join(filepath.FromSlash(found.Home), "RECORD"), recordLimit)
		if err != nil {
			continue
		}
		reader := csv.NewReader(strings.NewReader(string(text)))
		reader.FieldsPerRecord = -1
		rows, _ := reader.ReadAll() // as far as it can be read
		for _, row := range rows {
			if folder, name := path.Split(row[0]); strings.HasPrefix(folder, "../") && path.Base(folder) == p.Executables() &&
				name != "" {
				all = append(all, ecosystem.Program{Name: name, Of: found.Name})
			}
		}
	}
	slices.SortFunc(all, ecosystem.Program.Compare)
	return all
}
