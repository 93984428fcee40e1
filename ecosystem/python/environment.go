package python

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
)

// usualPlatform is that of most servers.
const usualPlatform = "linux-x86_64"

// platforms are those that can be named, with what they are to markers.
var platforms = map[string]requirement.Environment{
	"linux-x86_64": {"os_name": "posix", "sys_platform": "linux", "platform_system": "Linux",
		"platform_machine": "x86_64"},
	"linux-aarch64": {"os_name": "posix", "sys_platform": "linux", "platform_system": "Linux",
		"platform_machine": "aarch64"},
	"macos-arm64": {"os_name": "posix", "sys_platform": "darwin", "platform_system": "Darwin",
		"platform_machine": "arm64"},
	"macos-x86_64": {"os_name": "posix", "sys_platform": "darwin", "platform_system": "Darwin",
		"platform_machine": "x86_64"},
	"windows-x86_64": {"os_name": "nt", "sys_platform": "win32", "platform_system": "Windows",
		"platform_machine": "AMD64"},
	"windows-arm64": {"os_name": "nt", "sys_platform": "win32", "platform_system": "Windows", "platform_machine": "ARM64"},
}

// usualRuntime is the interpreter that is assumed where nothing says which there is.
const usualRuntime = "3.12"

// Platforms lists the platforms that an environment may be on, the usual one first.
func (Python) Platforms() []string {
	all := []string{usualPlatform}
	for name := range platforms {
		if name != usualPlatform {
			all = append(all, name)
		}
	}
	slices.Sort(all[1:])
	return all
}

// markersOf returns what an environment is to markers.
func markersOf(e ecosystem.Environment) (requirement.Environment, error) {
	platform := e.Platform
	if platform == "" {
		platform = usualPlatform
	}
	known, ok := platforms[platform]
	if !ok {
		return nil, fmt.Errorf("unknown platform %q; known: %s", platform, strings.Join(Python{}.Platforms(), ", "))
	}
	text := e.Runtimes[runtimeName]
	if text == "" {
		text = usualRuntime
	}
	whole, err := version.Complete(interpreter.Scheme, text)
	if err != nil {
		return nil, err
	}
	v := whole.(*specifiers.Version)
	major, minor := v.Numbers()
	m := requirement.Environment{"implementation_name": "cpython", "platform_python_implementation": "CPython",
		"python_version": fmt.Sprintf("%d.%d", major, minor), "python_full_version": v.Normal(),
		"implementation_version": v.Normal()}
	for key, value := range known {
		m[key] = value
	}
	withGroups(m, e.Groups)
	return m, nil
}

// An environments is the list of those for which an application is resolved.
type environments []requirement.Environment

// environmentsOf reads the environments of a call; the usual one where there is none.
func environmentsOf(all []ecosystem.Environment) (environments, error) {
	if len(all) == 0 {
		all = []ecosystem.Environment{{}}
	}
	var envs environments
	for _, e := range all {
		m, err := markersOf(e)
		if err != nil {
			return nil, err
		}
		envs = append(envs, m)
	}
	return envs, nil
}

// hold reports whether a marker holds in some of the environments, and whether in all of them.
func (envs environments) hold(m *requirement.Marker) (some, all bool) {
	all = true
	for _, e := range envs {
		if m.Holds(e) {
			some = true
		} else {
			all = false
		}
	}
	return some, all
}

// Holds reports whether a condition, as demands have it, holds in some of the environments.
func (Python) Holds(when string, all []ecosystem.Environment) bool {
	m, err := requirement.ParseMarker(when)
	if when == "" || err != nil {
		return true
	}
	envs, err := environmentsOf(all)
	if err != nil {
		return true
	}
	some, _ := envs.hold(m)
	return some
}
