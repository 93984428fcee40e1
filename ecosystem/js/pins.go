package js

import (
	"fmt"
	"io/fs"
	"strings"

	"molt/core/project"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

// versionFiles are the files in which people name the version of the runtime that a folder wants, for whichever program
// sees to that. The first two hold a version and nothing else; the third a tool and a version on each line.
var versionFiles = []string{".node-version", ".nvmrc", ".tool-versions"}

// spoken are names under which version files speak of the runtime.
var spoken = map[string]string{"node": "node", "nodejs": "node"}

// Pins reads the version files in a folder, and the tool that the manifest names. Names of release
// lines, such as "lts", are no versions and are left out.
func (JS) Pins(dir fs.FS, m *ecosystem.Manifests) []project.Pin {
	var pins []project.Pin
	add := func(name, text, where string) {
		text = strings.TrimPrefix(strings.TrimSpace(text), "v")
		if parts := strings.Count(text, ".") + 1; parts <= 3 {
			if _, err := ranges.Scheme.Parse(text + strings.Repeat(".0", 3-parts)); err == nil {
				pins = append(pins, project.Pin{Name: name, Version: text, Where: where})
			}
		}
	}
	for _, file := range versionFiles {
		data, err := input.ReadFS(dir, file, input.VersionFile)
		if err != nil {
			continue
		}
		for n, line := range strings.Split(string(data), "\n") {
			line, _, _ = strings.Cut(line, "#")
			words := strings.Fields(line)
			where := fmt.Sprintf("%s:%d", file, n+1)
			switch {
			case file != ".tool-versions" && len(words) == 1:
				add(node.Name, words[0], where)
			case file == ".tool-versions" && len(words) > 1:
				name := words[0]
				if known := spoken[name]; known != "" {
					name = known
				}
				add(name, words[1], where)
			}
		}
	}
	if name, v, line := m.Tool(); name != "" {
		add(name, v, fmt.Sprintf("%s:%d", m.Chief(), line))
	}
	return pins
}
