package js

import (
	"maps"
	"slices"
	"strings"

	"molt/ecosystem"
)

// Runs reads the manifest: the scripts for when a release is installed, and its programs. Nothing
// of a release runs at a start of the runtime.
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

// installMark stands for scripts of the installation where others are names of programs, none of which has a colon.
const installMark = ":install"

// runsOf writes what can be run of a release: installMark, where it has scripts for when it is
// installed, and the names of its programs, sorted, with spaces between them, which no name has.
func runsOf(programs map[string]string, scripts bool) string {
	names := slices.Sorted(maps.Keys(programs))
	if scripts {
		names = append([]string{installMark}, names...)
	}
	return strings.Join(names, " ")
}
