package python

import (
	"fmt"
	"io/fs"
	"regexp"
	"strings"

	"molt/core/project"
	"molt/ecosystem"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// Pins reads the files in which people name the interpreter that a folder wants: version files, of
// a version and nothing else or a tool and a version on each line, what hosts read, files of
// containers, and of continuous integration.
func (Python) Pins(dir fs.FS, _ *ecosystem.Manifests) []project.Pin {
	var pins []project.Pin
	add := func(text, where string) {
		text = strings.TrimPrefix(strings.Trim(strings.TrimSpace(text), `"'`), "python-")
		if v, err := specifiers.Parse(text); err == nil && v.Len() >= 2 && v.Len() <= 3 {
			pins = append(pins, project.Pin{Name: runtimeName, Version: text, Where: where})
		}
	}
	lines := func(file string, do func(words []string, line, where string)) {
		data, err := input.ReadFS(dir, file, input.VersionFile)
		if err != nil {
			return
		}
		for n, text := range strings.Split(string(data), "\n") {
			text, _, _ = strings.Cut(text, "#")
			do(strings.Fields(text), text, fmt.Sprintf("%s:%d", file, n+1))
		}
	}
	for _, file := range []string{".python-version", "runtime.txt"} {
		lines(file, func(words []string, _, where string) {
			if len(words) == 1 {
				add(words[0], where)
			}
		})
	}
	lines(".tool-versions", func(words []string, _, where string) {
		if len(words) > 1 && words[0] == runtimeName {
			add(words[1], where)
		}
	})
	for _, file := range []string{"Dockerfile", "Containerfile"} {
		lines(file, func(_ []string, line, where string) {
			if m := baseImage.FindStringSubmatch(line); m != nil {
				add(m[1], where)
			}
		})
	}
	flows, _ := fs.Glob(dir, ".github/workflows/*.y*ml") // the pattern is a good one
	for _, file := range flows {
		lines(file, func(_ []string, line, where string) {
			if m := setUp.FindStringSubmatch(line); m != nil {
				add(m[1], where)
			}
		})
	}
	return pins
}

var (
	// baseImage is an image of the interpreter that a container is made from.
	baseImage = regexp.MustCompile(`(?i)^\s*FROM\s+(?:--\S+\s+)*(?:\S+/)?python:(\d+\.\d+(?:\.\d+)?)`)
	// setUp is a line that has continuous integration set up an interpreter.
	setUp = regexp.MustCompile(`^\s*-?\s*python-version:\s*["']?(\d+\.\d+(?:\.\d+)?)["']?\s*$`)
)
