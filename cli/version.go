package cli

import (
	"fmt"
	"runtime/debug"
	"strings"
)

// thisVersion is that of this Molt: the module's, where it was built as one, else the revision that it was built from.
func thisVersion() string {
	v, _, _ := built()
	return v
}

// built says which version this is, and of which revision and day.
func built() (version, revision, day string) {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown", "", ""
	}
	version = info.Main.Version
	modified := false
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			revision = s.Value
		case "vcs.time":
			day, _, _ = strings.Cut(s.Value, "T")
		case "vcs.modified":
			modified = s.Value == "true"
		}
	}
	if modified {
		day += ", changed since"
	}
	if version == "" || version == "(devel)" {
		version = "development"
	}
	return version, revision, day
}

// versionLine is what --version says.
func versionLine() string {
	v, revision, day := built()
	line := v
	if revision != "" {
		line += fmt.Sprintf(", commit %s of %s", revision, day)
	}
	return line
}
