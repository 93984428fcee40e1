package python

import (
	"path"
	"slices"
	"strings"

	"molt/ecosystem"
)

// startModules are imported by every start of an interpreter, where they are there (the documentation of "site").
var startModules = []string{"sitecustomize", "usercustomize"}

// Runs reads the names of the files in a wheel: path configuration files and the modules of site
// and user customisation, which every start of an interpreter runs, and scripts; the programs that
// entry points make it reads from these.
func (Python) Runs(_ string, files []string, read func(file string) ([]byte, error)) (all []ecosystem.Run) {
	add := func(when ecosystem.RunTime, what string) {
		if run := (ecosystem.Run{When: when, What: what}); !slices.Contains(all, run) {
			all = append(all, run)
		}
	}
	for _, file := range files {
		at := file
		if data, rest, ok := strings.Cut(file, ".data/"); ok && !strings.Contains(data, "/") {
			// what does not go next to the modules
			scheme, rest, _ := strings.Cut(rest, "/")
			switch scheme {
			case "scripts":
				add(ecosystem.OnCall, path.Base(rest))
				continue
			case "purelib", "platlib":
				at = rest
			default:
				continue
			}
		}
		first, _, nested := strings.Cut(at, "/")
		module, _, _ := strings.Cut(first, ".")
		switch {
		case !nested && path.Ext(at) == ".pth", slices.Contains(startModules, module):
			add(ecosystem.AtStart, at)
		case strings.HasSuffix(first, ".dist-info") && path.Base(at) == entryPoints:
			if text, err := read(file); err == nil {
				for _, e := range entriesIn(string(text)) {
					add(ecosystem.OnCall, e.name)
				}
			}
		}
	}
	return all
}
