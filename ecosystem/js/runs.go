package js

import (
	"slices"

	"molt/ecosystem"
)

// Runs reads the manifest: the scripts for when a release is installed, and its programs. Nothing of a release runs at a start of the runtime.
func (j JS) Runs(name string, files []string, read func(file string) ([]byte, error)) (all []ecosystem.Run) {
	if !slices.Contains(files, j.Manifest()) {
		return nil
	}
	manifest, err := read(j.Manifest())
	if err != nil {
		return nil
	}
	for _, step := range j.BuildSteps(manifest) {
		all = append(all, ecosystem.Run{When: ecosystem.AtInstall, What: step})
	}
	for program := range j.Executables(name, manifest) {
		all = append(all, ecosystem.Run{When: ecosystem.OnCall, What: program})
	}
	return all
}
