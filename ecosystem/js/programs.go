package js

import (
	"path/filepath"
	"slices"

	"molt/ecosystem"
	"molt/input"
)

// Programs lists what the manifests of declared packages give people to run, as far as it is laid out.
func (JS) Programs(dir string, declared []string) []ecosystem.Program {
	var all []ecosystem.Program
	for _, name := range declared {
		manifest, err := input.ReadFile(filepath.Join(dir, modules, filepath.FromSlash(name), JS{}.Manifest()),
			input.Manifest)
		if err != nil {
			continue // it is not installed here
		}
		for program := range (JS{}).Executables(name, manifest) {
			all = append(all, ecosystem.Program{Name: program, Of: name})
		}
	}
	slices.SortFunc(all, ecosystem.Program.Compare)
	return all
}
