package python

import (
	"slices"
	"strings"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/specifiers"
)

// Fileless reports whether a release has no wheel for the interpreter and the platform of an environment. How old a
// system's libraries may be is not looked at: nobody says what the deployed ones are.
func (Python) Fileless(p *ecosystem.LockedPackage, e ecosystem.Environment) bool {
	v, err := specifiers.Parse(e.Runtimes[runtimeName])
	if err != nil || len(p.Files) == 0 {
		return false
	}
	major, minor := v.Numbers()
	platform := e.Platform
	if platform == "" {
		platform = usualPlatform
	}
	return !slices.ContainsFunc(p.Files, func(f universe.File) bool {
		w, ok := parseWheel(nameOf(f))
		return ok && f.Kind == wheelKind &&
			slices.ContainsFunc(w.systems, func(tag string) bool { return isFor(tag, platform) }) &&
			slices.ContainsFunc(w.interpreters, func(interpreter string) bool {
				return slices.ContainsFunc(w.abis,
					func(abi string) bool { return interpreterRank(interpreter, abi, "cpython", major, minor) >= 0 })
			})
	})
}

// isFor reports whether the tag of a platform is for one as an environment names it.
func isFor(tag, platform string) bool {
	system, machine, _ := strings.Cut(platform, "-")
	switch system {
	case "linux":
		return tag == "any" || strings.Contains(tag, "linux") && strings.HasSuffix(tag, "_"+machine)
	case "macos":
		return tag == "any" || strings.HasPrefix(tag, "macosx_") &&
			(strings.HasSuffix(tag, "_"+machine) || strings.HasSuffix(tag, "_universal2"))
	case "windows":
		return tag == "any" || tag == "win_"+strings.NewReplacer("x86_64", "amd64").Replace(machine)
	}
	return true
}
