package js

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
)

// hosts are the addresses that short names of repositories stand for, which programs that read
// these manifests agree on: a host's name, a colon, the owner and the repository; an owner and a
// repository alone are at the first.
var hosts = map[string]string{
	"github": "https://github.com/", "gitlab": "https://gitlab.com/", "bitbucket": "https://bitbucket.org/",
	"": "https://github.com/"}

// shortName matches an owner and a repository. Neither begins with a point, so that no path is one.
var shortName = regexp.MustCompile(`^([0-9A-Za-z_-][0-9A-Za-z_.-]*)/([0-9A-Za-z_-][0-9A-Za-z_.-]*)$`)

// longAddress writes a short name of a repository out; false for what is none.
func longAddress(bare string) (string, bool) {
	host, name, named := strings.Cut(bare, ":")
	if !named {
		host, name = "", bare
	}
	at, known := hosts[host]
	if !known || !shortName.MatchString(name) {
		return "", false
	}
	return "git+" + at + strings.TrimSuffix(name, ".git") + ".git", true
}

// ArchiveAddress takes every address of the web for that of an archive, as the manifest's users
// agree, and a path to a file that is named like one.
func (JS) ArchiveAddress(text string) string {
	bare, ref, _ := strings.Cut(text, "#")
	web := strings.HasPrefix(text, "https://") || strings.HasPrefix(text, "http://")
	if long, short := longAddress(bare); short {
		if bare, text = long, long; ref != "" {
			text += "#" + ref
		}
	}
	switch {
	case strings.HasPrefix(text, "git+"):
		return text
	case web && strings.HasSuffix(bare, ".git"):
		return "git+" + text
	case web:
		return bare
	}
	file := strings.TrimPrefix(text, "file:")
	if (file != text || strings.HasPrefix(text, "./")) &&
		(strings.HasSuffix(file, ".tgz") || strings.HasSuffix(file, ".tar.gz")) && !strings.HasPrefix(file, "/") {
		return "file:" + path.Clean(file)
	}
	return ""
}

// ManifestIn takes the manifest in the one folder that an archive has at its top.
func (j JS) ManifestIn(file string) int {
	_, rest, _ := strings.Cut(strings.TrimPrefix(file, "./"), "/")
	return btoi(rest == j.Manifest())
}

// Archived reads a package.json as a registry would state it.
func (JS) Archived(_, _ string, data []byte, _ []ecosystem.Environment) (a ecosystem.Archived, err error) {
	r := &a.Release
	m, err := readManifest("package.json", data)
	if err != nil {
		return a, err
	}
	if !folderName(m.name) {
		return a, fmt.Errorf("its manifest calls it %q, which is no name of a package", m.name)
	}
	if r.Version, err = ranges.Scheme.Parse(m.version); err != nil {
		return a, fmt.Errorf("its manifest calls its version %q: %w", m.version, err)
	}
	needed := map[string]bool{}
	for _, e := range m.entries { // an optional need comes after one of the same name, and counts
		if e.Group == "dependencies" || e.Group == "optionalDependencies" {
			r.Needs = slices.DeleteFunc(r.Needs, func(d universe.Demand) bool { return d.As == e.As })
			r.Needs, needed[e.As] = append(r.Needs, e.Demand), true
		}
	}
	for _, e := range m.entries {
		switch {
		case e.Group != "peerDependencies":
		case needed[e.As]:
			r.Covered = append(r.Covered, e.Demand)
		default:
			r.Peers = append(r.Peers, e.Demand)
		}
	}
	byName := func(a, b universe.Demand) int { return strings.Compare(a.As, b.As) }
	slices.SortFunc(r.Needs, byName)
	slices.SortFunc(r.Peers, byName)
	slices.SortFunc(r.Covered, byName)
	r.Runtimes = m.runtimes
	slices.SortFunc(r.Runtimes, func(a, b universe.Requirement) int { return strings.Compare(a.Name, b.Name) })
	if licence := gjson.GetBytes(data, "license"); licence.Type == gjson.String {
		r.Licence = licence.String()
	}
	r.Runs = runsOf(JS{}.Executables(m.name, data), len(JS{}.BuildSteps(data)) > 0)
	raw := func(field string) []byte { return []byte(gjson.GetBytes(data, field).Raw) }
	r.Typed = typed(raw("types"), raw("typings"), raw("exports"))
	a.Name = m.name
	return a, nil
}
