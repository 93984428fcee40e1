package python

import (
	"io/fs"

	"molt/ecosystem"
)

// Checks names the interpreter's own runner for tests, where there is a folder of them.
func (Python) Checks(dir fs.FS) []ecosystem.Check {
	for _, folder := range []string{"tests", "test"} {
		if info, err := fs.Stat(dir, folder); err == nil && info.IsDir() {
			return []ecosystem.Check{{Name: "tests", Run: "python -m unittest discover --start-directory " + folder +
				" --top-level-directory ."}}
		}
	}
	return nil
}

// ScriptFolder is the folder of scripts in the environment.
func (Python) ScriptFolder() string { return environmentFolder + "/" + Python{}.Executables() }
